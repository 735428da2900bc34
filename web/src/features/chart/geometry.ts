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

/** Where a chart's columns and rows are, in pitches from 0, and how much of a patch is sampled. */
export type Grid = {
  columns_at: readonly number[];
  rows_at: readonly number[];
  sample_half: number;
};

const last = (places: readonly number[]) => places[places.length - 1] ?? 0;

/**
 * What the four corners lie on: the centres of the corner patches; on a chart of a single row the
 * middles of its outer patches' edges.
 */
function cornerPlaces(grid: Grid): [Point, Point, Point, Point] {
  const top = grid.rows_at.length === 1 ? -0.5 : 0;
  const left = grid.columns_at.length === 1 ? -0.5 : 0;
  const [c, r] = [last(grid.columns_at) - left, last(grid.rows_at) - top];
  return [
    [left, top],
    [c, top],
    [c, r],
    [left, r],
  ];
}

/** Numbers of the corner patches, clockwise from the first: 1, 6, 24, 19. */
export function cornerNumbers(grid: Grid): [number, number, number, number] {
  const [c, n] = [grid.columns_at.length, grid.columns_at.length * grid.rows_at.length];
  return [1, c, n, n - c + 1];
}

/** The map that brings four places of a plane to four pixels. */
function solveQuad(pixels: readonly Point[], places: readonly Point[]): Homography | null {
  const rows: number[][] = [];
  for (const [i, [u, v]] of places.entries()) {
    const pixel = pixels[i];
    if (!pixel) return null;
    const [x, y] = pixel;
    rows.push([u, v, 1, 0, 0, 0, -u * x, -v * x, x]);
    rows.push([0, 0, 0, u, v, 1, -u * y, -v * y, y]);
  }
  return solve(rows) as Homography | null;
}

/** The map from (column, row) in pitches to pixels, from the four corners. */
export function chartHomography(corners: readonly Point[], grid: Grid): Homography | null {
  return solveQuad(corners, cornerPlaces(grid));
}

export function project(h: Homography, u: number, v: number): Point {
  const w = h[6] * u + h[7] * v + 1;
  return [(h[0] * u + h[1] * v + h[2]) / w, (h[3] * u + h[4] * v + h[5]) / w];
}

/** The sample area of each patch as four points, as the reading takes it. */
export function sampleAreas(corners: readonly Point[], grid: Grid): Point[][] {
  const h = chartHomography(corners, grid);
  if (!h) return [];
  const half = grid.sample_half;
  return grid.rows_at.flatMap((v) =>
    grid.columns_at.map((u) => [
      project(h, u - half, v - half),
      project(h, u + half, v - half),
      project(h, u + half, v + half),
      project(h, u - half, v + half),
    ]),
  );
}

/** The chart's outline, half a patch beyond the outer centres. */
export function outline(corners: readonly Point[], grid: Grid): Point[] {
  const h = chartHomography(corners, grid);
  if (!h) return [];
  const [c, r] = [last(grid.columns_at) + 0.5, last(grid.rows_at) + 0.5];
  return [project(h, -0.5, -0.5), project(h, c, -0.5), project(h, c, r), project(h, -0.5, r)];
}

/** Corners turned by a quarter: what was read as the last row's first patch becomes the first. */
export function quarterTurn(corners: readonly Point[], grid: Grid): Point[] {
  // A quarter turn also swaps the sides, so new corners are asked of the outline.
  const points = outline(corners, grid);
  const [a, b, c, d] = points;
  return a && b && c && d ? fromOutline([d, a, b, c], grid) : [...corners];
}

/** The four corners from the chart's outline. */
function fromOutline(points: readonly [Point, Point, Point, Point], grid: Grid): Point[] {
  const [c, r] = [last(grid.columns_at) + 0.5, last(grid.rows_at) + 0.5];
  const h = solveQuad(points, [
    [-0.5, -0.5],
    [c, -0.5],
    [c, r],
    [-0.5, r],
  ]);
  if (!h) return [...points];
  return cornerPlaces(grid).map(([u, v]) => project(h, u, v));
}

export function halfTurn(corners: readonly Point[]): Point[] {
  return [...corners.slice(2), ...corners.slice(0, 2)];
}

/** A chart in the middle of a picture, to be dragged into place. */
export function startingCorners(width: number, height: number, grid: Grid): Point[] {
  const [, , [c, r]] = cornerPlaces(grid);
  const [across, down] = [c + (grid.columns_at.length === 1 ? 0.5 : 0), Math.max(r, 0.5)];
  // Not wider than 0.6 of the picture, nor higher than 0.7 of it.
  const pitch = Math.min(
    (0.32 * width) / Math.min(across, 5),
    (0.6 * width) / across,
    (0.7 * height) / down,
  );
  const [w, h] = [(across * pitch) / 2, (down * pitch) / 2];
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
export function closer(
  corners: readonly Point[],
  grid: Grid,
  width: number,
  height: number,
): Closer {
  const points = outline(corners, grid);
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
