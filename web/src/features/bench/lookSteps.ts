import type { Schemas } from "@/api/client";

export type LookStage = Schemas["Look"];
export type Step = LookStage["steps"][number];

/** What a step works on unless something else is chosen. */
export const LOG = "acescct/ap1";

/** Words where a LUT makes of middle grey and a stop what no look would: it is for other values. */
export function misfitOf(response: readonly [number, number] | null, isDisplay: boolean): string {
  if (!response) return "";
  const [grey, contrast] = response;
  const words = [];
  if (isDisplay) {
    if (grey < 0.2 || grey > 0.65)
      words.push(
        `shows middle grey at ${(grey * 100).toFixed(0)} % of the signal (usual: 35 to 50 %)`,
      );
    if (contrast < 0.07 || contrast > 0.21)
      words.push(
        `makes ${(contrast * 100).toFixed(0)} % of the signal out of one stop (usual: 10 to 18 %)`,
      );
  } else {
    if (Math.abs(grey) > 1.5)
      words.push(
        `takes middle grey ${Math.abs(grey).toFixed(1)} stops ${grey > 0 ? "up" : "down"}`,
      );
    if (contrast < 0.55 || contrast > 1.8)
      words.push(`makes ${contrast.toFixed(1)} stops of one stop`);
  }
  return words.length
    ? `It ${words.join(", and ")}: it is hardly made for what it is said to work on.`
    : "";
}

/** Move one step of the list; what is beyond its ends stays. */
export function moved(steps: Step[], from: number, by: number): Step[] {
  const to = from + by;
  if (to < 0 || to >= steps.length) return steps;
  const out = steps.slice();
  const [step] = out.splice(from, 1);
  if (step) out.splice(to, 0, step);
  return out;
}
