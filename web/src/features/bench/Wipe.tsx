import { type KeyboardEvent, type PointerEvent, useLayoutEffect, useMemo, useRef } from "react";
import { useWheel } from "@/shared/useWheel";
import type { HandStore } from "./hand";
import { PictureCanvas } from "./PictureCanvas";
import type { PictureView } from "./pictureView";
import { inPicture, panned, regionOf, type Zoom, zoomed } from "./seen";
import type { BenchPlace } from "./useBenchPlace";

/** Parts of both pictures, with a border that is dragged; marks are seen in their own part. */
export function Wipe({
  reference,
  own,
  place,
  hand,
  layer,
  onZoom,
  onPoint,
  onPlace,
}: {
  reference: PictureView;
  own: PictureView;
  place: BenchPlace;
  hand: HandStore;
  layer: ((side: 0 | 1) => React.ReactNode) | undefined;
  onZoom: (zoom: Zoom) => void;
  onPoint: (side: 0 | 1, at: [number, number] | null) => void;
  onPlace: (values: Record<string, string | number>) => void;
}) {
  const box = useRef<HTMLDivElement>(null);
  const border = useRef<HTMLDivElement>(null);
  const upright = place.compare === "upright";
  const now = () => hand.getState().at ?? place.at;
  const go = (next: number) => {
    const rounded = Math.round(10 * Math.max(0, Math.min(100, next))) / 10;
    hand.setState({ at: rounded });
    onPlace({ at: rounded });
  };
  const parts = useMemo(
    () => [
      { view: reference, clip: upright ? ("left" as const) : ("top" as const), side: 0 as const },
      { view: own, clip: upright ? ("right" as const) : ("bottom" as const), side: 1 as const },
    ],
    [reference, own, upright],
  );
  const wipe = useMemo(() => ({ at: place.at }), [place.at]);
  const layers = [useRef<HTMLDivElement>(null), useRef<HTMLDivElement>(null)] as const;
  // The border goes with the hand and without React, like the picture under it.
  useLayoutEffect(() => {
    const put = () => {
      const line = border.current;
      if (!line) return;
      const at = hand.getState().at ?? place.at;
      line.style[upright ? "left" : "top"] = `${at}%`;
      line.setAttribute("aria-valuenow", String(at));
      // Marks are seen in the part of the picture that they belong to.
      const cuts = upright
        ? [`inset(0 ${100 - at}% 0 0)`, `inset(0 0 0 ${at}%)`]
        : [`inset(0 0 ${100 - at}% 0)`, `inset(${at}% 0 0 0)`];
      layers.forEach((part, i) => {
        if (part.current) part.current.style.clipPath = cuts[i] as string;
      });
    };
    put();
    return hand.subscribe(put);
  });
  const near = () => hand.getState().zoom ?? place.zoom;
  const share = (event: { clientX: number; clientY: number }): [number, number] => {
    const r = box.current?.getBoundingClientRect() ?? new DOMRect(0, 0, 1, 1);
    return [(event.clientX - r.left) / r.width, (event.clientY - r.top) / r.height];
  };
  const panning = useRef<{ x: number; y: number; from: Zoom } | null>(null);
  const point = (event: PointerEvent) => {
    const at = share(event);
    const side = 100 * at[upright ? 0 : 1] < now() ? 0 : 1;
    onPoint(side, inPicture(regionOf(near(), side), ...at));
  };
  const move = (event: PointerEvent) => go(100 * share(event)[upright ? 0 : 1]);
  useWheel(box, (event) =>
    onZoom(zoomed(near(), 1.25 ** -Math.sign(event.deltaY), ...share(event))),
  );
  const key = (event: KeyboardEvent) => {
    const back = event.key === "ArrowLeft" || event.key === "ArrowUp";
    if (!back && event.key !== "ArrowRight" && event.key !== "ArrowDown") return;
    event.preventDefault();
    const step = (event.shiftKey ? 0.2 : 2) * (back ? -1 : 1);
    go(now() + step);
  };
  return (
    <div
      ref={box}
      className="h-full w-full"
      onPointerDown={(event) => {
        event.currentTarget.setPointerCapture(event.pointerId);
        const at = share(event)[upright ? 0 : 1];
        // Near the border, and in the whole picture anywhere, the border is taken.
        if (near().by > 1 && Math.abs(100 * at - now()) > 2)
          panning.current = { x: event.clientX, y: event.clientY, from: near() };
        else move(event);
      }}
      onPointerMove={(event) => {
        point(event);
        if (!event.currentTarget.hasPointerCapture(event.pointerId)) return;
        const from = panning.current;
        const r = box.current?.getBoundingClientRect();
        if (!from) move(event);
        else if (r)
          onZoom(
            panned(
              from.from,
              (event.clientX - from.x) / r.width,
              (event.clientY - from.y) / r.height,
            ),
          );
      }}
      onPointerUp={() => {
        panning.current = null;
      }}
      onPointerLeave={() => onPoint(1, null)}
    >
      <PictureCanvas
        parts={parts}
        wipe={wipe}
        hand={hand}
        zoom={place.zoom}
        label="Wipe of reference and angle"
      />
      {layer &&
        ([0, 1] as const).map((side) => (
          <div key={side} ref={layers[side]} className="pointer-events-none absolute inset-0">
            {layer(side)}
          </div>
        ))}
      <div
        key={place.compare}
        ref={border}
        role="slider"
        tabIndex={0}
        aria-label="Wipe"
        aria-valuemin={0}
        aria-valuemax={100}
        aria-valuenow={now()}
        aria-orientation={upright ? "horizontal" : "vertical"}
        className="absolute bg-white/90 shadow-[0_0_0_1px_rgba(0,0,0,.5)]"
        onKeyDown={key}
        onDoubleClick={() => go(50)}
        style={
          upright
            ? { top: 0, bottom: 0, width: 2, cursor: "ew-resize" }
            : { left: 0, right: 0, height: 2, cursor: "ns-resize" }
        }
      />
    </div>
  );
}
