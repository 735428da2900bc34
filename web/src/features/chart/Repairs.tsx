import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { type Angle, api, unwrap } from "@/api/client";
import { afterChange } from "@/api/queries";
import { TakeAs } from "@/features/encoding";
import { Problem } from "@/shared/Feedback";

/** What the charts say of the encoding comes first, with what puts it right. */
export function Doubt({ angle, doubt }: { angle: Angle; doubt: NonNullable<Angle["doubt"]> }) {
  const [asks, setAsks] = useState(false);
  const levels = doubt.levels === "legal" ? "legal" : "full";
  return (
    <div className="mb-1">
      <p className="text-base font-semibold">{doubt.clip} may be something else.</p>
      <p>{doubt.text}</p>
      {doubt.encoding && (
        <button type="button" className="btn btn-xs btn-primary my-1" onClick={() => setAsks(true)}>
          Use {doubt.encoding_name}, {levels} for these clips …
        </button>
      )}
      {asks && (
        <TakeAs
          clip={{ id: doubt.clip_id, name: doubt.clip }}
          encoding={doubt.encoding}
          name={doubt.encoding_name}
          levels={levels}
          letter={angle.angle.letter}
          light={angle.light_name}
          base={angle.head}
          onClose={() => setAsks(false)}
        />
      )}
    </div>
  );
}

/** The chart and a scene are decoded otherwise: the match does not hold there. */
export function Alike({ angle }: { angle: Angle }) {
  const client = useQueryClient();
  const repair = useMutation({
    mutationFn: () =>
      unwrap(
        api.POST("/api/lights/{light_id}/cameras/{camera_id}/take-alike", {
          params: { path: { light_id: angle.light_id, camera_id: angle.angle.camera_id } },
          body: { base: angle.head },
        }),
      ),
    onSettled: () => afterChange(client),
  });
  return (
    <div className="mb-1">
      <p className="text-base font-semibold">Off: {angle.reason}.</p>
      <button
        type="button"
        className="btn btn-xs btn-primary my-1"
        disabled={repair.isPending}
        onClick={() => repair.mutate()}
      >
        Take the scenes as the chart was read
      </button>
      {repair.isError && <Problem error={repair.error} />}
    </div>
  );
}
