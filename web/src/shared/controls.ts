import { decided } from "@/api/decided";
import type { StepSizes } from "./Turn";

/** The numbers of a trim that are turned, as the core decides. */
export type Control = keyof typeof decided.trim.controls;

/**
 * What a dial or a figure of a number needs: what it may be, where the dial ends, its steps. `per`
 * is how much of the shown unit one of the number is, as 100 for shares shown in per cent.
 */
export function control(name: Control, per = 1) {
  const { low, high, reach, steps, tolerance } = decided.trim.controls[name];
  const shown = (value: number) => Number((per * value).toFixed(6));
  return {
    low: shown(low),
    high: shown(high),
    reach: [shown(reach[0]), shown(reach[1])] as const,
    step: shown(steps[0]),
    steps: steps.map(shown) as unknown as StepSizes,
    ...(tolerance === null ? {} : { tolerance: shown(tolerance) }),
  };
}
