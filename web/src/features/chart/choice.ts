import type { Model } from "@/shared/models";

/** What the next fit is to do: its model, patches to leave out by number, skins weighed or not. */
export type FitChoice = { model: Model; leaveOut: number[]; skins: boolean };

/** Light and dark skin, weighed as a person asks for it. */
const SKINS = [1, 2].map((patch) => ({ patch, weight: 4 }));

export const fitBody = (choice: FitChoice, base: number) => ({
  model: choice.model,
  leave_out: choice.leaveOut,
  weights: choice.skins ? SKINS : [],
  base_number: base,
});
