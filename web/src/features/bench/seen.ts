import type { StandingClip } from "@/api/client";
import type { Mark, Overrides, Seen } from "@/api/draft";
import type { Across } from "./scene/across";
import type { BenchPlace, ViewMark } from "./useBenchPlace";

/** As shot: before the match and what was trimmed over it. */
export const asShot: Overrides = { off: ["match", "trim"] };

/** Left, top, width and height of a part of a picture, in shares of it. */
export type Shares = [number, number, number, number];

/** How near both pictures are, and where the middle is of the reference's and of the angle's. */
export type Zoom = { by: number; at: [[number, number], [number, number]] };

export const UNZOOMED: Zoom = {
  by: 1,
  at: [
    [0.5, 0.5],
    [0.5, 0.5],
  ],
};

const MOST = 100;
const held = (value: number, low: number, high: number) => Math.min(high, Math.max(low, value));

/** What of a picture is on screen; null where all of it is. */
export function regionOf(zoom: Zoom, side: 0 | 1): Shares | null {
  if (zoom.by <= 1) return null;
  const share = 1 / zoom.by;
  const [x, y] = zoom.at[side];
  return [held(x - share / 2, 0, 1 - share), held(y - share / 2, 0, 1 - share), share, share];
}

/** Where a share of what is on screen lies in the whole picture. */
export function inPicture(region: Shares | null, x: number, y: number): [number, number] {
  const [left, top, width, height] = region ?? [0, 0, 1, 1];
  return [left + x * width, top + y * height];
}

/** Where a place of the picture is on screen, in shares of what is shown. */
export function onScreen(region: Shares | null, x: number, y: number): [number, number] {
  const [left, top, width, height] = region ?? [0, 0, 1, 1];
  return [(x - left) / width, (y - top) / height];
}

/** Nearer or farther about the point of the screen that the pointer is at, in both pictures. */
export function zoomed(
  zoom: Zoom,
  factor: number,
  x: number,
  y: number,
  /** The picture that the pointer is over, and where the other shows the same. */
  follow?: { side: 0 | 1; across: Across | null },
): Zoom {
  const by = held(zoom.by * factor, 1, MOST);
  if (by === 1) return UNZOOMED;
  const under = follow && inPicture(regionOf(zoom, follow.side), x, y);
  const same = follow?.across && under && follow.across(follow.side, under);
  const at = ([0, 1] as const).map((side) => {
    const own = inPicture(regionOf(zoom, side), x, y);
    const [px, py] = same && side !== follow.side ? same : own;
    return [held(px + (0.5 - x) / by, 0, 1), held(py + (0.5 - y) / by, 0, 1)];
  });
  return { by, at: at as Zoom["at"] };
}

/** Both pictures moved by shares of what is on screen, or one alone, to line them up. */
export function panned(zoom: Zoom, dx: number, dy: number, only?: 0 | 1): Zoom {
  const half = 0.5 / zoom.by;
  const at = zoom.at.map(([x, y], side) =>
    only === undefined || only === side
      ? [held(x - dx / zoom.by, half, 1 - half), held(y - dy / zoom.by, half, 1 - half)]
      : [x, y],
  );
  return { by: zoom.by, at: at as Zoom["at"] };
}

export const zoomText = ({ by, at }: Zoom): string =>
  by <= 1 ? "" : [by.toFixed(3), ...at.flat().map((v) => v.toFixed(5))].join(",");

export function zoomFrom(text: string | null): Zoom {
  const found = (text ?? "").split(",").map(Number);
  const [by = 1, a = 0, b = 0, c = 0, d = 0] = found;
  if (found.length !== 5 || found.some((v) => !Number.isFinite(v)) || by <= 1) return UNZOOMED;
  return {
    by: Math.min(by, MOST),
    at: [
      [held(a, 0, 1), held(b, 0, 1)],
      [held(c, 0, 1), held(d, 0, 1)],
    ],
  };
}

/** The mark that the server hatches; lines over the picture are drawn by the page. */
export const hatched = (mark: ViewMark): Mark =>
  mark === "stops" || mark === "neutral" ? "" : mark;

/** A frame of a clip as the Bench looks at it: with its output, its marks, with or without colour. */
export function seenOf(
  place: Pick<BenchPlace, "output" | "mono" | "whole" | "mark"> &
    Partial<Pick<BenchPlace, "off" | "zoom" | "scoped" | "lowest">>,
  clip: StandingClip | undefined,
  frame: number,
  overrides: Overrides,
  { mark = hatched(place.mark), side = 1 }: { mark?: Mark; side?: 0 | 1 } = {},
): Seen | null {
  if (!clip) return null;
  const off = [...new Set([...(overrides.off ?? []), ...(place.off ?? [])])];
  const region = place.zoom ? regionOf(place.zoom, side) : null;
  const scoped = place.scoped?.[side] ?? null;
  return {
    subject: { kind: "clip", id: clip.id },
    stand: clip.stand,
    frame,
    width: Math.min(clip.width, 1280),
    overrides: {
      ...overrides,
      ...(off.length ? { off } : {}),
      ...(place.output ? { output: place.output } : {}),
      ...(place.mono ? { grey: true } : {}),
    },
    mark,
    whole: place.whole,
    ...(region ? { region } : {}),
    ...(scoped ? { scoped } : {}),
    ...(place.lowest ? { lowest: true } : {}),
  };
}
