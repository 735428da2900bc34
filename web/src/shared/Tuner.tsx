import type { Tuner } from "@/api/client";
import { decided } from "@/api/decided";

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
    tolerance: decided.tuner.exposure.tolerance,
    write: (v) => `${signed(v, 2)} stop`,
  },
  {
    key: "warmth",
    name: "Warmth",
    reach: 60,
    tolerance: decided.tuner.warmth.tolerance,
    write: (v) => `${signed(v, 0)} mired`,
  },
  {
    key: "tint",
    name: "Tint",
    reach: 8,
    tolerance: decided.tuner.tint.tolerance,
    write: (v) => `${signed(v, 1)} Duv·10³`,
  },
  {
    key: "contrast",
    name: "Contrast",
    reach: 0.15,
    tolerance: decided.tuner.contrast.tolerance,
    write: (v) => `slope ${(1 + v).toFixed(3)}`,
  },
  {
    key: "strength",
    name: "Strength",
    reach: 30,
    tolerance: decided.tuner.strength.tolerance,
    write: (v) => `${signed(v, 0)} %`,
  },
];

export function signed(value: number, digits: number): string {
  const text = Math.abs(value).toFixed(digits);
  if (Number(text) === 0) return text;
  return `${value < 0 ? "−" : "+"}${text}`;
}

/**
 * The tuner in miniature: five ticks, each above or below its line by how far it is off, or off
 * its aim where it has one.
 */
export function TunerTicks({ tuner, aim = null }: { tuner: Tuner; aim?: Tuner | null }) {
  const aimed = (key: keyof Tuner, write: (v: number) => string) =>
    aim?.[key] ? ` (aim ${write(aim[key])})` : "";
  const words = SCALES.map(
    (s) => `${s.name} ${s.write(tuner[s.key])}${aimed(s.key, s.write)}`,
  ).join(", ");
  return (
    <svg width="64" height="18" viewBox="0 0 64 18" role="img" aria-label={words}>
      <title>{words}</title>
      {SCALES.map(({ key, reach }, i) => {
        const y = 9 - Math.max(-1, Math.min(1, (tuner[key] - (aim?.[key] ?? 0)) / reach)) * 7;
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
