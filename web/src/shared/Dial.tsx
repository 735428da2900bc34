import { useRef, useState } from "react";
import { placeOn, type StepSizes, Turn } from "./Turn";

const FINE = 0.2; // of a step, with Shift

/** A value that is dragged, stepped by arrows, typed, and returned to neutral by a double click. */
export function Dial({
  label,
  value,
  low,
  high,
  reach = [low, high],
  step,
  neutral,
  unit = "",
  digits = 2,
  compact = false,
  tolerance,
  steps,
  onChange,
}: {
  label: string;
  value: number;
  low: number;
  high: number;
  /** Where the dial ends, if not where the value does: beyond it is typed. */
  reach?: readonly [number, number];
  step: number;
  neutral: number;
  unit?: string;
  digits?: number;
  /** In a narrow place: the unit only where one points. */
  compact?: boolean;
  /** Where it is given the scale is linear to three times that, and pressed together beyond. */
  tolerance?: number;
  /** How far keys, the wheel and a dragged pixel turn it, where that is not by one step. */
  steps?: StepSizes;
  onChange: (value: number) => void;
}) {
  const [wrong, setWrong] = useState("");
  const field = useRef<HTMLInputElement>(null);
  const [begin, end] = reach;
  // A value that is neutral in the middle is filled from there.
  const place = (v: number) =>
    tolerance === undefined
      ? (100 * (Math.min(end, Math.max(begin, v)) - begin)) / (end - begin)
      : placeOn(v - neutral, tolerance, v < neutral ? neutral - begin : end - neutral);
  const isCentred = neutral > begin && neutral < end;
  const [from, to] = [place(neutral), place(value)].sort((a, b) => a - b) as [number, number];
  const set = (next: number) => {
    // Steps add up: without the last digits of their sums.
    if (Number.isFinite(next))
      onChange(Number(Math.min(high, Math.max(low, next)).toFixed(digits + 3)));
  };
  return (
    <div className="flex flex-wrap items-center gap-x-2">
      <span
        className={`${compact ? "w-16" : "w-32"} shrink-0 truncate`}
        title={unit ? `${label}, ${unit}` : label}
      >
        {label}
      </span>
      <span className="relative flex min-w-0 flex-1 items-center">
        {isCentred && (
          <span
            aria-hidden="true"
            className="pointer-events-none absolute h-[3px] bg-base-content/70"
            style={{ left: `${from}%`, width: `${to - from}%` }}
          />
        )}
        {tolerance !== undefined && steps ? (
          <Turn
            label={label}
            now={value}
            valueText={`${value.toFixed(digits)} ${unit}`}
            low={low}
            high={high}
            steps={steps}
            title="Drag, turn the wheel or use arrows (Shift finer, Ctrl coarser); double click: back to neutral"
            className="flex h-5 w-full items-center"
            onTurn={(by) => set(value + by)}
            onEnter={() => field.current?.select()}
            onNeutral={() => set(neutral)}
          >
            <span aria-hidden="true" className="relative h-[3px] w-full bg-base-content/25">
              <span
                className="absolute -top-1.5 h-4 w-1.5 -translate-x-1/2 rounded-sm bg-base-content"
                style={{ left: `${place(value)}%` }}
              />
            </span>
          </Turn>
        ) : (
          <input
            type="range"
            className={`range range-xs w-full min-w-0 ${isCentred ? "[--range-fill:0]" : ""}`}
            aria-label={label}
            min={begin}
            max={end}
            step={step}
            value={Math.min(end, Math.max(begin, value))}
            onChange={(e) => set(Number(e.target.value))}
            onDoubleClick={() => set(neutral)}
            onKeyDown={(e) => {
              const move = { ArrowUp: 1, ArrowRight: 1, ArrowDown: -1, ArrowLeft: -1 }[e.key];
              if (!move || !e.shiftKey) return;
              e.preventDefault();
              set(value + move * step * FINE);
            }}
            title="Double click: back to neutral; arrows with Shift step finer"
          />
        )}
      </span>
      <input
        key={value}
        ref={field}
        type="text"
        inputMode="decimal"
        className={`input input-xs value shrink-0 px-1.5 text-right ${compact ? "w-13" : "w-16"}`}
        aria-label={`${label}, value`}
        aria-invalid={wrong !== ""}
        title={wrong || undefined}
        defaultValue={value.toFixed(digits)}
        onBlur={(e) => {
          const typed = e.target.value.trim().replace(",", ".");
          const next = Number(typed);
          if (typed === "" || !Number.isFinite(next)) {
            setWrong(`“${e.target.value}” is not a number. Give ${low} to ${high}.`);
            return;
          }
          setWrong(next < low || next > high ? `${typed} is beyond ${low} to ${high}.` : "");
          if (next.toFixed(digits) !== value.toFixed(digits)) set(next);
          else e.target.value = value.toFixed(digits);
        }}
        onKeyDown={(e) => {
          if (e.key === "Enter") e.currentTarget.blur();
          const move = { ArrowUp: 1, ArrowDown: -1 }[e.key];
          if (move) {
            e.preventDefault();
            set(
              value + move * (steps ? steps[e.shiftKey ? 1 : 0] : step * (e.shiftKey ? FINE : 1)),
            );
          }
        }}
      />
      {!compact && <span className="faint w-9 shrink-0 text-2xs">{unit}</span>}
      {wrong && (
        <span role="alert" className="basis-full text-right text-2xs text-error">
          {wrong}
        </span>
      )}
    </div>
  );
}
