import { type KeyboardEvent, type PointerEvent, useRef, useState } from "react";
import type { Area } from "./fitChoice";

type Drawn = { number: number; area: Area };

const [STEP, FINE, HALF] = [0.02, 0.004, 0.025]; // of a picture

/** Areas marked in a picture, numbered as their pairs; dragging, or Enter, marks one more. */
export function AreaOverlay({
  clip,
  areas,
  isDrawing,
  zoom,
  onArea,
  name,
}: {
  clip: { id: number; width: number; height: number };
  areas: Drawn[];
  isDrawing: boolean;
  zoom: number;
  onArea: (area: Area) => void;
  /** Whose picture it is; with it areas can be marked by keys. */
  name?: string;
}) {
  const svg = useRef<SVGSVGElement>(null);
  const [start, setStart] = useState<[number, number] | null>(null);
  const [end, setEnd] = useState<[number, number] | null>(null);
  const at = (event: PointerEvent): [number, number] => {
    const r = svg.current?.getBoundingClientRect();
    const share = (v: number) => Math.max(0, Math.min(1, v));
    return r
      ? [share((event.clientX - r.left) / r.width), share((event.clientY - r.top) / r.height)]
      : [0, 0];
  };
  // Where the keys are; nothing while they are elsewhere.
  const [aim, setAim] = useState<[number, number] | null>(null);
  const press = (event: KeyboardEvent) => {
    const by = { ArrowLeft: [-1, 0], ArrowRight: [1, 0], ArrowUp: [0, -1], ArrowDown: [0, 1] }[
      event.key
    ];
    if (!aim || (!by && event.key !== "Enter")) return;
    event.preventDefault();
    event.stopPropagation();
    if (!by) {
      onArea(between(clip.id, [aim[0] - HALF, aim[1] - HALF], [aim[0] + HALF, aim[1] + HALF]));
      return;
    }
    const size = event.shiftKey ? FINE : STEP;
    const held = (v: number) => Math.max(HALF, Math.min(1 - HALF, v));
    setAim([held(aim[0] + size * (by[0] ?? 0)), held(aim[1] + size * (by[1] ?? 0))]);
  };
  const box = start && end ? between(clip.id, start, end) : null;
  const unit = clip.width / 640 / zoom;
  const finish = () => {
    // A click without a drag marks nothing.
    if (box && box.width * clip.width >= 4 && box.height * clip.height >= 4) onArea(box);
    setStart(null);
    setEnd(null);
  };
  const rectangle = (area: Area) => ({
    x: area.x * clip.width,
    y: area.y * clip.height,
    width: area.width * clip.width,
    height: area.height * clip.height,
    fill: "none",
  });
  return (
    // biome-ignore lint/a11y/noSvgWithoutTitle: named by its label; without one areas are listed beside it
    <svg
      ref={svg}
      className={`absolute inset-0 h-full w-full ${isDrawing ? "cursor-crosshair" : "pointer-events-none"}`}
      viewBox={`0 0 ${clip.width} ${clip.height}`}
      data-testid="areas"
      {...(name
        ? {
            role: "application",
            tabIndex: 0,
            "aria-label": `Areas in ${name}: arrows move, Shift in small steps, Enter marks`,
            onFocus: () => setAim(aim ?? [0.5, 0.5]),
            onBlur: () => setAim(null),
            onKeyDown: press,
          }
        : { "aria-hidden": true })}
      onPointerDown={(event) => {
        event.currentTarget.setPointerCapture?.(event.pointerId);
        setStart(at(event));
        setEnd(at(event));
      }}
      onPointerMove={(event) => start && setEnd(at(event))}
      onPointerUp={finish}
    >
      {[...areas, ...(box ? [{ number: 0, area: box }] : [])].map(({ number, area }) => (
        <g key={number}>
          <rect {...rectangle(area)} stroke="#000" strokeOpacity=".6" strokeWidth={3 * unit} />
          <rect
            {...rectangle(area)}
            stroke="#fff"
            strokeWidth={1.3 * unit}
            strokeDasharray={number ? undefined : `${3 * unit} ${3 * unit}`}
          />
          {number > 0 && (
            <text
              x={area.x * clip.width + 4 * unit}
              y={area.y * clip.height + 12 * unit}
              fontSize={11 * unit}
              fontWeight="600"
              fill="#fff"
              stroke="#000"
              strokeOpacity=".7"
              strokeWidth={2 * unit}
              paintOrder="stroke"
            >
              {number}
            </text>
          )}
        </g>
      ))}
      {aim && (
        <path
          d={`M${aim[0] * clip.width - 9 * unit} ${aim[1] * clip.height}h${18 * unit}m${-9 * unit} ${-9 * unit}v${18 * unit}`}
          stroke="#fff"
          strokeWidth={1.3 * unit}
        />
      )}
    </svg>
  );
}

export function between(clip: number, a: [number, number], b: [number, number]): Area {
  const [x, y] = [Math.min(a[0], b[0]), Math.min(a[1], b[1])];
  return { clip_id: clip, x, y, width: Math.abs(a[0] - b[0]), height: Math.abs(a[1] - b[1]) };
}
