import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import type { Angle, Tuner } from "@/api/client";
import { api, unwrap } from "@/api/client";
import { afterChange, aimsQuery } from "@/api/queries";
import { Dialog } from "@/shared/Dialog";
import { Problem } from "@/shared/Feedback";
import { SCALES } from "@/shared/Tuner";
import { Figure } from "./trim/Figure";
import { REACH, type Scale } from "./trimParts";
import { NO_AIM } from "./useMeasured";

const UNITS: Record<Scale, string> = {
  exposure: "stops",
  warmth: "mired, warmer",
  tint: "Duv × 1000, greener",
  contrast: "slope, 0 is as the reference",
  strength: "%",
};

/** Where the tuner should stand on purpose: of this camera here, of a light, or of a camera. */
export function AimDialog({
  angle,
  shown,
  onClose,
}: {
  angle: Angle;
  /** Where the needles stand now. */
  shown: Tuner | null;
  onClose: () => void;
}) {
  const client = useQueryClient();
  const { letter, camera_id } = angle.angle;
  const rows = useQuery(aimsQuery(angle.production_id)).data;
  const scopes = [
    { text: `${letter} in ${angle.light_name}`, light_id: angle.light_id, camera_id },
    { text: `all cameras in ${angle.light_name}`, light_id: angle.light_id, camera_id: null },
    { text: `${letter} in every light`, light_id: null, camera_id },
  ];
  const [which, setWhich] = useState(0);
  const [draft, setDraft] = useState<Tuner | null>(null);
  const scope = scopes[which] as (typeof scopes)[number];
  const kept = rows?.find(
    (r) => (r.light_id ?? null) === scope.light_id && (r.camera_id ?? null) === scope.camera_id,
  );
  const now: Tuner = draft ?? { ...NO_AIM, ...kept };
  const save = useMutation({
    mutationFn: () =>
      unwrap(
        api.POST("/api/productions/{production_id}/aims", {
          params: { path: { production_id: angle.production_id } },
          body: {
            exposure: now.exposure,
            warmth: now.warmth,
            tint: now.tint,
            contrast: now.contrast,
            strength: now.strength,
            light_id: scope.light_id,
            camera_id: scope.camera_id,
          },
        }),
      ),
    onSuccess: async () => {
      await afterChange(client, "look");
      onClose();
    },
  });
  return (
    <Dialog title="Aim of the tuner" onClose={onClose}>
      <p className="faint mb-3">
        Where the needles should stand on purpose. Aims of a camera, of its light and of both add
        up.
      </p>
      <select
        className="select select-sm mb-3 w-full"
        aria-label="Whose aim"
        value={which}
        onChange={(e) => {
          setWhich(Number(e.target.value));
          setDraft(null);
        }}
      >
        {scopes.map((s, i) => (
          <option key={s.text} value={i}>
            {s.text}
          </option>
        ))}
      </select>
      <div className="grid grid-cols-[auto_6rem_1fr] items-center gap-x-3 gap-y-1">
        {SCALES.map(({ key, name }) => (
          <div key={key} className="contents">
            <span>{name}</span>
            <Figure
              label={`Aim of ${name.toLowerCase()}, ${UNITS[key]}`}
              value={now[key]}
              low={key === "contrast" ? -0.5 : -REACH[key].most}
              high={REACH[key].most}
              digits={key === "contrast" ? 3 : key === "exposure" ? 2 : 1}
              step={REACH[key].steps[0]}
              onChange={(v) => setDraft({ ...now, [key]: v })}
            />
            <span className="faint text-2xs">{UNITS[key]}</span>
          </div>
        ))}
      </div>
      {save.isError && <Problem error={save.error} />}
      <div className="mt-4 flex gap-2">
        <button
          type="button"
          className="btn btn-sm btn-primary"
          disabled={save.isPending}
          onClick={() => save.mutate()}
        >
          Keep
        </button>
        <button
          type="button"
          className="btn btn-sm"
          disabled={!shown}
          onClick={() =>
            shown &&
            setDraft(
              Object.fromEntries(
                SCALES.map(({ key }) => [key, Number(shown[key].toFixed(3))]),
              ) as Tuner,
            )
          }
        >
          As it stands now
        </button>
        <button type="button" className="btn btn-sm" onClick={() => setDraft(NO_AIM)}>
          None
        </button>
      </div>
    </Dialog>
  );
}
