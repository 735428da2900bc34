import type { PointerEvent } from "react";
import type { Place } from "./useMeasured";

export type Side = "reference" | "angle";
export type Pending = { side: Side; at: [number, number] } | null;

/** Places that were marked in both pictures, numbered; while one picks, clicks are taken. */
export function PlacesLayer({
  side,
  places,
  pending,
  picking,
  onPick,
}: {
  side: Side;
  places: Place[];
  pending: Pending;
  picking: boolean;
  onPick: (side: Side, at: [number, number]) => void;
}) {
  const take = (event: PointerEvent) => {
    const box = event.currentTarget.getBoundingClientRect();
    onPick(side, [(event.clientX - box.left) / box.width, (event.clientY - box.top) / box.height]);
  };
  const marks = places.map((p, i) => ({ at: p[side], text: String(i + 1) }));
  if (pending?.side === side) marks.push({ at: pending.at, text: String(places.length + 1) });
  return (
    <div
      className={`absolute inset-0 ${picking ? "cursor-crosshair" : "pointer-events-none"}`}
      data-picking={picking ? side : undefined}
      onPointerDown={picking ? take : undefined}
    >
      {marks.map(({ at: [x, y], text }) => (
        <span
          key={text}
          className="pointer-events-none absolute flex -translate-x-1/2 -translate-y-1/2 items-center justify-center rounded-full border border-white text-2xs text-white shadow-[0_0_0_1px_#000,inset_0_0_0_1px_#000]"
          style={{ left: `${100 * x}%`, top: `${100 * y}%`, width: 16, height: 16 }}
        >
          <span className="-translate-y-3.5 rounded bg-black/70 px-0.5">{text}</span>
        </span>
      ))}
    </div>
  );
}
