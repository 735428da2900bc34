import type { Angle, Model, Schemas } from "@/api/client";

export type Area = Schemas["AreaIn"];
/** One thing that both cameras saw; a side is missing until it is drawn. */
export type AreaPair = { reference: Area | null; angle: Area | null; weight: number };

/** What the next fit is to do. */
export type FitChoice = {
  model: Model;
  /** Patches to leave out, by number. */
  leaveOut: number[];
  /** Patches that count more, beside the skins. */
  marked: number[];
  /** What the match in force weighed patches with, by number; what is marked anew counts four. */
  weights: Readonly<Record<number, number>>;
  skins: boolean;
  areas: AreaPair[];
  /** Whether the pair's charts in other lights take part. */
  pool: boolean;
  /** Whether clipped highlights are filled towards the light. */
  fills: boolean;
  /** Whether colours of the scene that was compared with it take part. */
  withScene: boolean;
  /** "published", "kept" (the match's own table) or a table, not the reference's own reading. */
  values: string;
  valuesName: string;
};

const WEIGHT = 4;

export const plainChoice: FitChoice = {
  model: "averaged",
  leaveOut: [],
  marked: [],
  weights: {},
  skins: false,
  areas: [],
  pool: false,
  fills: true,
  withScene: false,
  values: "",
  valuesName: "",
};

/** The skins of the chart in use, by number. */
export const skinsOf = (angle: Angle): number[] =>
  (angle.angle.reading?.layout.skins ?? []).map((i) => i + 1);

/** What the match in force was made with, so that the next fit does not silently do otherwise. */
export function choiceOf(angle: Angle): FitChoice {
  const match = angle.match;
  if (!match || match.borrowed) return plainChoice;
  const weighed = match.weights.map((w) => w.patch);
  const skins = skinsOf(angle);
  const allSkins = skins.length > 0 && skins.every((i) => weighed.includes(i));
  return {
    ...plainChoice,
    model: match.asked,
    skins: allSkins,
    marked: allSkins ? weighed.filter((i) => !skins.includes(i)) : weighed,
    weights: Object.fromEntries(match.weights.map((w) => [w.patch, w.weight])),
    leaveOut: match.residuals.filter((r) => r.left_out === "by hand").map((r) => r.index),
    areas: match.areas.map((pair) => ({ ...pair })),
    pool: match.pool,
    fills: match.fills,
    withScene: match.steadied !== null,
    values: match.target === null ? "" : match.target === "published values" ? "published" : "kept",
    valuesName: match.target ?? "",
  };
}

export function fitBody(choice: FitChoice, angle: Angle) {
  const weighed = new Set([...choice.marked, ...(choice.skins ? skinsOf(angle) : [])]);
  return {
    model: choice.model,
    leave_out: choice.leaveOut,
    weights: [...weighed].map((patch) => ({ patch, weight: choice.weights[patch] ?? WEIGHT })),
    areas: choice.areas.flatMap(({ reference, angle: own, weight }) =>
      reference && own ? [{ reference, angle: own, weight }] : [],
    ),
    pool: choice.pool && !choice.values,
    fills: choice.fills,
    with_scene: choice.withScene && !choice.values,
    values: choice.values,
    values_name: choice.valuesName,
    base_number: angle.base_number,
  };
}

/** Put an area into the first pair that lacks this side, or into a new one. */
export function withArea(
  areas: readonly AreaPair[],
  side: "reference" | "angle",
  area: Area,
): AreaPair[] {
  const open = areas.findIndex((pair) => pair[side] === null);
  if (open < 0) return [...areas, { reference: null, angle: null, weight: 1, [side]: area }];
  return areas.map((pair, i) => (i === open ? { ...pair, [side]: area } : pair));
}

/** Whether a scene was compared with the match in force that can steady its fit. */
export const canSteady = ({ match }: Angle): boolean =>
  match !== null &&
  match.kind === "chart" &&
  (match.steadied !== null || match.scene_check?.can_steady === true) &&
  match.scene_check?.agrees !== false;

/** What a model is called, short. */
export const wordOf = (angle: Angle, model: Model): string =>
  angle.models.find((m) => m.model === model)?.word ?? model;
