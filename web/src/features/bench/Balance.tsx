import { useMutation, useQueryClient } from "@tanstack/react-query";
import { api, type Over, type Schemas, unwrap } from "@/api/client";
import { afterChange } from "@/api/queries";
import { control } from "@/shared/controls";
import { Dial } from "@/shared/Dial";
import { Problem } from "@/shared/Feedback";
import { CdlDials } from "./CdlDials";

export type Dials = Schemas["Dials"];

export const NEUTRAL: Dials = { stops: 0, warmth: 0, tint: 0, cdl: null };

const DIALS = [
  ["Exposure", "stops", 2, "stops"],
  ["Warmth", "warmth", 0, "mired, warmer"],
  ["Tint", "tint", 1, "Duv × 1000, greener"],
] as const;

/** All cameras of this light alike, the reference too; both pictures follow the hand. */
export function BalancePanel({
  light,
  over,
  dials,
  onDials,
}: {
  light: { id: number; name: string };
  over: Over;
  /** What is under the hand; null where it is as kept. */
  dials: Dials | null;
  onDials: (dials: Dials | null) => void;
}) {
  const client = useQueryClient();
  const kept = over.balance.number ? over.balance.dials : NEUTRAL;
  const now = dials ?? kept;
  const set = (changes: Partial<Dials>) => onDials({ ...now, ...changes });
  const keep = useMutation({
    mutationFn: () =>
      unwrap(
        api.POST("/api/lights/{light_id}/balance", {
          params: { path: { light_id: light.id } },
          body: { ...now, base_number: over.balance.number },
        }),
      ),
    onSuccess: async () => {
      await afterChange(client, "look");
      onDials(null);
    },
  });
  return (
    <div className="flex flex-col gap-1.5">
      <p className="faint text-2xs">
        Over every camera in {light.name}, the reference too, after the match.
      </p>
      <div className="grid grid-cols-2 gap-x-4 gap-y-1.5">
        <div className="flex flex-col gap-1.5">
          {DIALS.map(([label, key, digits, unit]) => (
            <Dial
              key={key}
              label={label}
              compact
              value={now[key] ?? 0}
              {...control(key)}
              neutral={0}
              digits={digits}
              unit={unit}
              onChange={(value) => set({ [key]: value })}
            />
          ))}
        </div>
        <CdlDials cdl={now.cdl ?? null} onChange={(cdl) => set({ cdl })} />
      </div>
      <div className="flex items-center gap-2">
        <button
          type="button"
          className="btn btn-xs btn-primary"
          disabled={dials === null || keep.isPending}
          onClick={() => keep.mutate()}
        >
          Keep for this light
        </button>
        <button
          type="button"
          className="btn btn-xs"
          disabled={dials === null}
          onClick={() => onDials(null)}
        >
          As kept
        </button>
        <button type="button" className="btn btn-xs" onClick={() => onDials(NEUTRAL)}>
          Neutral
        </button>
        <span className="faint text-2xs">
          {dials ? "not kept yet" : over.balance.number ? `balance ${over.balance.number}` : "none"}
        </span>
      </div>
      {keep.isError && <Problem error={keep.error} />}
    </div>
  );
}
