import type { StepSizes } from "@/shared/Turn";

/** A number that is typed or stepped. */
export function Figure({
  label,
  value,
  low,
  high,
  digits,
  step,
  onChange,
}: {
  label: string;
  value: number;
  low: number;
  high: number;
  digits: number;
  step: number;
  reach?: readonly [number, number];
  tolerance?: number;
  steps?: StepSizes;
  onChange: (value: number) => void;
}) {
  const to = (v: number) => onChange(Number(Math.max(low, Math.min(high, v)).toFixed(6)));
  return (
    <input
      key={value}
      className="input input-xs value w-full min-w-11 px-1 text-right"
      aria-label={label}
      title={`${label}: ${low} to ${high}`}
      defaultValue={value.toFixed(digits)}
      onKeyDown={(e) => {
        if (e.key === "Enter") e.currentTarget.blur();
        const move = { ArrowUp: 1, ArrowDown: -1 }[e.key];
        if (!move) return;
        e.preventDefault();
        to(value + move * step * (e.shiftKey ? 0.2 : 1));
      }}
      onBlur={(e) => {
        const typed = Number(e.target.value.trim().replace(",", "."));
        const isWrong = e.target.value.trim() === "" || !Number.isFinite(typed);
        e.target.setCustomValidity(isWrong ? `“${e.target.value}” is no number` : "");
        if (!e.target.reportValidity()) return;
        if (typed.toFixed(digits) !== value.toFixed(digits)) to(typed);
      }}
    />
  );
}
