import { type KeyboardEvent, type PointerEvent, useRef, useState } from "react";
import { decided } from "@/api/decided";

type Point = [number, number];

// Codes of the working log (ACEScct): black of a usual picture to well over white.
const LOW = 0.07;
const HIGH = 0.9;
const GREY = 0.4136;
const STOP = decided.trim.log_of_a_stop;
const SIZE = 200;
const LEAST = 0.01;
const FLATTEST = 1e-3; // beyond the ends: it still rises

const across = (v: number) => ((v - LOW) / (HIGH - LOW)) * SIZE;
const inStops = (code: number) => (code - GREY) / STOP;

/** Monotone and smooth through points, straight beyond: Fritsch and Carlson, as the core draws it. */
export function through(points: readonly Point[], x: number): number {
  const n = points.length;
  if (n < 2) return x;
  const px = points.map((p) => p[0]);
  const py = points.map((p) => p[1]);
  const at = (list: number[], i: number) => list[i] as number;
  const h = px.slice(1).map((v, i) => v - at(px, i));
  const d = h.map((w, i) => (at(py, i + 1) - at(py, i)) / w);
  const end = (h0: number, h1: number, d0: number, d1: number) => {
    const slope = ((2 * h0 + h1) * d0 - h0 * d1) / (h0 + h1);
    if (slope * d0 <= 0) return 0;
    return d0 * d1 <= 0 && Math.abs(slope) > 3 * Math.abs(d0) ? 3 * d0 : slope;
  };
  const slopes = px.map((_, i) => {
    if (n === 2) return at(d, 0);
    if (i === 0) return end(at(h, 0), at(h, 1), at(d, 0), at(d, 1));
    if (i === n - 1) return end(at(h, n - 2), at(h, n - 3), at(d, n - 2), at(d, n - 3));
    const [a, b] = [at(d, i - 1), at(d, i)];
    if (a * b <= 0) return 0;
    const [w1, w2] = [2 * at(h, i) + at(h, i - 1), at(h, i) + 2 * at(h, i - 1)];
    return (w1 + w2) / (w1 / a + w2 / b);
  });
  const last = n - 1;
  if (x <= at(px, 0)) return at(py, 0) + Math.max(at(slopes, 0), FLATTEST) * (x - at(px, 0));
  if (x >= at(px, last))
    return at(py, last) + Math.max(at(slopes, last), FLATTEST) * (x - at(px, last));
  const k = px.findIndex((v, i) => x >= v && x < at(px, i + 1));
  const w = at(h, k);
  const t = (x - at(px, k)) / w;
  const [t2, t3] = [t * t, t * t * t];
  return (
    (2 * t3 - 3 * t2 + 1) * at(py, k) +
    (t3 - 2 * t2 + t) * w * at(slopes, k) +
    (3 * t2 - 2 * t3) * at(py, k + 1) +
    (t3 - t2) * w * at(slopes, k + 1)
  );
}

/** A curve in the working log: points are dragged, typed, added by a click, removed by Delete. */
export function CurveEditor({
  points,
  label,
  onChange,
}: {
  points: readonly Point[];
  label: string;
  onChange: (points: Point[]) => void;
}) {
  const svg = useRef<SVGSVGElement>(null);
  const [chosen, setChosen] = useState<number | null>(null);
  const held = useRef<number | null>(null);
  const place = (event: PointerEvent): Point => {
    const box = svg.current?.getBoundingClientRect();
    if (!box) return [GREY, GREY];
    const x = LOW + ((event.clientX - box.left) / box.width) * (HIGH - LOW);
    const y = HIGH - ((event.clientY - box.top) / box.height) * (HIGH - LOW);
    return [x, y];
  };
  /** Keeps a point between its neighbours, so that the curve rises. */
  const put = (i: number, [x, y]: Point) => {
    const [before, after] = [points[i - 1], points[i + 1]];
    const hold = (v: number, k: 0 | 1) =>
      Math.max((before?.[k] ?? LOW - 0.2) + LEAST, Math.min((after?.[k] ?? HIGH + 0.4) - LEAST, v));
    const next = points.map((p) => [...p] as Point);
    next[i] = [Number(hold(x, 0).toFixed(4)), Number(hold(y, 1).toFixed(4))];
    onChange(next);
  };
  const remove = (i: number) => {
    const left = points.filter((_, k) => k !== i) as Point[];
    onChange(left.length < 2 ? [] : left);
    setChosen(null);
  };
  const begin = (event: PointerEvent) => {
    const [x, y] = place(event);
    const near = points.findIndex(
      (p) => Math.hypot(across(p[0]) - across(x), across(p[1]) - across(y)) < 10,
    );
    event.currentTarget.setPointerCapture(event.pointerId);
    if (near >= 0) {
      held.current = near;
      setChosen(near);
      return;
    }
    // The first click makes the ends too: a curve needs two points, and they stay where they are.
    const base: Point[] = points.length
      ? (points.map((p) => [...p]) as Point[])
      : [
          [0.1, 0.1],
          [0.75, 0.75],
        ];
    const line = Number(through(base, x).toFixed(4));
    const next = [...base, [Number(x.toFixed(4)), line] as Point].sort((a, b) => a[0] - b[0]);
    const i = next.findIndex((p) => p[0] === Number(x.toFixed(4)));
    const ok = next.every((p, k) => k === 0 || p[0] - (next[k - 1] as Point)[0] >= LEAST);
    if (!ok) return;
    held.current = i;
    setChosen(i);
    onChange(next);
  };
  const keys = (event: KeyboardEvent) => {
    if (chosen === null) return;
    const p = points[chosen];
    if (!p) return;
    const step = event.shiftKey ? 0.001 : 0.005;
    const move = {
      ArrowUp: [0, step],
      ArrowDown: [0, -step],
      ArrowLeft: [-step, 0],
      ArrowRight: [step, 0],
    }[event.key] as Point | undefined;
    if (move) {
      event.preventDefault();
      put(chosen, [p[0] + move[0], p[1] + move[1]]);
    }
    if (event.key === "Delete" || event.key === "Backspace") {
      event.preventDefault();
      remove(chosen);
    }
  };
  const line = Array.from({ length: 81 }, (_, i) => {
    const x = LOW + (i / 80) * (HIGH - LOW);
    return `${across(x).toFixed(1)},${(SIZE - across(through(points, x))).toFixed(1)}`;
  }).join(" ");
  const now = chosen === null ? undefined : points[chosen];
  return (
    <div className="flex gap-3">
      <svg
        ref={svg}
        viewBox={`0 0 ${SIZE} ${SIZE}`}
        className="aspect-square h-40 shrink-0 touch-none bg-black"
        role="application"
        aria-label={`${label}: click adds a point, drag moves it, arrows step, Delete removes`}
        // biome-ignore lint/a11y/noNoninteractiveTabindex: points are moved by keys
        tabIndex={0}
        onKeyDown={keys}
        onPointerDown={begin}
        onPointerMove={(event) => {
          if (held.current !== null && points[held.current]) put(held.current, place(event));
        }}
        onPointerUp={() => {
          held.current = null;
        }}
      >
        {[-4, -2, 0, 2, 4].map((s) => {
          const v = across(GREY + s * STOP);
          return (
            <g key={s} stroke="#fff" strokeWidth={s ? 0.4 : 0.9} opacity=".3">
              <path d={`M${v} 0V${SIZE}`} />
              <path d={`M0 ${SIZE - v}H${SIZE}`} />
            </g>
          );
        })}
        <path d={`M0 ${SIZE}L${SIZE} 0`} stroke="#fff" strokeWidth=".5" opacity=".35" />
        <polyline points={line} fill="none" stroke="#fff" strokeWidth="1.4" />
        {points.map((p, i) => (
          <circle
            key={`${p[0]}`}
            cx={across(p[0])}
            cy={SIZE - across(p[1])}
            r="4"
            fill={i === chosen ? "#fff" : "#000"}
            stroke="#fff"
            strokeWidth="1.4"
          />
        ))}
      </svg>
      <div className="min-w-0 text-2xs">
        <p className="faint">Working log; lines every two stops about middle grey.</p>
        {now && chosen !== null ? (
          <div className="mt-1 flex flex-col gap-1">
            {(["from", "to"] as const).map((name, k) => (
              <label key={name} className="flex items-center gap-1">
                <span className="w-9">{name}</span>
                <input
                  key={now[k]}
                  className="input input-xs value w-16 px-1 text-right"
                  aria-label={`Point ${chosen + 1}, ${name}, stops about middle grey`}
                  defaultValue={inStops(now[k] as number).toFixed(2)}
                  onKeyDown={(e) => e.key === "Enter" && e.currentTarget.blur()}
                  onBlur={(e) => {
                    const typed = Number(e.target.value.replace(",", "."));
                    const isWrong = e.target.value.trim() === "" || !Number.isFinite(typed);
                    e.target.setCustomValidity(isWrong ? `“${e.target.value}” is no number` : "");
                    if (!e.target.reportValidity()) return;
                    const next: Point = [...now];
                    next[k as 0 | 1] = GREY + typed * STOP;
                    put(chosen, next);
                  }}
                />
                <span className="faint">stops</span>
              </label>
            ))}
            <button type="button" className="btn btn-xs" onClick={() => remove(chosen)}>
              Remove the point
            </button>
          </div>
        ) : (
          <p className="mt-1">Click to add a point.</p>
        )}
      </div>
    </div>
  );
}
