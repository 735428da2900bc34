import type { Schemas, Tuner } from "@/api/client";
import { decided } from "@/api/decided";
import type { Control } from "@/shared/controls";
import type { StepSizes } from "@/shared/Turn";

/** As it is sent: what is not named is neutral. */
export type TrimStage = Partial<Schemas["Trim"]>;
export type KeptTrim = Schemas["TrimOut"];

const { parts, fields, neutral, controls } = decided.trim;

/** Parts of a trim in signal order; each is bypassed, reset and copied by itself. */
export const PARTS = parts;
export type Part = (typeof PARTS)[number];

export type Full = Required<Schemas["Trim"]>;

/** A trim that does nothing. */
export const NEUTRAL = neutral as unknown as Full;

const FIELDS: Record<Part, readonly (keyof Full)[]> = fields;

export const full = (stage: TrimStage | undefined): Full => ({ ...NEUTRAL, ...stage });

export const isNeutral = (stage: TrimStage, part: Part): boolean =>
  FIELDS[part].every((f) => JSON.stringify(full(stage)[f]) === JSON.stringify(NEUTRAL[f]));

/** The trim with one part taken back. */
export const without = (stage: TrimStage, part: Part): TrimStage => ({
  ...stage,
  ...Object.fromEntries(FIELDS[part].map((f) => [f, NEUTRAL[f]])),
});

/** A trim with the named parts of another one in place of its own. */
export const only = (from: TrimStage, parts: readonly Part[], onto: TrimStage): TrimStage => ({
  ...onto,
  ...Object.fromEntries(parts.flatMap((p) => FIELDS[p]).map((f) => [f, full(from)[f]])),
  off: full(onto).off.filter((p) => !parts.includes(p as Part)),
});

export const bypassed = (stage: TrimStage, part: Part, off: boolean): TrimStage => {
  const now = new Set(full(stage).off);
  off ? now.add(part) : now.delete(part);
  return { ...stage, off: PARTS.filter((p) => now.has(p)) };
};

/** What a trim says of the tuner's five scales: exposure, warmth, tint, slope, saturation. */
export const scalesOf = (stage: TrimStage): Tuner => {
  const now = full(stage);
  return {
    exposure: now.stops,
    warmth: now.warmth,
    tint: now.tint,
    contrast: now.contrast - 1,
    strength: ((now.cdl.saturation ?? 1) - 1) * 100,
  };
};

export type Scale = keyof Tuner;

/** How far each scale goes, and how far an arrow steps. */
export const REACH: Record<Scale, { most: number; steps: StepSizes }> = decided.tuner;

const within = (value: number, name: Control) =>
  Math.min(controls[name].high, Math.max(controls[name].low, value));
const rounded = (value: number, digits = 4) => Number(value.toFixed(digits));

/** The trim after which a scale of the picture stands `by` further: needles are turned by hand. */
export function turned(stage: TrimStage, scale: Scale, by: number, measured = 0): TrimStage {
  const now = full(stage);
  const saturation = now.cdl.saturation ?? 1;
  switch (scale) {
    case "exposure":
      return { ...stage, stops: rounded(within(now.stops + by, "stops")) };
    case "warmth":
      return { ...stage, warmth: rounded(within(now.warmth + by, "warmth"), 2) };
    case "tint":
      return { ...stage, tint: rounded(within(now.tint + by, "tint"), 3) };
    case "contrast":
      // A slope turns by a factor: from 1 + measured to 1 + measured + by.
      return {
        ...stage,
        contrast: rounded(
          within(now.contrast * ((1 + measured + by) / (1 + measured)), "contrast"),
        ),
      };
    case "strength": {
      const factor = (100 + measured + by) / (100 + measured);
      return {
        ...stage,
        cdl: { ...now.cdl, saturation: rounded(within(saturation * factor, "cdl.saturation")) },
      };
    }
  }
}

/** What the core says has to be turned, from the trim that was measured. */
export type Turning = { at: TrimStage; turn: Schemas["TurnOut"] };

/**
 * The trim that takes a deviation off, of one scale or of all: to zero, or to an aim. White that is
 * taken off is not its number with another sign, and takes light with it: the core says how far.
 */
export function takenOff(
  stage: TrimStage,
  tuner: Tuner,
  scales: readonly Scale[],
  aim?: Tuner,
  known?: Turning | null,
): TrimStage {
  const at = known && scalesOf(known.at);
  const now = scalesOf(stage);
  return scales.reduce((next, scale) => {
    const plain = (aim?.[scale] ?? 0) - tuner[scale];
    const isWhite = scale === "warmth" || scale === "tint";
    const isLight = scale === "exposure" && scales.length > 1;
    const by =
      known && at && (isWhite || isLight) ? at[scale] + known.turn[scale] - now[scale] : plain;
    return turned(next, scale, by, tuner[scale]);
  }, stage);
}

/** Where the needle stands: the last measurement, plus what the hand has turned since. */
export function standing(measured: Tuner, at: TrimStage, now: TrimStage): Tuner {
  const [before, after] = [full(at), full(now)];
  const slope = after.contrast / before.contrast;
  const strength = (after.cdl.saturation ?? 1) / Math.max(before.cdl.saturation ?? 1, 1e-3);
  return {
    exposure: measured.exposure + after.stops - before.stops,
    warmth: measured.warmth + after.warmth - before.warmth,
    tint: measured.tint + after.tint - before.tint,
    contrast: (1 + measured.contrast) * slope - 1,
    strength: (100 + measured.strength) * strength - 100,
  };
}
