import type { Full, TrimStage } from "../trimParts";

/** What every part of the trim gets: the whole trim, and a way to change fields of it. */
export type PartProps = {
  now: Full;
  set: (changes: TrimStage) => void;
};

/** Three numbers with one of them replaced. */
export const put = (list: readonly number[], i: number, value: number) =>
  list.map((v, k) => (k === i ? value : v)) as [number, number, number];
