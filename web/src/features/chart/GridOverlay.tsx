import { type KeyboardEvent, type PointerEvent, useRef } from "react";
import type { Clip, Point, Schemas } from "@/api/client";
import { clampPoint, cornerNumbers, outline, sampleAreas } from "./geometry";

const STEPS: Record<string, Point> = {
  ArrowLeft: [-1, 0],
  ArrowRight: [1, 0],
  ArrowUp: [0, -1],
  ArrowDown: [0, 1],
};

/** The grid on a picture: sample areas, marks for what is wrong, and four handles. */
export function GridOverlay({
  clip,
  corners,
  layout,
  flags,
  beside = [],
  zoom = 1,
  onMove,
  onHold,
  onRead,
}: {
  clip: Clip;
  corners: Point[];
  layout: Schemas["LayoutOut"];
  flags: Schemas["PatchOut"][];
  /** More charts of the frame that are read with this one, or could be. */
  beside?: Point[][];
  zoom?: number;
  onMove: (corners: Point[]) => void;
  onHold: (corner: number | null) => void;
  onRead: () => void;
}) {
  const svg = useRef<SVGSVGElement>(null);
  const unit = clip.width / 640 / zoom;
  const numbers = cornerNumbers(layout);
  const name = (number: number) => `${number}, ${layout.names[number - 1] ?? ""}`;
  // Many patches are small: their outlines stay thin.
  const thin = layout.names.length > 60 ? 0.55 : 1;
  const toPixels = (event: PointerEvent): Point => {
    const r = svg.current?.getBoundingClientRect();
    if (!r) return [0, 0];
    return [
      ((event.clientX - r.left) / r.width) * clip.width - 0.5,
      ((event.clientY - r.top) / r.height) * clip.height - 0.5,
    ];
  };
  const set = (i: number, point: Point) =>
    onMove(corners.map((c, k) => (k === i ? clampPoint(point, clip.width, clip.height) : c)));
  const key = (i: number) => (event: KeyboardEvent) => {
    if (event.key === "Enter") {
      event.preventDefault();
      onRead();
      return;
    }
    const step = STEPS[event.key];
    const at = corners[i];
    if (!step || !at) return;
    event.preventDefault();
    event.stopPropagation();
    const by = event.shiftKey ? 0.1 : 1;
    set(i, [at[0] + step[0] * by, at[1] + step[1] * by]);
  };
  const text = (points: Point[]) => points.map(([x, y]) => `${x + 0.5},${y + 0.5}`).join(" ");
  return (
    // biome-ignore lint/a11y/noSvgWithoutTitle: its handles are named one by one
    <svg
      ref={svg}
      className="absolute inset-0 h-full w-full"
      viewBox={`0 0 ${clip.width} ${clip.height}`}
      data-testid="chart-grid"
    >
      <polygon
        points={text(outline(corners, layout))}
        fill="none"
        stroke="#000"
        strokeOpacity=".6"
        strokeWidth={3 * unit}
      />
      <polygon
        points={text(outline(corners, layout))}
        fill="none"
        stroke="#fff"
        strokeWidth={1.2 * unit}
      />
      {beside.map((other) => (
        <polygon
          key={other.join()}
          data-testid="chart-beside"
          points={text(outline(other, layout))}
          fill="none"
          stroke="#fff"
          strokeWidth={unit}
          strokeDasharray={`${4 * unit} ${3 * unit}`}
        />
      ))}
      {sampleAreas(corners, layout).map((area, i) => {
        const found = flags[i]?.flags ?? [];
        return (
          // biome-ignore lint/suspicious/noArrayIndexKey: patches have a fixed order
          <g key={i}>
            <polygon
              points={text(area)}
              fill="none"
              stroke="#000"
              strokeOpacity=".55"
              strokeWidth={2.2 * unit * thin}
            />
            <polygon
              points={text(area)}
              fill="none"
              stroke="#fff"
              strokeWidth={unit * thin}
              strokeDasharray={found.length ? `${2 * unit} ${2 * unit}` : undefined}
            />
            {found.length > 0 && area[0] && area[2] && (
              <text
                x={(area[0][0] + area[2][0]) / 2}
                y={(area[0][1] + area[2][1]) / 2 + 4 * unit}
                textAnchor="middle"
                fontSize={12 * unit}
                fill="#fff"
                stroke="#000"
                strokeWidth={0.6 * unit}
              >
                {found.includes("clipped") ? "▲" : "◇"}
              </text>
            )}
          </g>
        );
      })}
      {corners.map(([x, y], i) => (
        // biome-ignore lint/a11y/useSemanticElements: a handle in a drawing
        <g
          key={numbers[i]}
          role="button"
          tabIndex={0}
          aria-label={`corner patch ${name(numbers[i] ?? 0)}: ${x.toFixed(1)}, ${y.toFixed(1)}`}
          className="cursor-move outline-none [&:focus-visible_circle:first-of-type]:[fill-opacity:0.6]"
          onKeyDown={key(i)}
          onFocus={() => onHold(i)}
          onBlur={() => onHold(null)}
          onPointerDown={(event) => {
            event.currentTarget.setPointerCapture(event.pointerId);
            event.currentTarget.focus();
          }}
          onPointerMove={(event) => {
            if (event.currentTarget.hasPointerCapture(event.pointerId)) set(i, toPixels(event));
          }}
        >
          <circle
            cx={x + 0.5}
            cy={y + 0.5}
            r={9 * unit}
            fill="#000"
            fillOpacity=".25"
            stroke="#fff"
            strokeWidth={2 * unit}
          />
          <circle cx={x + 0.5} cy={y + 0.5} r={1.2 * unit} fill="#fff" />
          <text
            x={x + 0.5 + (i === 0 || i === 3 ? -1 : 1) * 16 * unit}
            y={y + 0.5 + 3.5 * unit}
            textAnchor="middle"
            fontSize={10 * unit}
            fontWeight="600"
            fill="#fff"
            stroke="#000"
            strokeOpacity=".7"
            strokeWidth={2 * unit}
            paintOrder="stroke"
          >
            {numbers[i]}
          </text>
        </g>
      ))}
    </svg>
  );
}
