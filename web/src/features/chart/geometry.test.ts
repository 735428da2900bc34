import { readFileSync } from "node:fs";
import { describe, expect, it } from "vitest";
import type { Point } from "@/api/client";
import { layout } from "@/test/fixtures";
import { chartHomography, closer, halfTurn, project, quarterTurn, sampleAreas } from "./geometry";

const GRID = layout();

const CORNERS: Point[] = [
  [100, 80],
  [410, 95],
  [395, 290],
  [90, 262],
];

// The same cases as the core's test; their centres come from OpenCV (tests/data/README.md).
type Case = {
  layout: string;
  name: string;
  columns_at: number[];
  rows_at: number[];
  corners: Point[];
  centres: Record<string, Point>;
};
const CASES = JSON.parse(
  readFileSync("../tests/data/chart_geometry.json", "utf8"), // vitest runs in web/
) as Case[];

it.each(CASES.map((c) => [`${c.layout}, ${c.name}`, c] as const))(
  "places patches as the core does: %s",
  (_, { columns_at, rows_at, corners, centres }) => {
    const h = chartHomography(corners, { columns_at, rows_at, sample_half: 0.25 });
    if (!h) throw new Error("no homography");
    for (const [number, [x, y]] of Object.entries(centres)) {
      const at = Number(number) - 1;
      const place = [at % columns_at.length, Math.floor(at / columns_at.length)] as const;
      const got = project(h, columns_at[place[0]] ?? 0, rows_at[place[1]] ?? 0);
      expect(got[0]).toBeCloseTo(x, 3);
      expect(got[1]).toBeCloseTo(y, 3);
    }
  },
);

describe("the chart's grid on a picture", () => {
  it("goes through the four corner patches", () => {
    const h = chartHomography(CORNERS, GRID);
    if (!h) throw new Error("no homography");
    const places = [
      [0, 0],
      [5, 0],
      [5, 3],
      [0, 3],
    ] as const;
    for (const [i, [u, v]] of places.entries()) {
      const [x, y] = project(h, u, v);
      expect(x).toBeCloseTo(CORNERS[i]?.[0] ?? Number.NaN, 6);
      expect(y).toBeCloseTo(CORNERS[i]?.[1] ?? Number.NaN, 6);
    }
  });

  it("keeps straight lines straight: the cross-ratio of four patches in a row", () => {
    const h = chartHomography(CORNERS, GRID);
    if (!h) throw new Error("no homography");
    const [a, b, c, d] = [0, 1, 3, 5].map((u) => project(h, u, 0)[0]) as [
      number,
      number,
      number,
      number,
    ];
    const ratio = ((c - a) * (d - b)) / ((c - b) * (d - a));
    expect(ratio).toBeCloseTo((3 * 4) / (2 * 5), 9);
  });

  it("comes back after four quarter turns, and two of them are a half turn", () => {
    const two = quarterTurn(quarterTurn(CORNERS, GRID), GRID);
    for (const [i, [x, y]] of halfTurn(CORNERS).entries()) {
      expect(two[i]?.[0]).toBeCloseTo(x, 6);
      expect(two[i]?.[1]).toBeCloseTo(y, 6);
    }
  });

  it("comes closer until the chart fills the picture, and never shows what is beside it", () => {
    const { scale, x, y } = closer(CORNERS, GRID, 960, 540);
    const [left, top] = [-x / scale, -y / scale];
    expect(scale).toBeGreaterThan(1.3);
    for (const [px, py] of CORNERS) {
      expect(px / 960).toBeGreaterThan(left);
      expect(px / 960).toBeLessThan(left + 1 / scale);
      expect(py / 540).toBeGreaterThan(top);
      expect(py / 540).toBeLessThan(top + 1 / scale);
    }
    expect(Math.min(left, top)).toBeGreaterThanOrEqual(0);
    expect(Math.max(left, top) + 1 / scale).toBeLessThanOrEqual(1 + 1e-9);
  });

  it("has no areas where the corners lie on one line", () => {
    const flat: Point[] = [
      [0, 0],
      [1, 1],
      [2, 2],
      [3, 3],
    ];
    expect(sampleAreas(flat, GRID)).toEqual([]);
  });
});
