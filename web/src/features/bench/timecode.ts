type Timed = { timecode: string; rate: string; frame_count: number };

/** Frames since midnight by a clip's own count; null without a timecode. Dropped numbers count. */
function start(clip: Timed): number | null {
  const parts = clip.timecode.split(/[:;.,]/).map(Number);
  const [top = 0, bottom = 1] = clip.rate.split("/").map(Number);
  const base = Math.round(top / bottom) || 24;
  if (parts.length !== 4 || parts.some((p) => !Number.isInteger(p))) return null;
  const [h = 0, m = 0, s = 0, f = 0] = parts;
  const total = ((h * 60 + m) * 60 + s) * base + f;
  if (!/[;,]/.test(clip.timecode) || base % 30 !== 0) return total;
  const minutes = 60 * h + m;
  return total - (base / 15) * (minutes - Math.floor(minutes / 10));
}

/** The frame of another clip at the same moment; null where it has none. */
export function atSameTime(
  clip: Timed | undefined,
  frame: number,
  other: Timed | undefined,
): number | null {
  if (!clip || !other || (clip.rate && other.rate && clip.rate !== other.rate)) return null;
  const [a, b] = [start(clip), start(other)];
  if (a === null || b === null) return null;
  const there = a + frame - b;
  return there >= 0 && there < other.frame_count ? there : null;
}
