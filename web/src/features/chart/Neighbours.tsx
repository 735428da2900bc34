import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { Link } from "react-router";
import { type Angle, api, unwrap } from "@/api/client";
import { afterChange } from "@/api/queries";
import { Problem } from "@/shared/Feedback";

const MADE_OF_SEVERAL: Record<string, string> = {
  between: "Between two lights",
  general: "The pair's general matrix",
};

/** Where a light without a chart may take its match from, the best first. */
export function Neighbours({ angle }: { angle: Angle }) {
  const client = useQueryClient();
  const params = { path: { light_id: angle.light_id, camera_id: angle.angle.camera_id } };
  const list = useQuery({
    queryKey: ["neighbours", angle.light_id, angle.angle.camera_id, angle.base_number],
    queryFn: ({ signal }) =>
      unwrap(api.GET("/api/lights/{light_id}/cameras/{camera_id}/neighbours", { params, signal })),
  });
  const borrow = useMutation({
    mutationFn: ({ light, kind }: { light: number | null; kind: "between" | "general" }) =>
      unwrap(
        api.POST("/api/lights/{light_id}/cameras/{camera_id}/matches/borrow", {
          params,
          body: { light_id: light, kind, base_number: angle.base_number },
        }),
      ),
    onSettled: () => afterChange(client, "matching"),
  });
  if (list.isPending || !list.data?.length) return null;
  return (
    <section aria-label="Matches of other lights" className="min-w-0">
      <p className="font-semibold">
        {angle.match ? "Or take another match over." : "No chart of both? Take a match over."}
      </p>
      <p className="mb-1">
        <Link
          className="btn btn-xs"
          to={`/p/${angle.production_id}/l/${angle.light_id}/c/${angle.angle.camera_id}/bench?panel=match`}
        >
          Match from the picture
        </Link>{" "}
        <span className="faint">is nearer where both scenes show the same things.</span>
      </p>
      <p className="faint mb-1">
        What is taken over stays marked as borrowed until charts are read here. The figure is what
        it left on the charts of lights that it was not made from.
      </p>
      {borrow.isError && <Problem error={borrow.error} />}
      <ul>
        {list.data.map((n) => (
          <li key={n.light_id ?? n.kind} className="rule flex items-center gap-3 border-t py-1">
            <span className="min-w-0">
              <b>{n.light_name ?? MADE_OF_SEVERAL[n.kind]}</b>{" "}
              <span className="faint">{n.why}</span>
            </span>
            <span className="value ml-auto">
              {n.expected === null ? (
                <span className="faint font-sans">not tried anywhere</span>
              ) : (
                `about ${n.expected.toFixed(1)} ΔE`
              )}
            </span>
            <button
              type="button"
              className="btn btn-xs"
              disabled={borrow.isPending}
              onClick={() =>
                borrow.mutate({
                  light: n.light_id,
                  kind: n.kind === "between" ? "between" : "general",
                })
              }
            >
              Take over
            </button>
          </li>
        ))}
      </ul>
    </section>
  );
}
