/** One curve in a small frame: exact greys, ticks where they help, nothing to touch. */
export function Plot({
  points,
  x,
  y,
  label,
  marks = [],
}: {
  points: readonly (readonly [number, number])[];
  x: { low: number; high: number; ticks: readonly number[]; unit: string };
  y: { low: number; high: number; ticks: readonly number[]; unit: string };
  label: string;
  /** Points that are named, such as middle grey. */
  marks?: readonly { at: readonly [number, number]; text: string }[];
}) {
  const [width, height, left, bottom] = [360, 168, 34, 18];
  const px = (v: number) => left + ((v - x.low) / (x.high - x.low)) * (width - left - 6);
  const py = (v: number) => 6 + (1 - (v - y.low) / (y.high - y.low)) * (height - bottom - 6);
  const inside = points.filter(([a, b]) => a >= x.low && a <= x.high && b >= y.low && b <= y.high);
  return (
    <svg viewBox={`0 0 ${width} ${height}`} className="w-full bg-base-200" role="img">
      <title>{label}</title>
      {x.ticks.map((t) => (
        <g key={`x${t}`}>
          <line x1={px(t)} x2={px(t)} y1={6} y2={height - bottom} stroke="#3a3a3a" />
          <text x={px(t)} y={height - 5} fontSize="9" fill="#8c8c8c" textAnchor="middle">
            {t}
          </text>
        </g>
      ))}
      {y.ticks.map((t) => (
        <g key={`y${t}`}>
          <line x1={left} x2={width - 6} y1={py(t)} y2={py(t)} stroke="#3a3a3a" />
          <text x={left - 4} y={py(t) + 3} fontSize="9" fill="#8c8c8c" textAnchor="end">
            {t}
          </text>
        </g>
      ))}
      <text x={width - 8} y={height - bottom - 4} fontSize="9" fill="#8c8c8c" textAnchor="end">
        {x.unit}
      </text>
      <text x={left + 4} y={15} fontSize="9" fill="#8c8c8c">
        {y.unit}
      </text>
      <polyline
        fill="none"
        stroke="#dedede"
        strokeWidth="1.5"
        points={inside.map(([a, b]) => `${px(a).toFixed(1)},${py(b).toFixed(1)}`).join(" ")}
      />
      {marks.map(({ at, text }) => (
        <g key={text}>
          <circle cx={px(at[0])} cy={py(at[1])} r="3" fill="none" stroke="#f2f2f2" />
          <text x={px(at[0]) + 6} y={py(at[1]) + 10} fontSize="9" fill="#bdbdbd">
            {text}
          </text>
        </g>
      ))}
    </svg>
  );
}
