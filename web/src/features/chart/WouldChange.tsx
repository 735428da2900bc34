import { useQuery } from "@tanstack/react-query";
import { type Angle, api, unwrap } from "@/api/client";
import { Dialog } from "@/shared/Dialog";
import { Loading, Problem } from "@/shared/Feedback";
import { type FitChoice, fitBody, wordOf } from "@/shared/fitChoice";

/** What the next fit would change, before it is made; nothing is stored by looking. */
export function WouldChange({
  angle,
  choice,
  onFit,
  onClose,
}: {
  angle: Angle;
  choice: FitChoice;
  onFit: () => void;
  onClose: () => void;
}) {
  const params = { path: { light_id: angle.light_id, camera_id: angle.angle.camera_id } };
  const change = useQuery({
    queryKey: ["would-change", angle.light_id, angle.angle.camera_id, choice, angle.base_number],
    queryFn: ({ signal }) =>
      unwrap(
        api.POST("/api/lights/{light_id}/cameras/{camera_id}/matches/preview", {
          params,
          body: fitBody(choice, angle),
          signal,
        }),
      ),
    retry: false,
  });
  const { data } = change;
  return (
    <Dialog title="What fitting again would change" onClose={onClose} wide>
      {change.isPending && <Loading what="Fitting, without keeping it" />}
      {change.error && <Problem error={change.error} />}
      {data && (
        <>
          <p>
            With {wordOf(angle, choice.model)}: <b className="value">{data.expected.toFixed(2)}</b>{" "}
            off the chart
            {data.expected_now !== null && ` instead of ${data.expected_now.toFixed(2)}`}.
          </p>
          <table className="my-3 w-full">
            <thead className="faint text-left">
              <tr>
                <th className="font-normal">clip</th>
                <th className="text-right font-normal">ΔE between the pictures</th>
                <th className="text-right font-normal">most changed hundredth</th>
              </tr>
            </thead>
            <tbody className="value">
              {data.clips.map((c) => (
                <tr key={c.name} className="rule border-t">
                  <td className="py-0.5 font-sans">{c.name}</td>
                  <td className="text-right">{c.mean.toFixed(2)}</td>
                  <td className="text-right">{c.most.toFixed(2)}</td>
                </tr>
              ))}
            </tbody>
          </table>
          <p className="faint">
            {data.files.length
              ? `Already taken away, and then no longer in force: ${data.files.join(", ")}.`
              : "No file has left with the match in force."}{" "}
            The revision of now stays; going back is one step on the Bench.
          </p>
          <div className="mt-4 flex justify-end gap-2">
            <button type="button" className="btn btn-sm" onClick={onClose}>
              Leave it
            </button>
            <button
              type="button"
              className="btn btn-sm btn-primary"
              onClick={() => {
                onClose();
                onFit();
              }}
            >
              Fit again
            </button>
          </div>
        </>
      )}
    </Dialog>
  );
}
