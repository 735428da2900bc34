import { type KeyboardEvent, type ReactNode, useRef } from "react";
import { useWheel } from "./useWheel";

/** How far an arrow steps: usual, with Shift, with Ctrl. */
export type StepSizes = readonly [number, number, number];

/** Linear to three tolerance bands, then pressed together up to the end: 4 to 96. */
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

const stepOf = (steps: StepSizes, event: { shiftKey: boolean; ctrlKey: boolean }) =>
  steps[event.ctrlKey ? 2 : event.shiftKey ? 1 : 0];

/**
 * A scale that is turned from where it was taken: a pixel is half an arrow's step, a click turns
 * nothing. Arrows and the wheel step (Shift finer, Ctrl coarser), Enter opens its field, a double
 * click goes back to neutral.
 */
export function Turn({
  label,
  valueText,
  now,
  low,
  high,
  steps,
  title,
  disabled = false,
  className = "",
  onTurn,
  onEnter,
  onNeutral,
  children,
}: {
  label: string;
  valueText?: string;
  now: number;
  low: number;
  high: number;
  steps: StepSizes;
  title: string;
  disabled?: boolean;
  className?: string;
  onTurn: (by: number) => void;
  onEnter?: () => void;
  onNeutral?: () => void;
  children: ReactNode;
}) {
  const at = useRef<number | null>(null);
  const box = useRef<HTMLDivElement>(null);
  useWheel(box, (event) => onTurn(Math.sign(-event.deltaY) * stepOf(steps, event)), disabled);
  const keys = (event: KeyboardEvent) => {
    const move = { ArrowRight: 1, ArrowUp: 1, ArrowLeft: -1, ArrowDown: -1 }[event.key];
    if (event.key === "Enter" && onEnter) {
      event.preventDefault();
      onEnter();
    }
    if (!move || disabled) return;
    event.preventDefault();
    onTurn(move * stepOf(steps, event));
  };
  const letGo = () => {
    at.current = null;
  };
  return (
    <div
      ref={box}
      role="slider"
      tabIndex={0}
      aria-label={label}
      aria-valuenow={now}
      aria-valuemin={low}
      aria-valuemax={high}
      aria-valuetext={valueText}
      aria-disabled={disabled}
      title={title}
      className={`cursor-ew-resize touch-none focus-visible:outline-2 ${className}`}
      onKeyDown={keys}
      onDoubleClick={onNeutral}
      onPointerDown={(event) => {
        if (disabled) return;
        event.currentTarget.setPointerCapture(event.pointerId);
        at.current = event.clientX;
      }}
      onPointerMove={(event) => {
        if (at.current === null || event.clientX === at.current) return;
        onTurn((event.clientX - at.current) * 0.5 * stepOf(steps, event));
        at.current = event.clientX;
      }}
      onPointerUp={letGo}
      onPointerCancel={letGo}
    >
      {children}
    </div>
  );
}
