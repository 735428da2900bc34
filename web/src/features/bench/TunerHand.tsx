import { type KeyboardEvent, type PointerEvent, useEffect, useRef, useState } from "react";
import type { Tuner } from "@/api/client";
import { SCALES, signed } from "@/shared/Tuner";
import {
  full,
  NEUTRAL,
  REACH,
  type Scale,
  scalesOf,
  standing,
  type TrimStage,
  takenOff,
  turned,
} from "./trimParts";
import type { TrimUnderHand } from "./useTrim";

/** Linear to three tolerance bands, then pressed together up to the end of the scale. */
export function placeOn(value: number, tolerance: number, most: number): number {
  const near = 3 * tolerance;
  const size = Math.abs(value);
  const far = Math.max(0, Math.min(size, most) - near);
  const share =
    size <= near
      ? (30 * size) / near
      : 30 + (16 * Math.log1p(far / near)) / Math.log1p((most - near) / near);
  return 50 + Math.sign(value) * share;
}

/** What a step of a key or of the wheel is. */
function stepOf(scale: Scale, event: { shiftKey: boolean; ctrlKey: boolean }): number {
  const [usual, fine, coarse] = REACH[scale].steps;
  return event.ctrlKey ? coarse : event.shiftKey ? fine : usual;
}

/**
 * The tuner under the hand: how far the picture on screen is off, and where it is put right. A
 * needle is dragged from where it was taken; under the hand it stands at the last measurement plus
 * what was turned since, at rest it is measured again.
 */
export function TunerHand({
  measured,
  measuredAt,
  isFresh,
  trim,
  disabled,
}: {
  /** The last measurement; null where nothing can be read. */
  measured: Tuner | null;
  /** The trim that it was made under. */
  measuredAt: TrimStage;
  isFresh: boolean;
  trim: TrimUnderHand;
  disabled: boolean;
}) {
  const shown = measured ? standing(measured, measuredAt, trim.now) : null;
  const own = scalesOf(trim.now);
  const set = (next: TrimStage) => {
    if (!disabled) trim.set(next);
  };
  return (
    <div className="grid min-w-0 flex-1 grid-cols-5">
      {SCALES.map((scale) => (
        <OneScale
          key={scale.key}
          scale={scale.key}
          name={scale.name}
          tolerance={scale.tolerance}
          write={scale.write}
          value={shown?.[scale.key] ?? null}
          own={own[scale.key]}
          isFresh={isFresh}
          disabled={disabled}
          onTurn={(by) => set(turned(trim.now, scale.key, by, shown?.[scale.key] ?? 0))}
          onTakeOff={() => shown && set(takenOff(trim.now, shown, [scale.key]))}
          onReset={() => {
            const { cdl } = full(trim.now);
            const back: Record<Scale, Partial<TrimStage>> = {
              exposure: { stops: 0 },
              warmth: { warmth: 0 },
              tint: { tint: 0 },
              contrast: { contrast: 1 },
              strength: { cdl: { ...cdl, saturation: NEUTRAL.cdl.saturation } },
            };
            set({ ...trim.now, ...back[scale.key] });
          }}
          where={trim.where}
        />
      ))}
    </div>
  );
}

function OneScale({
  scale,
  name,
  tolerance,
  write,
  value,
  own,
  isFresh,
  disabled,
  onTurn,
  onTakeOff,
  onReset,
  where,
}: {
  scale: Scale;
  name: string;
  tolerance: number;
  write: (v: number) => string;
  value: number | null;
  own: number;
  isFresh: boolean;
  disabled: boolean;
  onTurn: (by: number) => void;
  onTakeOff: () => void;
  onReset: () => void;
  where: string;
}) {
  const { most } = REACH[scale];
  const at = useRef<number | null>(null);
  const box = useRef<HTMLDivElement>(null);
  const [typing, setTyping] = useState(false);
  const isOn = value !== null && Math.abs(value) <= tolerance;
  const turn = useRef(onTurn);
  turn.current = onTurn;
  // React listens to wheels passively: it could not keep the page still.
  useEffect(() => {
    const node = box.current;
    if (!node || disabled) return;
    const wheel = (event: WheelEvent) => {
      event.preventDefault();
      turn.current(Math.sign(-event.deltaY) * stepOf(scale, event));
    };
    node.addEventListener("wheel", wheel, { passive: false });
    return () => node.removeEventListener("wheel", wheel);
  }, [scale, disabled]);
  const keys = (event: KeyboardEvent) => {
    const move = { ArrowRight: 1, ArrowUp: 1, ArrowLeft: -1, ArrowDown: -1 }[event.key];
    if (event.key === "Enter") {
      event.preventDefault();
      setTyping(true);
    }
    if (!move || disabled) return;
    event.preventDefault();
    onTurn(move * stepOf(scale, event));
  };
  const drag = (event: PointerEvent) => {
    if (at.current === null || event.clientX === at.current) return;
    // A pixel is half an arrow's step, from where the needle was taken.
    onTurn((event.clientX - at.current) * 0.5 * stepOf(scale, event));
    at.current = event.clientX;
  };
  const needle = placeOn(value ?? own, tolerance, most);
  return (
    <div className="rule min-w-0 border-l px-2 py-1">
      <div className="flex items-baseline justify-between gap-1">
        <span className="faint truncate">{name}</span>
        <span className={`value font-semibold ${isFresh ? "" : "opacity-50"}`}>
          {value === null ? "–" : write(value)}
        </span>
      </div>
      <div
        ref={box}
        role="slider"
        tabIndex={0}
        aria-label={`${name} of ${where}`}
        aria-valuenow={value ?? own}
        aria-valuemin={-most}
        aria-valuemax={most}
        aria-valuetext={`${value === null ? "not measured" : write(value)}, trim ${write(own)}`}
        aria-disabled={disabled}
        title={`Drag the needle, turn the wheel or use arrows (Shift finer, Ctrl coarser); Enter types. It turns ${where}.`}
        className="mt-0.5 cursor-ew-resize touch-none focus-visible:outline-2"
        onKeyDown={keys}
        onPointerDown={(event) => {
          if (disabled) return;
          event.currentTarget.setPointerCapture(event.pointerId);
          at.current = event.clientX;
        }}
        onPointerMove={drag}
        onPointerUp={() => {
          at.current = null;
        }}
        onPointerCancel={() => {
          at.current = null;
        }}
      >
        <svg
          viewBox="0 0 100 14"
          className="h-4 w-full"
          preserveAspectRatio="none"
          aria-hidden="true"
        >
          <rect x="40" y="1" width="20" height="9" fill="currentColor" opacity="0.22" />
          {[4, 20, 40, 60, 80, 96].map((x) => (
            <path key={x} d={`M${x} 10v3`} stroke="currentColor" strokeWidth=".4" opacity=".5" />
          ))}
          <path d="M50 0v13" stroke="currentColor" strokeWidth=".5" opacity=".8" />
          <rect
            x={needle - 0.9}
            y="1"
            width="1.8"
            height="11"
            fill={value === null ? "none" : "currentColor"}
            stroke="currentColor"
            strokeWidth={value === null ? 0.5 : 0}
            opacity={isFresh ? 1 : 0.5}
          />
        </svg>
      </div>
      <div className="flex items-center gap-1 text-2xs">
        {typing ? (
          <input
            // biome-ignore lint/a11y/noAutofocus: Enter on the scale asked for it
            autoFocus
            className="input input-xs value h-5 w-16 px-1 text-right"
            aria-label={`Trim of ${name.toLowerCase()}, value`}
            defaultValue={scale === "contrast" ? (1 + own).toFixed(3) : own.toFixed(2)}
            onFocus={(e) => e.target.select()}
            onKeyDown={(e) => {
              if (e.key !== "Escape" && e.key !== "Enter") return;
              if (e.key === "Enter") e.currentTarget.blur();
              else setTyping(false);
              box.current?.focus();
            }}
            onBlur={(e) => {
              const typed = Number(e.target.value.replace(",", "."));
              const isWrong = e.target.value.trim() === "" || !Number.isFinite(typed);
              e.target.setCustomValidity(isWrong ? `“${e.target.value}” is no number` : "");
              if (!e.target.reportValidity()) return;
              setTyping(false);
              const next = scale === "contrast" ? typed - 1 : typed;
              if (scale === "contrast") onTurn((next - own) * ((1 + (value ?? 0)) / (1 + own)));
              else if (scale === "strength")
                onTurn((next - own) * ((100 + (value ?? 0)) / (100 + own)));
              else onTurn(next - own);
            }}
          />
        ) : (
          <button
            type="button"
            className="faint value truncate text-left"
            title="What the trim has: double click takes it back, Enter on the scale types"
            onDoubleClick={onReset}
          >
            trim {scale === "contrast" ? (1 + own).toFixed(3) : signed(own, DIGITS[scale])}
          </button>
        )}
        {value !== null && !isOn && (
          <button
            type="button"
            className="btn btn-xs ml-auto h-5 min-h-0 px-1.5"
            disabled={disabled}
            aria-label={`Take off ${name.toLowerCase()}`}
            title={`Take ${write(value)} off ${where}`}
            onClick={onTakeOff}
          >
            → 0
          </button>
        )}
      </div>
    </div>
  );
}

const DIGITS: Record<Scale, number> = { exposure: 2, warmth: 0, tint: 1, contrast: 3, strength: 0 };

/** What all needles together have to be turned: one key does it. */
export const allOff = (trim: TrimUnderHand, shown: Tuner | null): TrimStage | null =>
  shown ? takenOff(trim.now, shown, SCALES.map((s) => s.key) as Scale[]) : null;
