import { type PointerEvent, type ReactNode, useRef, useState } from "react";
import { useWheel } from "@/shared/useWheel";
import type { HandStore } from "./hand";
import { inPicture, panned, regionOf, type Shares, type Zoom, zoomed } from "./seen";

const STILL = 4; // pixels that a click may move

type Held = { x: number; y: number; moved: boolean; from: Zoom };

/**
 * What the pointer does over a picture: the wheel goes nearer, a drag moves both pictures (with
 * Shift this one alone), a click keeps a sample; while a region is drawn, a drag draws it.
 */
export function PicturePane({
  side,
  hand,
  zoom,
  drawing,
  children,
  onZoom,
  onPick,
  onPoint,
  onRegion,
}: {
  side: 0 | 1;
  hand: HandStore;
  zoom: Zoom;
  /** Whether a drag draws the region that the scopes are of. */
  drawing: boolean;
  children: ReactNode;
  onZoom: (zoom: Zoom) => void;
  onPick: (side: 0 | 1, at: [number, number]) => void;
  onPoint: (side: 0 | 1, at: [number, number] | null) => void;
  onRegion: (side: 0 | 1, region: Shares) => void;
}) {
  const box = useRef<HTMLDivElement>(null);
  const held = useRef<Held | null>(null);
  const [drawn, setDrawn] = useState<Shares | null>(null);
  const now = () => hand.getState().zoom ?? zoom;
  const share = (event: { clientX: number; clientY: number }): [number, number] => {
    const r = box.current?.getBoundingClientRect() ?? new DOMRect(0, 0, 1, 1);
    return [(event.clientX - r.left) / r.width, (event.clientY - r.top) / r.height];
  };
  const there = (event: { clientX: number; clientY: number }) =>
    inPicture(regionOf(now(), side), ...share(event));
  useWheel(box, (event) =>
    onZoom(
      zoomed(now(), 1.25 ** -Math.sign(event.deltaY), ...share(event), {
        side,
        across: hand.getState().across,
      }),
    ),
  );
  const move = (event: PointerEvent) => {
    onPoint(side, there(event));
    const from = held.current;
    const r = box.current?.getBoundingClientRect();
    if (!from || !r) return;
    const [dx, dy] = [event.clientX - from.x, event.clientY - from.y];
    from.moved ||= Math.hypot(dx, dy) > STILL;
    if (!from.moved) return;
    if (drawing) {
      const [x0, y0] = inPicture(
        regionOf(now(), side),
        ...share({ clientX: from.x, clientY: from.y }),
      );
      const [x1, y1] = there(event);
      const cut = (v: number) => Math.min(1, Math.max(0, v));
      const [left, right] = [cut(Math.min(x0, x1)), cut(Math.max(x0, x1))];
      const [top, bottom] = [cut(Math.min(y0, y1)), cut(Math.max(y0, y1))];
      setDrawn([left, top, right - left, bottom - top]);
    } else if (from.from.by > 1) {
      onZoom(panned(from.from, dx / r.width, dy / r.height, event.shiftKey ? side : undefined));
    }
  };
  return (
    <div
      ref={box}
      className={`h-full w-full touch-none ${drawing ? "cursor-cell" : "cursor-crosshair"}`}
      data-pane={side === 0 ? "reference" : "angle"}
      onPointerDown={(event) => {
        if (event.button !== 0) return;
        event.currentTarget.setPointerCapture?.(event.pointerId);
        held.current = { x: event.clientX, y: event.clientY, moved: false, from: now() };
      }}
      onPointerMove={move}
      onPointerLeave={() => onPoint(side, null)}
      onPointerUp={(event) => {
        const was = held.current;
        held.current = null;
        if (!was) return;
        if (drawn && drawn[2] > 0.002 && drawn[3] > 0.002) onRegion(side, drawn);
        else if (!was.moved && !drawing) onPick(side, there(event));
        setDrawn(null);
      }}
      onPointerCancel={() => {
        held.current = null;
        setDrawn(null);
      }}
    >
      {children}
      {drawn && <RegionFrame region={drawn} view={regionOf(now(), side)} />}
    </div>
  );
}

/** The outline of a part of the picture, where it is on screen. */
export function RegionFrame({ region, view }: { region: Shares; view: Shares | null }) {
  const [left, top, width, height] = view ?? [0, 0, 1, 1];
  return (
    <span
      className="pointer-events-none absolute border border-white border-dashed shadow-[0_0_0_1px_#000]"
      style={{
        left: `${(100 * (region[0] - left)) / width}%`,
        top: `${(100 * (region[1] - top)) / height}%`,
        width: `${(100 * region[2]) / width}%`,
        height: `${(100 * region[3]) / height}%`,
      }}
    />
  );
}
