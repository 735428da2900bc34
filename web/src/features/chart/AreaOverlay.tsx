import { type PointerEvent, useRef, useState } from "react";
import type { Clip } from "@/api/client";
import type { Area } from "@/shared/fitChoice";

type Drawn = { number: number; area: Area };

/** Areas marked in a picture, numbered as their pairs; dragging marks one more. */
export function AreaOverlay({
  clip,
  areas,
  isDrawing,
  zoom,
  onArea,
}: {
  clip: Clip;
  areas: Drawn[];
  isDrawing: boolean;
  zoom: number;
  onArea: (area: Area) => void;
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
    // biome-ignore lint/a11y/noSvgWithoutTitle: the areas are listed beside the pictures
    <svg
      ref={svg}
      className={`absolute inset-0 h-full w-full ${isDrawing ? "cursor-crosshair" : "pointer-events-none"}`}
      viewBox={`0 0 ${clip.width} ${clip.height}`}
      data-testid="areas"
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
    </svg>
  );
}

export function between(clip: number, a: [number, number], b: [number, number]): Area {
  const [x, y] = [Math.min(a[0], b[0]), Math.min(a[1], b[1])];
  return { clip_id: clip, x, y, width: Math.abs(a[0] - b[0]), height: Math.abs(a[1] - b[1]) };
}
