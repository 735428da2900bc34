/** A value that is dragged, stepped by arrows, typed, and returned to neutral by a double click. */
export function Dial({
  label,
  value,
  low,
  high,
  step,
  neutral,
  unit = "",
  digits = 2,
  compact = false,
  onChange,
}: {
  label: string;
  value: number;
  low: number;
  high: number;
  step: number;
  neutral: number;
  unit?: string;
  digits?: number;
  /** In a narrow place: the unit only where one points. */
  compact?: boolean;
  onChange: (value: number) => void;
}) {
  const set = (next: number) => {
    if (Number.isFinite(next)) onChange(Math.min(high, Math.max(low, next)));
  };
  return (
    <div className="flex items-center gap-2">
      <span
        className={`${compact ? "w-16" : "w-32"} shrink-0 truncate`}
        title={unit ? `${label}, ${unit}` : label}
      >
        {label}
      </span>
      <input
        type="range"
        className="range range-xs min-w-0 flex-1"
        aria-label={label}
        min={low}
        max={high}
        step={step}
        value={value}
        onChange={(e) => set(Number(e.target.value))}
        onDoubleClick={() => set(neutral)}
        title="Double click: back to neutral"
      />
      <input
        key={value}
        type="text"
        inputMode="decimal"
        className={`input input-xs value shrink-0 px-1.5 text-right ${compact ? "w-13" : "w-16"}`}
        aria-label={`${label}, value`}
        defaultValue={value.toFixed(digits)}
        onBlur={(e) => {
          const next = Number(e.target.value.replace(",", "."));
          if (next.toFixed(digits) !== value.toFixed(digits)) set(next);
        }}
        onKeyDown={(e) => {
          if (e.key === "Enter") e.currentTarget.blur();
          const move = { ArrowUp: 1, ArrowDown: -1 }[e.key];
          if (move) {
            e.preventDefault();
            set(value + move * step * (e.shiftKey ? 0.2 : 1));
          }
        }}
      />
      {!compact && <span className="faint w-9 shrink-0 text-2xs">{unit}</span>}
    </div>
  );
}
