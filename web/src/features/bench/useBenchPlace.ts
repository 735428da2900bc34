import { useMemo } from "react";
import { useSearchParams } from "react-router";
import { decided } from "@/api/decided";
import type { Mark } from "@/api/draft";
import { type Shares, UNZOOMED, type Zoom, zoomFrom, zoomText } from "./seen";
import { PARTS, type Part } from "./trimParts";

export type Compare = "side" | "upright" | "level" | "turn";
export type Surround = "black" | "dim" | "grey";

export type Panel = "match" | "trim" | "probes" | "balance" | "look" | "encoding";

/** What lies over the pictures: hatched in them by the server, or drawn as lines over them. */
export type ViewMark = Mark | "stops" | "neutral";

const MARKS: ViewMark[] = ["", "unseen", "gamut", "clipped", "stops", "neutral"];
export const PANELS: Panel[] = ["match", "trim", "probes", "balance", "look", "encoding"];
const COMPARES: Compare[] = ["side", "upright", "level", "turn"];
export const STAGES = decided.stages.optional;
export type Stage = (typeof STAGES)[number];
export const UNITS = ["code", "percent", "stops", "nit", "linear"] as const;
export type Unit = (typeof UNITS)[number];
const SURROUNDS: Surround[] = ["dim", "black", "grey"];

export type BenchPlace = {
  compare: Compare;
  at: number;
  match: boolean;
  scopes: boolean;
  mark: ViewMark;
  /** The stop about middle grey that is labelled among the lines of equal stops. */
  stop: number;
  /** What of both pictures is on screen. */
  zoom: Zoom;
  /** Regions that the scopes are of, in the reference and in the angle. */
  scoped: [Shares | null, Shares | null];
  /** Whether the parade shows the lowest tenth of the signal. */
  lowest: boolean;
  /** Stages that are left out, for looking only. */
  off: Stage[];
  /** The unit of the probe table. */
  unit: Unit;
  mono: boolean;
  /** HDR is seen darkened as a whole, not clipped at its reference white. */
  whole: boolean;
  /** An output of the production that is looked at instead of its main one. */
  output: string;
  panel: Panel;
  /** The part of the trim that is open. */
  part: Part;
  /** Whether the trim under the hand is what the clip adds, and not the light's. */
  forClip: boolean;
  surround: Surround;
  frames: [number, number];
  kind: "scene" | "chart";
  /** Chosen clips of reference and angle; 0 for the first of that kind. */
  clips: [number, number];
};

/** Read the Bench's state from an address; what makes no sense falls back to the usual. */
export function readPlace(search: URLSearchParams): BenchPlace {
  const number = (name: string, usual: number, low: number, high: number) => {
    const value = Number(search.get(name) ?? usual);
    return Number.isFinite(value) ? Math.max(low, Math.min(high, value)) : usual;
  };
  const one = <T extends string>(name: string, all: T[], usual: T): T =>
    all.find((v) => v === search.get(name)) ?? usual;
  const shares = (name: string): Shares | null => {
    const found = (search.get(name) ?? "").split(",").map(Number);
    const isRight = found.length === 4 && found.every((v) => v >= 0 && v <= 1);
    return isRight && found[2] && found[3] ? (found as Shares) : null;
  };
  return {
    stop: Math.round(number("stop", 0, -7, 7)),
    zoom: zoomFrom(search.get("z")),
    scoped: [shares("sr"), shares("sa")],
    lowest: search.get("low") === "on",
    off: STAGES.filter((s) => (search.get("off") ?? "").split(",").includes(s)),
    unit: one("unit", [...UNITS], "code"),
    compare: one("compare", COMPARES, "side"),
    at: number("at", 50, 0, 100),
    match: search.get("match") !== "off",
    scopes: search.get("scopes") !== "off",
    mark: one("mark", MARKS, ""),
    mono: search.get("mono") === "on",
    whole: search.get("hdr") === "whole",
    output: search.get("output") ?? "",
    panel: one("panel", PANELS, "match"),
    part: one("part", [...PARTS], "light"),
    forClip: search.get("for") === "clip",
    surround: one("surround", SURROUNDS, "dim"),
    frames: [Math.floor(number("r", 0, 0, 1e6)), Math.floor(number("f", 0, 0, 1e6))],
    kind: one("clip", ["scene", "chart"], "scene"),
    clips: [Math.floor(number("rc", 0, 0, 1e9)), Math.floor(number("ac", 0, 0, 1e9))],
  };
}

/** The clip that is chosen, or the first of a kind. */
export function pickClip<C extends { id: number; kind: string }>(
  clips: readonly C[],
  kind: string,
  chosen: number,
): C | undefined {
  return clips.find((c) => c.id === chosen) ?? clips.find((c) => c.kind === kind) ?? clips[0];
}

export function next<T>(all: readonly T[], now: T): T {
  return all[(all.indexOf(now) + 1) % all.length] ?? now;
}

/** The Bench's state lives in the address, so that a link or a reload brings it back. */
export function useBenchPlace() {
  const [search, setSearch] = useSearchParams();
  const text = search.toString();
  const place = useMemo(() => readPlace(new URLSearchParams(text)), [text]);
  const set = (values: Record<string, string | number>) => {
    // From the address itself: two changes in one frame must not undo each other.
    const fresh = new URLSearchParams(window.location.search);
    for (const [name, value] of Object.entries(values)) fresh.set(name, String(value));
    setSearch(fresh, { replace: true });
  };
  return {
    place,
    set,
    nextCompare: () => set({ compare: next(COMPARES, place.compare) }),
    nextSurround: () => set({ surround: next(SURROUNDS, place.surround) }),
    toggleMatch: () => set({ match: place.match ? "off" : "on" }),
    toggleMark: (mark: ViewMark) => set({ mark: place.mark === mark ? "" : mark }),
    toggleMono: () => set({ mono: place.mono ? "off" : "on" }),
    toggleWhole: () => set({ hdr: place.whole ? "clipped" : "whole" }),
    toggleLowest: () => set({ low: place.lowest ? "off" : "on" }),
    toggleStage: (stage: Stage) => {
      const now = place.off.includes(stage)
        ? place.off.filter((s) => s !== stage)
        : [...place.off, stage];
      set({ off: now.join(",") });
    },
    setZoom: (zoom: Zoom) => set({ z: zoomText(zoom) }),
    unzoom: () => set({ z: zoomText(UNZOOMED) }),
    toggleScopes: () => set({ scopes: place.scopes ? "off" : "on" }),
  };
}
