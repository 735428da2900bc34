import { useId, useRef, useState } from "react";
import type { Schemas, Tuner } from "@/api/client";
import { SCALES, signed } from "@/shared/Tuner";
import { placeOn, Turn } from "@/shared/Turn";
import {
  full,
  NEUTRAL,
  REACH,
  type Scale,
  scalesOf,
  standing,
  type TrimStage,
  type Turning,
  takenOff,
  turned,
} from "./trimParts";
import type { TrimUnderHand } from "./useTrim";

/**
 * The tuner under the hand: how far the picture on screen is off, and where it is put right. A
 * needle is dragged from where it was taken; under the hand it stands at the last measurement plus
 * what was turned since, at rest it is measured again.
 */
export function TunerHand({
  measured,
  measuredAt,
  turn = null,
  expected = null,
  aim,
  isFresh,
  trim,
  disabled,
}: {
  /** The last measurement; null where nothing can be read. */
  measured: Tuner | null;
  /** The trim that it was made under. */
  measuredAt: TrimStage;
  /** How far it has to be turned to where the needles should stand. */
  turn?: Schemas["TurnOut"] | null;
  /** Where the needles were expected before the last measurement. */
  expected?: Tuner | null;
  /** Where they should stand on purpose: the middle of the band. */
  aim: Tuner;
  isFresh: boolean;
  trim: TrimUnderHand;
  disabled: boolean;
}) {
  const shown = measured ? standing(measured, measuredAt, trim.now) : null;
  const own = scalesOf(trim.now);
  const known = turn && { at: measuredAt, turn };
  const set = (next: TrimStage) => {
    if (!disabled) trim.set(next);
  };
  return (
    <div className="grid min-w-0 grid-cols-5">
      {SCALES.map((scale) => (
        <OneScale
          key={scale.key}
          scale={scale.key}
          name={scale.name}
          tolerance={scale.tolerance}
          write={scale.write}
          value={shown?.[scale.key] ?? null}
          own={own[scale.key]}
          aim={aim[scale.key]}
          expected={isFresh ? (expected?.[scale.key] ?? null) : null}
          isFresh={isFresh}
          disabled={disabled}
          onTurn={(by) => set(turned(trim.now, scale.key, by, shown?.[scale.key] ?? 0))}
          onTakeOff={() => shown && set(takenOff(trim.now, shown, [scale.key], aim, known))}
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
  aim,
  expected,
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
  aim: number;
  expected: number | null;
  isFresh: boolean;
  disabled: boolean;
  onTurn: (by: number) => void;
  onTakeOff: () => void;
  onReset: () => void;
  where: string;
}) {
  const { most, steps } = REACH[scale];
  const hatch = useId();
  const field = useRef<HTMLDivElement>(null);
  const [typing, setTyping] = useState(false);
  const isOn = value !== null && Math.abs(value - aim) <= tolerance;
  const place = (v: number) => placeOn(v, tolerance, most);
  const needle = place(value ?? own);
  const band = [place(aim - tolerance), place(aim + tolerance)] as const;
  const isOther =
    expected !== null && value !== null && Math.abs(value - expected) > 0.5 * tolerance;
  const fill = value === null ? "none" : isFresh ? "currentColor" : `url(#${hatch})`;
  return (
    <div ref={field} className="rule min-w-0 border-l px-2 py-1">
      <div className="flex items-baseline justify-between gap-1">
        <span className="faint truncate">{name}</span>
        <span className={`value font-semibold ${isFresh ? "" : "opacity-60"}`}>
          {value === null ? "–" : write(value)}
        </span>
      </div>
      <Turn
        label={`${name} of ${where}`}
        valueText={`${value === null ? "not measured" : write(value)}, trim ${write(own)}${aim ? `, aim ${write(aim)}` : ""}`}
        now={value ?? own}
        low={-most}
        high={most}
        steps={steps}
        disabled={disabled}
        className="mt-0.5"
        title={`Drag the needle, turn the wheel or use arrows (Shift finer, Ctrl coarser); Enter types. It turns ${where}.${isOther ? ` It was expected at ${write(expected)}.` : ""}`}
        onTurn={onTurn}
        onEnter={() => setTyping(true)}
      >
        <svg
          viewBox="0 0 100 14"
          className="h-4 w-full"
          preserveAspectRatio="none"
          aria-hidden="true"
        >
          <pattern id={hatch} width="1" height="2.4" patternUnits="userSpaceOnUse">
            <path d="M0 .6h1" stroke="currentColor" strokeWidth="1.2" />
          </pattern>
          <rect
            x={band[0]}
            y="1"
            width={band[1] - band[0]}
            height="9"
            fill="currentColor"
            opacity="0.22"
          />
          {[4, 20, 40, 60, 80, 96].map((x) => (
            <path key={x} d={`M${x} 10v3`} stroke="currentColor" strokeWidth=".4" opacity=".5" />
          ))}
          <path d="M50 0v13" stroke="currentColor" strokeWidth=".5" opacity=".8" />
          {isOther && (
            <path
              d={`M${place(expected)} 1v4m0 2v4`}
              stroke="currentColor"
              strokeWidth=".7"
              opacity=".8"
            />
          )}
          <rect
            x={needle - 0.9}
            y="1"
            width="1.8"
            height="11"
            fill={fill}
            stroke="currentColor"
            strokeWidth={value === null || !isFresh ? 0.4 : 0}
          />
        </svg>
      </Turn>
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
              field.current?.querySelector<HTMLElement>("[role=slider]")?.focus();
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
            title={
              aim ? `To the aim of ${write(aim)}, by ${where}` : `Take ${write(value)} off ${where}`
            }
            onClick={onTakeOff}
          >
            → {aim ? "aim" : "0"}
          </button>
        )}
      </div>
    </div>
  );
}

const DIGITS: Record<Scale, number> = { exposure: 2, warmth: 0, tint: 1, contrast: 3, strength: 0 };

/** What all needles together have to be turned: one key does it. */
export const allOff = (
  trim: TrimUnderHand,
  shown: Tuner | null,
  aim: Tuner,
  known: Turning | null,
): TrimStage | null =>
  shown ? takenOff(trim.now, shown, SCALES.map((s) => s.key) as Scale[], aim, known) : null;
