import type { Tuner } from "@/api/client";

/** Per scale: its name, half range, tolerance, and how a value is written. */
export const SCALES: {
  key: keyof Tuner;
  name: string;
  reach: number;
  tolerance: number;
  write: (v: number) => string;
}[] = [
  {
    key: "exposure",
    name: "Exposure",
    reach: 0.6,
    tolerance: 0.05,
    write: (v) => `${signed(v, 2)} stop`,
  },
  { key: "warmth", name: "Warmth", reach: 60, tolerance: 5, write: (v) => `${signed(v, 0)} mired` },
  { key: "tint", name: "Tint", reach: 8, tolerance: 0.8, write: (v) => `${signed(v, 1)} Duv·10³` },
  {
    key: "contrast",
    name: "Contrast",
    reach: 0.15,
    tolerance: 0.015,
    write: (v) => `slope ${(1 + v).toFixed(3)}`,
  },
  { key: "strength", name: "Strength", reach: 30, tolerance: 3, write: (v) => `${signed(v, 0)} %` },
];

export function signed(value: number, digits: number): string {
  const text = Math.abs(value).toFixed(digits);
  if (Number(text) === 0) return text;
  return `${value < 0 ? "−" : "+"}${text}`;
}

const place = (value: number, reach: number) =>
  50 + (Math.max(-reach, Math.min(reach, value)) / reach) * 46;

/** Five scales with needle, tolerance band, figure and unit. */
export function TunerScales({ tuner }: { tuner: Tuner }) {
  return (
    <div className="grid flex-1 grid-cols-5">
      {SCALES.map(({ key, name, reach, tolerance, write }) => (
        <div key={key} className="rule border-l px-3 py-1.5">
          <div className="flex justify-between">
            <span className="faint">{name}</span>
            <span className="value font-semibold">{write(tuner[key])}</span>
          </div>
          <svg
            viewBox="0 0 100 14"
            className="mt-1 h-4 w-full"
            preserveAspectRatio="none"
            aria-hidden="true"
          >
            <rect
              x={place(-tolerance, reach)}
              y="1"
              width={place(tolerance, reach) - place(-tolerance, reach)}
              height="9"
              fill="currentColor"
              opacity="0.22"
            />
            {Array.from({ length: 9 }, (_, i) => i * 11.5 + 4).map((x) => (
              <path key={x} d={`M${x} 10v3`} stroke="currentColor" strokeWidth=".4" opacity=".5" />
            ))}
            <path d="M50 0v13" stroke="currentColor" strokeWidth=".5" opacity=".8" />
            <rect
              x={place(tuner[key], reach) - 0.7}
              y="1"
              width="1.4"
              height="11"
              fill="currentColor"
            />
          </svg>
        </div>
      ))}
    </div>
  );
}

/** The tuner in miniature: five ticks, each above or below its line by how far it is off. */
export function TunerTicks({ tuner }: { tuner: Tuner }) {
  const words = SCALES.map((s) => `${s.name} ${s.write(tuner[s.key])}`).join(", ");
  return (
    <svg width="64" height="18" viewBox="0 0 64 18" role="img" aria-label={words}>
      <title>{words}</title>
      {SCALES.map(({ key, reach }, i) => {
        const y = 9 - Math.max(-1, Math.min(1, tuner[key] / reach)) * 7;
        return (
          <g key={key} stroke="currentColor">
            <path d={`M${6 + i * 13} 1v16`} opacity=".3" />
            <path d={`M${2.5 + i * 13} 9h7`} opacity=".45" />
            <path d={`M${2 + i * 13} ${y}h8`} strokeWidth="2.4" />
          </g>
        );
      })}
    </svg>
  );
}
