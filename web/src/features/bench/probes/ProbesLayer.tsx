import { type PointerEvent, useRef, useState, useSyncExternalStore } from "react";
import { useStore } from "zustand";
import type { Clip } from "@/api/client";
import { signed } from "@/shared/Tuner";
import type { HandStore } from "../hand";
import { inPicture, onScreen, regionOf, type Shares, type Zoom } from "../seen";
import type { Probe, Probes } from "./useProbes";

const LEAST = 12; // pixels of the screen that a mark is wide

/** What a probe is called: its name, or its number. */
export const nameOf = (probe: { name: string; number: number }) => probe.name || `${probe.number}`;

/** Probes of one picture, each where it was kept; a mark is dragged to another place. */
export function ProbesLayer({
  side,
  clip,
  probes,
  hand,
  zoom,
}: {
  side: 0 | 1;
  clip: Clip | undefined;
  probes: Probes;
  hand: HandStore;
  zoom: Zoom;
}) {
  const near = useStore(hand, (now) => now.zoom) ?? zoom;
  const region = regionOf(near, side);
  if (!clip) return null;
  return (
    <div className="pointer-events-none absolute inset-0 overflow-hidden">
      {probes.list.map((probe) => {
        const place = probe.places.find((p) => p.clip_id === clip.id);
        return (
          place && (
            <Mark
              key={probe.id}
              probe={probe}
              place={place}
              region={region}
              isChosen={probes.chosen === probe.id}
              onChoose={() => probes.choose(probe.id)}
              onMove={(x, y) => probes.move(probe, clip, { frame: place.frame, x, y })}
            />
          )
        );
      })}
    </div>
  );
}

function Mark({
  probe,
  place,
  region,
  isChosen,
  onChoose,
  onMove,
}: {
  probe: Probe;
  place: { x: number; y: number; size: number };
  region: Shares | null;
  isChosen: boolean;
  onChoose: () => void;
  onMove: (x: number, y: number) => void;
}) {
  const ref = useRef<HTMLButtonElement>(null);
  const from = useRef<{ x: number; y: number } | null>(null);
  const [dragged, setDragged] = useState<[number, number] | null>(null);
  const [x, y] = onScreen(region, ...(dragged ?? [place.x, place.y]));
  const width = `max(${LEAST}px, ${(100 * place.size) / (region?.[2] ?? 1)}%)`;
  const there = (event: PointerEvent): [number, number] | null => {
    const r = ref.current?.parentElement?.getBoundingClientRect();
    return r
      ? inPicture(region, (event.clientX - r.left) / r.width, (event.clientY - r.top) / r.height)
      : null;
  };
  return (
    <button
      ref={ref}
      type="button"
      aria-label={`Probe ${nameOf(probe)}`}
      title={`${nameOf(probe)}: drag it to another place`}
      className={`pointer-events-auto absolute aspect-square -translate-x-1/2 -translate-y-1/2 cursor-move touch-none rounded-full border border-white text-2xs text-white shadow-[0_0_0_1px_#000,inset_0_0_0_1px_#000] ${isChosen ? "border-2" : ""} ${probe.places.length === 1 ? "border-dashed" : ""}`}
      style={{ left: `${100 * x}%`, top: `${100 * y}%`, width }}
      onPointerDown={(event) => {
        event.stopPropagation();
        ref.current?.setPointerCapture?.(event.pointerId);
        from.current = { x: event.clientX, y: event.clientY };
        onChoose();
      }}
      onPointerMove={(event) => {
        const begun = from.current;
        if (!begun) return;
        event.stopPropagation();
        if (dragged || Math.hypot(event.clientX - begun.x, event.clientY - begun.y) > 3)
          setDragged(there(event));
      }}
      onPointerUp={(event) => {
        event.stopPropagation();
        from.current = null;
        if (dragged) onMove(...dragged);
        setDragged(null);
      }}
      onPointerCancel={() => {
        from.current = null;
        setDragged(null);
      }}
    >
      <span className="pointer-events-none absolute -top-4 left-1/2 -translate-x-1/2 rounded bg-black/70 px-0.5 whitespace-nowrap">
        {nameOf(probe)}
      </span>
    </button>
  );
}

const three = (values: readonly number[], digits = 0) =>
  values.map((v) => v.toFixed(digits)).join(" ");

/** What the pixel under the pointer is: in the file, and on the display. */
export function PointLine({
  side,
  clip,
  probes,
}: {
  side: 0 | 1;
  clip: Clip | undefined;
  probes: Probes;
}) {
  const { data } = useSyncExternalStore(probes.points.subscribe, probes.points.getSnapshot);
  if (!data || !clip || data.clip_id !== clip.id) return null;
  const [first, last] = [data.stages[0], data.stages.at(-1)];
  const x = Math.floor(data.place.x * clip.width);
  const y = Math.floor(data.place.y * clip.height);
  return (
    <p
      className={`value pointer-events-none absolute bottom-1 ${side === 0 ? "left-1" : "right-1"} rounded bg-black/70 px-1.5 text-2xs text-white`}
    >
      {x}, {y} · file {three(first?.code ?? [])} · display {three(last?.percent ?? [], 1)} % ·{" "}
      {signed(data.stops, 2)} stop
    </p>
  );
}
