import type { Schemas } from "@/api/client";
import { decided } from "@/api/decided";
import { control } from "@/shared/controls";
import { signed } from "@/shared/Tuner";
import { nameOf } from "../probes/ProbesLayer";
import type { Probed } from "../probes/reader";
import { type Probes, useRead } from "../probes/useProbes";
import type { Full, TrimStage } from "../trimParts";
import { Figure } from "./Figure";
import type { PartProps } from "./part";

const STOP = decided.trim.log_of_a_stop;

export const swatch = (rgb: readonly number[]) => {
  // For telling rows apart, not for judging: AP1 light as if it were the screen's.
  const [r = 0, g = 0, b = 0] = rgb.map((v) =>
    Math.round(255 * Math.max(0, Math.min(1, v)) ** 0.42),
  );
  return `rgb(${r} ${g} ${b})`;
};

const round = (value: number, digits = 3) => Number(value.toFixed(digits));

/** Where a probe was kept: clip, frame and place in per cent, of the angle and the reference. */
function originOf(probe: Probed): string {
  const one = (side: Probed["sides"][number]) =>
    side
      ? `${side.clip} frame ${side.place.frame + 1} at ${(100 * side.place.x).toFixed(1)}, ${(100 * side.place.y).toFixed(1)} %`
      : "?";
  return `${one(probe.sides[1])} as ${one(probe.sides[0])}`;
}

/** The trim with exposure, or exposure and white, as the reference has them at a probe. */
export function asThere(now: Full, probe: Probed, scales: "stops" | "white"): TrimStage {
  const off = probe.apart;
  if (!off) return {};
  const stops = round(now.stops - off.stops);
  if (scales === "stops") return { stops };
  return {
    stops,
    warmth: round(now.warmth - off.warmth, 1),
    tint: round(now.tint - off.tint, 2),
  };
}

/** The trim with a probe's colour of the angle led to the reference's. */
export function withPair(now: Full, probe: Probed): TrimStage {
  const off = probe.apart;
  if (!off) return {};
  const pair: Full["pairs"][number] = {
    angle: off.pair[0],
    reference: off.pair[1],
    reach: off.reach,
    strength: 1,
    origin: originOf(probe),
  };
  return { pairs: [...now.pairs, pair] };
}

export function Two({
  left,
  right,
  small = false,
}: {
  left: readonly number[];
  right: readonly number[];
  small?: boolean;
}) {
  const size = small ? "h-3 w-3 shrink-0" : "h-4 w-5 shrink-0";
  return (
    <span className="flex shrink-0" aria-hidden="true">
      <span className={size} style={{ background: swatch(left) }} />
      <span className={size} style={{ background: swatch(right) }} />
    </span>
  );
}

export function Pairs({
  now,
  set,
  probes,
  effect,
}: PartProps & {
  probes: Probes;
  /** What the pairs do beside their own colours. */
  effect: Schemas["PairEffectOut"] | null;
}) {
  const joined = useRead(probes).filter((p) => p.apart);
  return (
    <div className="flex flex-col gap-1">
      {effect && (
        <p className="faint text-2xs">
          The pairs move greys by ΔE {effect.greys.toFixed(1)} at most, usual skins by{" "}
          {effect.skins.toFixed(1)}.
        </p>
      )}
      {joined.length === 0 && now.pairs.length === 0 && (
        <p className="faint">
          Click the same thing in both pictures: it is compared here, and becomes a pair, or sets
          exposure and white.
        </p>
      )}
      {(joined.length > 0 || now.pairs.length > 0) && (
        <table className="w-full">
          {joined.length > 0 && (
            <thead className="faint text-2xs">
              <tr>
                <th aria-label="Probe" />
                <th className="text-left font-normal" title="Reference, angle">
                  both
                </th>
                <th className="text-right font-normal">apart</th>
                <th className="text-right font-normal">stops</th>
                <th className="text-right font-normal">mired</th>
                <th className="text-right font-normal">tint</th>
                <th aria-label="What to do" />
              </tr>
            </thead>
          )}
          <tbody>
            {joined.map((probe) => (
              <Joined key={probe.id} probe={probe} now={now} set={set} />
            ))}
            {now.pairs.map((pair, i) => (
              <Pair key={`pair ${pair.angle.join()}`} i={i} now={now} set={set} />
            ))}
          </tbody>
        </table>
      )}
    </div>
  );
}

function Joined({ probe, now, set }: PartProps & { probe: Probed }) {
  const { apart, sides } = probe;
  if (!apart) return null;
  return (
    <tr>
      <td className="max-w-16 truncate pr-1">{nameOf(probe)}</td>
      <td className="w-12">
        <Two left={sides[0]?.light ?? []} right={sides[1]?.light ?? []} />
      </td>
      <td className="value text-right">ΔE {apart.delta_e.toFixed(1)}</td>
      <td className="value text-right">{signed(apart.stops, 2)}</td>
      <td className="value text-right">{signed(apart.warmth, 0)}</td>
      <td className="value text-right">{signed(apart.tint, 1)}</td>
      <td className="whitespace-nowrap text-right">
        <button
          type="button"
          className="btn btn-xs"
          title="Exposure as here"
          onClick={() => set(asThere(now, probe, "stops"))}
        >
          Stops
        </button>{" "}
        <button
          type="button"
          className="btn btn-xs"
          title="Exposure and white as here"
          onClick={() => set(asThere(now, probe, "white"))}
        >
          White
        </button>{" "}
        <button
          type="button"
          className="btn btn-xs"
          title="This colour of the angle should be that one of the reference"
          onClick={() => set(withPair(now, probe))}
        >
          Pair
        </button>
      </td>
    </tr>
  );
}

function Pair({ i, now, set }: PartProps & { i: number }) {
  const pair = now.pairs[i];
  if (!pair) return null;
  const change = (changes: Partial<typeof pair>) =>
    set({ pairs: now.pairs.map((q, k) => (k === i ? { ...q, ...changes } : q)) });
  return (
    <tr title={pair.origin || undefined}>
      <td>⇒ {i + 1}</td>
      <td>
        <Two left={pair.angle} right={pair.reference} />
      </td>
      <td colSpan={2} className="pl-2">
        <span className="flex items-center gap-1">
          reach{" "}
          <Figure
            label={`Reach of pair ${i + 1}, stops of chroma`}
            value={pair.reach / STOP}
            {...control("pairs.reach", 1 / STOP)}
            digits={1}
            onChange={(v) => change({ reach: v * STOP })}
          />{" "}
          stops
        </span>
      </td>
      <td colSpan={2} className="pl-2">
        <span className="flex items-center gap-1">
          strength{" "}
          <Figure
            label={`Strength of pair ${i + 1}, %`}
            value={pair.strength * 100}
            {...control("pairs.strength", 100)}
            digits={0}
            onChange={(v) => change({ strength: v / 100 })}
          />{" "}
          %
        </span>
      </td>
      <td className="text-right">
        <button
          type="button"
          className="btn btn-xs"
          aria-label={`Take pair ${i + 1} out`}
          onClick={() => set({ pairs: now.pairs.filter((_, k) => k !== i) })}
        >
          ×
        </button>
      </td>
    </tr>
  );
}
