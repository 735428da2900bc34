import type { StandingClip } from "@/api/client";
import type { Mark, Overrides, Seen } from "@/api/draft";
import type { BenchPlace } from "./useBenchPlace";

/** As shot: before the match and what was trimmed over it. */
export const asShot: Overrides = { off: ["match", "trim"] };

/** A frame of a clip as the Bench looks at it: with its output, its marks, with or without colour. */
export function seenOf(
  place: Pick<BenchPlace, "output" | "mono" | "whole" | "mark">,
  clip: StandingClip | undefined,
  frame: number,
  overrides: Overrides,
  mark: Mark = place.mark,
): Seen | null {
  if (!clip) return null;
  return {
    clip_id: clip.id,
    stand: clip.stand,
    frame,
    width: Math.min(clip.width, 1280),
    overrides: {
      ...overrides,
      ...(place.output ? { output: place.output } : {}),
      ...(place.mono ? { grey: true } : {}),
    },
    mark,
    whole: place.whole,
  };
}
