import type { Point } from "@/api/client";

export type Homography = [number, number, number, number, number, number, number, number];

/** Solve a small linear system by elimination with pivoting; null when it is singular. */
function solve(rows: number[][]): number[] | null {
  const n = rows.length;
  for (let i = 0; i < n; i++) {
    let pivot = i;
    for (let k = i + 1; k < n; k++) {
      if (Math.abs(rows[k]?.[i] ?? 0) > Math.abs(rows[pivot]?.[i] ?? 0)) pivot = k;
    }
    const top = rows[pivot];
    const here = rows[i];
    if (!top || !here || Math.abs(top[i] ?? 0) < 1e-12) return null;
    rows[pivot] = here;
    rows[i] = top;
    for (let k = 0; k < n; k++) {
      const row = rows[k];
      if (k === i || !row) continue;
      const f = (row[i] ?? 0) / (top[i] ?? 1);
      for (let j = i; j <= n; j++) row[j] = (row[j] ?? 0) - f * (top[j] ?? 0);
    }
  }
  return rows.map((row, i) => (row[n] ?? 0) / (row[i] ?? 1));
}

/** The map from (column, row) of a 6x4 chart to pixels, from the centres of patches 1, 6, 24, 19. */
export function chartHomography(corners: readonly Point[]): Homography | null {
  const grid: Point[] = [
    [0, 0],
    [5, 0],
    [5, 3],
    [0, 3],
  ];
  const rows: number[][] = [];
  for (const [i, [u, v]] of grid.entries()) {
    const corner = corners[i];
    if (!corner) return null;
    const [x, y] = corner;
    rows.push([u, v, 1, 0, 0, 0, -u * x, -v * x, x]);
    rows.push([0, 0, 0, u, v, 1, -u * y, -v * y, y]);
  }
  return solve(rows) as Homography | null;
}

export function project(h: Homography, u: number, v: number): Point {
  const w = h[6] * u + h[7] * v + 1;
  return [(h[0] * u + h[1] * v + h[2]) / w, (h[3] * u + h[4] * v + h[5]) / w];
}

/** The sample area of each patch as four points; 0.26 of the pitch, as the reading takes it. */
export function sampleAreas(corners: readonly Point[], half = 0.26): Point[][] {
  const h = chartHomography(corners);
  if (!h) return [];
  return Array.from({ length: 24 }, (_, i) => {
    const u = i % 6;
    const v = Math.floor(i / 6);
    return [
      project(h, u - half, v - half),
      project(h, u + half, v - half),
      project(h, u + half, v + half),
      project(h, u - half, v + half),
    ];
  });
}

/** The chart's outline, half a patch beyond the outer centres. */
export function outline(corners: readonly Point[]): Point[] {
  const h = chartHomography(corners);
  if (!h) return [];
  return [
    project(h, -0.5, -0.5),
    project(h, 5.5, -0.5),
    project(h, 5.5, 3.5),
    project(h, -0.5, 3.5),
  ];
}

/** Corners turned by a quarter: what was read as the last row's first patch becomes the first. */
export function quarterTurn(corners: readonly Point[]): Point[] {
  const h = chartHomography(corners);
  if (!h) return [...corners];
  // The grid is 6x4: a quarter turn also swaps its sides, so new centres are asked of the outline.
  const [a, b, c, d] = outline(corners) as [Point, Point, Point, Point];
  return fromOutline([d, a, b, c]);
}

/** Corner patches' centres from the chart's outline. */
export function fromOutline(points: readonly [Point, Point, Point, Point]): Point[] {
  const [a, b, c, d] = points;
  const h = chartHomography([a, b, c, d]);
  if (!h) return [...points];
  // In the outline's own frame, 0..5 by 0..3, a patch's centre lies half a cell inside.
  const u = (5 * 0.5) / 6;
  const v = (3 * 0.5) / 4;
  return [project(h, u, v), project(h, 5 - u, v), project(h, 5 - u, 3 - v), project(h, u, 3 - v)];
}

export function halfTurn(corners: readonly Point[]): Point[] {
  return [...corners.slice(2), ...corners.slice(0, 2)];
}

/** A chart in the middle of a picture, to be dragged into place. */
export function startingCorners(width: number, height: number): Point[] {
  const w = width * 0.16;
  const h = (w * 3) / 5;
  const x = width / 2;
  const y = height / 2;
  return [
    [x - w, y - h],
    [x + w, y - h],
    [x + w, y + h],
    [x - w, y + h],
  ];
}

export type Closer = { scale: number; x: number; y: number };

/**
 * How a picture is moved so that the chart fills it: scale about the top left, and the shift as a
 * share of the picture's size. A chart that is large already stays as it is.
 */
export function closer(corners: readonly Point[], width: number, height: number): Closer {
  const points = outline(corners);
  if (!points.length) return { scale: 1, x: 0, y: 0 };
  const xs = points.map((p) => p[0]);
  const ys = points.map((p) => p[1]);
  const [left, right] = [Math.min(...xs), Math.max(...xs)];
  const [top, bottom] = [Math.min(...ys), Math.max(...ys)];
  const fit = 0.72 * Math.min(width / (right - left), height / (bottom - top));
  const scale = Math.max(1, Math.min(8, fit));
  const shift = (middle: number, size: number) =>
    Math.max(1 - scale, Math.min(0, 0.5 - (middle / size) * scale));
  return { scale, x: shift((left + right) / 2, width), y: shift((top + bottom) / 2, height) };
}

export function clampPoint([x, y]: Point, width: number, height: number): Point {
  return [Math.max(0, Math.min(width - 1, x)), Math.max(0, Math.min(height - 1, y))];
}
