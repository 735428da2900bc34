import { type KeyboardEvent, memo, useState } from "react";
import { useStore } from "zustand";
import type { HandStore } from "../hand";
import { onScreen, regionOf, type Shares, type Zoom } from "../seen";
import type { Spot } from "./across";
import type { Scene } from "./useScene";

/** Why places take no part, or how far the match is off there. */
function wordsOf(spot: Spot): string {
  const count = `${spot.count} places`;
  if (spot.by_hand) return `${count}, taken out by hand: press to take them in again`;
  if (spot.used < 0.5)
    return `${count}, set aside: ${spot.miss.toFixed(1)} ΔE from what the others say (moved, mirrored, or mistaken)`;
  return `${count}, ${spot.miss.toFixed(1)} ΔE off: press to take them out`;
}

/** The places that a match stands on, sized by how many; those set aside are crossed out. */
export function PlacesLayer({
  side,
  scene,
  hand,
  zoom,
}: {
  side: 0 | 1;
  scene: Scene;
  hand: HandStore;
  zoom: Zoom;
}) {
  const near = useStore(hand, (now) => now.zoom) ?? zoom;
  const region = regionOf(near, side);
  const step = (event: KeyboardEvent<HTMLDivElement>) => {
    const by = { ArrowRight: 1, ArrowDown: 1, ArrowLeft: -1, ArrowUp: -1 }[event.key];
    if (!by) return;
    event.preventDefault();
    event.stopPropagation();
    const all = [...event.currentTarget.querySelectorAll("button")];
    const at = all.indexOf(document.activeElement as HTMLButtonElement);
    all[(at + by + all.length) % all.length]?.focus();
  };
  return (
    <div
      role="toolbar"
      aria-label={`Places in the ${side === 0 ? "reference" : "angle"}`}
      aria-busy={scene.running}
      className={`pointer-events-none absolute inset-0 overflow-hidden ${scene.running ? "[&_button]:cursor-progress" : ""}`}
      onKeyDown={step}
    >
      <Spots side={side} spots={scene.spots} region={region} onToggle={scene.toggle} />
    </div>
  );
}

/** Hundreds of marks over two pictures: they are drawn again only when they themselves change. */
const Spots = memo(function Spots({
  side,
  spots,
  region,
  onToggle,
}: {
  side: 0 | 1;
  spots: readonly Spot[];
  region: Shares | null;
  onToggle: (spot: Spot) => void;
}) {
  // One stop of Tab for all of them: the arrows go from one to the next.
  const [chosen, setChosen] = useState(0);
  return spots.map((spot, number) => {
    const [x, y] = onScreen(region, ...(side === 0 ? spot.reference : spot.angle));
    if (x < 0 || x > 1 || y < 0 || y > 1) return null;
    const isOut = spot.by_hand || spot.used < 0.5;
    const size = Math.round(5 + 0.8 * Math.sqrt(spot.count));
    return (
      <button
        key={spot.box.join()}
        type="button"
        tabIndex={side === 0 && number === chosen ? 0 : -1}
        onFocus={() => setChosen(number)}
        aria-pressed={!spot.by_hand}
        aria-label={`Place at ${spot.reference.map((v) => Math.round(100 * v)).join(", ")} %: ${wordsOf(spot)}`}
        title={wordsOf(spot)}
        className={`pointer-events-auto absolute -translate-x-1/2 -translate-y-1/2 cursor-pointer rounded-sm border opacity-80 shadow-[0_0_0_1px_#0008] hover:opacity-100 focus-visible:opacity-100 ${isOut ? "border-dashed border-white/80 bg-[linear-gradient(45deg,transparent_44%,#fff_44%,#fff_56%,transparent_56%)]" : "border-white"}`}
        style={{ left: `${100 * x}%`, top: `${100 * y}%`, width: size, height: size }}
        onPointerDown={(event) => event.stopPropagation()}
        onPointerUp={(event) => event.stopPropagation()}
        onClick={() => onToggle(spot)}
      />
    );
  });
});
