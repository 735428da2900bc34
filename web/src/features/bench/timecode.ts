type Timed = { start_frame: number | null; rate: string; frame_count: number };

/** The frame of another clip at the same moment; null where it has none. */
export function atSameTime(
  clip: Timed | undefined,
  frame: number,
  other: Timed | undefined,
): number | null {
  if (!clip || !other || (clip.rate && other.rate && clip.rate !== other.rate)) return null;
  if (clip.start_frame === null || other.start_frame === null) return null;
  const there = clip.start_frame + frame - other.start_frame;
  return there >= 0 && there < other.frame_count ? there : null;
}
