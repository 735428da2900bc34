import type { Schemas } from "@/api/client";

/** The grey ramp in stops against stops, with the line it should be. */
export function GreyRamp({
  points,
  slope,
}: {
  points: Schemas["RampPoint"][];
  slope: number | null;
}) {
  const all = points.flatMap((p) => [p.reference, p.angle]);
  const low = Math.floor(Math.min(-3, ...all));
  const high = Math.ceil(Math.max(3, ...all));
  const x = (v: number) => 24 + ((v - low) / (high - low)) * 196;
  const y = (v: number) => 104 - ((v - low) / (high - low)) * 96;
  return (
    <figure className="w-60 shrink-0">
      <figcaption className="faint text-2xs">Grey ramp, angle over reference, in stops</figcaption>
      <svg
        viewBox="0 0 232 118"
        className="w-full"
        role="img"
        aria-label="Grey ramp, stops against stops"
      >
        {Array.from({ length: high - low + 1 }, (_, i) => low + i).map((v) => (
          <g key={v} stroke="currentColor" opacity={v === 0 ? 0.35 : 0.12}>
            <path d={`M${x(v)} 8V104M24 ${y(v)}H220`} />
          </g>
        ))}
        <path
          d={`M${x(low)} ${y(low)}L${x(high)} ${y(high)}`}
          stroke="currentColor"
          strokeDasharray="3 3"
          opacity=".7"
        />
        {points.map((p) => (
          <circle key={p.index} cx={x(p.reference)} cy={y(p.angle)} r="3.2" fill="currentColor" />
        ))}
        <text x="24" y="116" fontSize="9" fill="currentColor" opacity=".6">
          {low}
        </text>
        <text x="220" y="116" fontSize="9" textAnchor="end" fill="currentColor" opacity=".6">
          +{high}
        </text>
      </svg>
      {slope !== null && (
        <p className="text-2xs">
          slope <b className="value">{slope.toFixed(3)}</b>
          <span className="faint">
            {" "}
            {Math.abs(slope - 1) <= 0.04
              ? "encodings and levels agree"
              : "encodings, levels or light differ"}
          </span>
        </p>
      )}
    </figure>
  );
}
