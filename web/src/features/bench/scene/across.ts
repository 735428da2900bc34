import type { Schemas } from "@/api/client";

export type Spot = Schemas["SpotOut"];
type Point = [number, number];

/** Where the other picture shows what a picture shows at a place; null where nothing says it. */
export type Across = (side: 0 | 1, at: Point) => Point | null;

const NEAREST = 8;
const FAR = 0.12; // of a picture, from the nearest matched place

/** The way from one picture to the other by matched places: a plane's, fitted to the nearest. */
export function acrossOf(spots: readonly Spot[]): Across | null {
  const used = spots.filter((s) => s.used > 0.5);
  if (used.length < NEAREST) return null;
  return (side, [x, y]) => {
    const pairs = used.map((s) =>
      side === 0 ? ([s.reference, s.angle] as const) : ([s.angle, s.reference] as const),
    );
    const near = pairs
      .map(([from, to]) => ({ from, to, far: Math.hypot(from[0] - x, from[1] - y) }))
      .sort((a, b) => a.far - b.far)
      .slice(0, NEAREST);
    if ((near[0]?.far ?? 1) > FAR) return null;
    const out = ([0, 1] as const).map((axis) =>
      plane(
        near.map(({ from, to, far }) => [from[0] - x, from[1] - y, to[axis], 1 / (far + 0.02)]),
      ),
    );
    const inside = (v: number | null): v is number => v !== null && v >= 0 && v <= 1;
    const [u, v] = out;
    return inside(u as number | null) && inside(v as number | null)
      ? [u as number, v as number]
      : null;
  };
}

/** The value at the middle of a plane over (x, y) fitted to rows of x, y, value, weight. */
function plane(rows: number[][]): number | null {
  const m = [0, 0, 0, 0, 0, 0]; // xx, xy, x, yy, y, 1
  const r = [0, 0, 0];
  for (const [x = 0, y = 0, value = 0, weight = 0] of rows) {
    const w = weight * weight;
    [x * x, x * y, x, y * y, y, 1].forEach((term, i) => {
      m[i] = (m[i] ?? 0) + w * term;
    });
    [x, y, 1].forEach((term, i) => {
      r[i] = (r[i] ?? 0) + w * term * value;
    });
  }
  const [a = 0, b = 0, c = 0, d = 0, e = 0, f = 0] = m;
  const [p = 0, q = 0, s = 0] = r;
  const hold = 1e-6 * f; // places on one line say nothing across it
  const [xx, yy] = [a + hold, d + hold];
  const whole = xx * (yy * f - e * e) - b * (b * f - e * c) + c * (b * e - yy * c);
  if (Math.abs(whole) < 1e-18) return null;
  return (xx * (yy * s - q * e) - b * (b * s - q * c) + p * (b * e - yy * c)) / whole;
}
