import { useQuery } from "@tanstack/react-query";
import { useStore } from "zustand";
import type { Seen } from "@/api/draft";
import { overlaysQuery } from "@/api/queries";
import type { HandStore } from "./hand";
import { onScreen, regionOf, type Zoom } from "./seen";
import { useRested } from "./useRested";

type Kind = "stops" | "neutral";
const TOLERANCES = [5, 0.8] as const; // mired, Duv x 1000
const LONGEST = 0.011; // of the width, of a mark that is ten tolerances off

/** Lines of equal stops, or which way what is near neutral is off, over one picture. */
export function OverlayLines({
  kind,
  stop,
  seen,
  side,
  hand,
  zoom,
}: {
  kind: Kind;
  /** The stop that is drawn strong and labelled. */
  stop: number;
  seen: Seen | null;
  side: 0 | 1;
  hand: HandStore;
  zoom: Zoom;
}) {
  const rested = useRested(hand, seen, side, 60);
  const near = useStore(hand, (now) => now.zoom) ?? zoom;
  const found = useQuery(
    overlaysQuery(
      rested && {
        subject: rested.subject,
        stand: rested.stand,
        frame: rested.frame,
        width: 480,
        overrides: rested.overrides as never,
        mark: "",
        whole: false,
        lowest: false,
        region: rested.region ?? null,
        contours: kind === "stops",
        neutral: kind === "neutral",
      },
    ),
  ).data;
  if (!found) return null;
  const region = regionOf(near, side);
  const [left, top, width, height] = region ?? [0, 0, 1, 1];
  const chosen = found.contours.find((line) => line.stop === stop)?.segments ?? [];
  const within = found.casts.filter(
    ({ warmth, tint }) => Math.abs(warmth) <= TOLERANCES[0] && Math.abs(tint) <= TOLERANCES[1],
  ).length;
  const words =
    kind === "stops"
      ? `lines of equal stops; ${chosen.length ? "" : "none at "}${stop > 0 ? "+" : ""}${stop} (, and . choose)`
      : `→ warmer, ↑ greener than neutral; ${found.casts.length ? `${Math.round((100 * within) / found.casts.length)} % of it within tolerance` : "nothing is near it"}`;
  return (
    <div className="pointer-events-none absolute inset-0 overflow-hidden">
      <svg
        viewBox={`${1000 * left} ${1000 * top} ${1000 * width} ${1000 * height}`}
        preserveAspectRatio="none"
        className="absolute inset-0 h-full w-full"
        role="img"
        aria-label={words}
      >
        {kind === "stops" &&
          found.contours.map((line) => {
            const path = line.segments
              .map(([a, b, c, d]) => `M${1000 * a} ${1000 * b}L${1000 * c} ${1000 * d}`)
              .join("");
            return <Line key={line.stop} path={path} width={line.stop === stop ? 2 : 0.6} />;
          })}
        {kind === "neutral" && (
          <Line
            width={1.2}
            path={found.casts
              .map(({ x, y, warmth, tint }) => {
                const dx = 1000 * LONGEST * Math.max(-1, Math.min(1, warmth / TOLERANCES[0] / 5));
                // The picture is wider than it is high: a mark as long up as to the side.
                const dy = -1800 * LONGEST * Math.max(-1, Math.min(1, tint / TOLERANCES[1] / 5));
                return `M${1000 * x} ${1000 * y}l${dx.toFixed(1)} ${dy.toFixed(1)}`;
              })
              .join("")}
            dots={found.casts.map(({ x, y }) => `M${1000 * x} ${1000 * y}h0`).join("")}
          />
        )}
      </svg>
      {[0.2, 0.7].map((share) => {
        const one = chosen[Math.floor(share * chosen.length)];
        if (kind !== "stops" || !one) return null;
        const [x, y] = onScreen(region, one[0], one[1]);
        return (
          <span
            key={share}
            className="value absolute -translate-x-1/2 -translate-y-1/2 rounded bg-black/75 px-1 text-2xs text-white"
            style={{ left: `${100 * x}%`, top: `${100 * y}%` }}
          >
            {stop > 0 ? `+${stop}` : stop}
          </span>
        );
      })}
      <span className="absolute top-1 right-1 rounded bg-black/70 px-1.5 text-2xs whitespace-nowrap text-white">
        {words}
      </span>
    </div>
  );
}

/** Thin, white on black. */
function Line({ path, width, dots }: { path: string; width: number; dots?: string }) {
  const shared = {
    fill: "none",
    vectorEffect: "non-scaling-stroke",
    strokeLinecap: "round",
  } as const;
  return (
    <g>
      <path d={path} stroke="#000" strokeWidth={width + 1.6} opacity=".7" {...shared} />
      <path d={path} stroke="#fff" strokeWidth={width} {...shared} />
      {dots && <path d={dots} stroke="#fff" strokeWidth={4} {...shared} />}
    </g>
  );
}
