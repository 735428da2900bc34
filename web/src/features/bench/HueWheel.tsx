import { type PointerEvent, useRef } from "react";
import type { Schemas } from "@/api/client";
import { decided } from "@/api/decided";
import type { Full } from "./trimParts";

type Hue = Full["hues"][number];

export const HUE_NAMES = decided.trim.hues;
const R = 62;
const { "hues.turn": TURN, "hues.saturation": CHROMA } = decided.trim.controls;
// What a neighbour may be apart: beyond, hues would change their order.
const BETWEEN = decided.trim.most_between;

/** How far a band may be turned beside its neighbours. */
export function turnsOf(hues: readonly Hue[], i: number): { low: number; high: number } {
  const beside = [hues[(i + 1) % 6], hues[(i + 5) % 6]].map((h) => h?.turn ?? 0);
  return {
    low: Math.max(TURN.low, ...beside.map((t) => t - BETWEEN)),
    high: Math.min(TURN.high, ...beside.map((t) => t + BETWEEN)),
  };
}

/** Puts one band, held within what its neighbours allow. */
export function withHue(hues: readonly Hue[], i: number, changes: Partial<Hue>): Hue[] {
  const next = hues.map((hue) => ({ ...hue }));
  const now = { ...(next[i] as Hue), ...changes };
  const { low, high } = turnsOf(hues, i);
  now.turn = Math.max(low, Math.min(high, now.turn));
  now.saturation = Math.max(CHROMA.low, Math.min(CHROMA.high, now.saturation));
  next[i] = now;
  return next;
}

/** Six bands as vectors on the plane of hue and chroma: drag the tip to turn and to saturate. */
export function HueWheel({
  hues,
  chosen,
  colours = null,
  onChoose,
  onChange,
}: {
  hues: readonly Hue[];
  chosen: number;
  /** Colours of both pictures on the same plane. */
  colours?: Schemas["HuesOut"] | null;
  onChoose: (i: number) => void;
  onChange: (hues: Hue[]) => void;
}) {
  const svg = useRef<SVGSVGElement>(null);
  const held = useRef<number | null>(null);
  const tip = (i: number, hue: Hue) => {
    const { turn, saturation } = hue;
    const a = ((60 * i + turn) * Math.PI) / 180;
    return [100 + R * saturation * Math.cos(a), 100 - R * saturation * Math.sin(a)] as const;
  };
  const drag = (event: PointerEvent) => {
    const i = held.current;
    const box = svg.current?.getBoundingClientRect();
    if (i === null || !box) return;
    const x = ((event.clientX - box.left) / box.width) * 200 - 100;
    const y = 100 - ((event.clientY - box.top) / box.height) * 200;
    const degrees = (Math.atan2(y, x) * 180) / Math.PI - 60 * i;
    onChange(
      withHue(hues, i, {
        turn: Number((((degrees + 540) % 360) - 180).toFixed(1)),
        saturation: Number((Math.hypot(x, y) / R).toFixed(3)),
      }),
    );
  };
  return (
    <svg
      ref={svg}
      viewBox="0 0 200 200"
      className="h-36 shrink-0 touch-none bg-black"
      role="img"
      aria-label="Hues: drag the tip of a band; numbers beside it"
      onPointerMove={drag}
      onPointerUp={() => {
        held.current = null;
      }}
    >
      {colours && <Colours {...colours} />}
      <circle cx="100" cy="100" r={R} fill="none" stroke="#fff" strokeWidth=".5" opacity=".4" />
      {hues.map((hue, i) => {
        const [x, y] = tip(i, hue);
        const [x0, y0] = tip(i, { turn: 0, saturation: 1, stops: 0 });
        const name = HUE_NAMES[i] as string;
        return (
          <g
            key={name}
            className="cursor-grab"
            onPointerDown={(event) => {
              svg.current?.setPointerCapture(event.pointerId);
              held.current = i;
              onChoose(i);
            }}
          >
            <path d={`M100 100L${x0} ${y0}`} stroke="#fff" strokeWidth=".5" opacity=".35" />
            <path d={`M${x0} ${y0}L${x} ${y}`} stroke="#fff" strokeWidth="1.4" />
            <circle
              cx={x}
              cy={y}
              r="7"
              fill={`oklch(0.7 0.14 ${(29 + 60 * i) % 360})`}
              stroke="#fff"
              strokeWidth={i === chosen ? 2.5 : 0.8}
            />
            <text
              x={100 + (R + 26) * Math.cos((60 * i * Math.PI) / 180)}
              y={103 - (R + 26) * Math.sin((60 * i * Math.PI) / 180)}
              fontSize="10"
              fill="#fff"
              opacity=".7"
              textAnchor="middle"
            >
              {name}
            </text>
          </g>
        );
      })}
    </svg>
  );
}

const FULL = 0.2; // chroma of the working log that lies on the ring of a factor of 1

/** The reference's colours as rings, the angle's as dots, so that one is turned onto the other. */
function Colours({ reference, angle }: Schemas["HuesOut"]) {
  const at = ([u, v]: [number, number]) =>
    [100 + (R * u) / FULL, 100 - (R * v) / FULL].map((c) => c.toFixed(1)).join(" ");
  const dots = (points: [number, number][]) =>
    points
      .filter(([u, v]) => Math.hypot(u, v) > 0.008)
      .map((p) => `M${at(p)}h0`)
      .join("");
  return (
    <g fill="none" strokeLinecap="round" className="pointer-events-none">
      <path d={dots(reference)} stroke="#fff" strokeWidth="3.4" opacity=".55" />
      <path d={dots(reference)} stroke="#000" strokeWidth="2" />
      <path d={dots(angle)} stroke="#bbb" strokeWidth="1.3" opacity=".8" />
    </g>
  );
}
