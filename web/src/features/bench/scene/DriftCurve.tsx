import type { Schemas } from "@/api/client";

type Point = Schemas["DriftOut"];

const WIDTH = 150;
const HEIGHT = 44;
// `most` is half the height: plain to see.
const SCALES = [
  { name: "exposure", unit: "stop", most: 0.4, digits: 2, dash: undefined },
  { name: "warmth", unit: "mired", most: 32, digits: 0, dash: "3 2" },
] as const;

/** How far the angle is off the reference over the clip, beyond where it began: light and warmth. */
export function DriftCurve({ points }: { points: Point[] }) {
  const first = points[0];
  const last = points.at(-1);
  if (!first || !last || points.length < 2) return null;
  const x = (frame: number) => (WIDTH * (frame - first.frame)) / (last.frame - first.frame);
  const range = ({ name, unit, digits }: (typeof SCALES)[number]) => {
    const values = points.map((p) => p[name]);
    return `${Math.min(...values).toFixed(digits)} to ${Math.max(...values).toFixed(digits)} ${unit}`;
  };
  const told = SCALES.map((s) => `${s.name} ${range(s)}`).join(", ");
  return (
    <figure className="shrink-0">
      <svg
        width={WIDTH}
        height={HEIGHT}
        role="img"
        aria-label={`Drift over frames ${first.frame + 1} to ${last.frame + 1}: ${told}`}
        className="rule border bg-base-200"
      >
        <title>{`Drift over frames ${first.frame + 1} to ${last.frame + 1}: ${told}`}</title>
        <line x1={0} x2={WIDTH} y1={HEIGHT / 2} y2={HEIGHT / 2} className="stroke-base-300" />
        {SCALES.map(({ name, most, dash }) => (
          <polyline
            key={name}
            fill="none"
            strokeWidth={1.5}
            strokeDasharray={dash}
            className="stroke-base-content"
            points={points
              .map((p) => {
                const off = Math.max(-1, Math.min(1, p[name] / most));
                return `${x(p.frame).toFixed(1)},${((HEIGHT / 2) * (1 - off)).toFixed(1)}`;
              })
              .join(" ")}
          />
        ))}
      </svg>
      <figcaption className="faint flex justify-between text-2xs">
        <span>— ±0.4 stop</span>
        <span>- - ±32 mired</span>
      </figcaption>
    </figure>
  );
}
