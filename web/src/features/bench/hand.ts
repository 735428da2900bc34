import { createStore, type StoreApi } from "zustand/vanilla";
import type { Seen } from "@/api/draft";
import type { Dials } from "./Balance";
import type { LookStage } from "./lookSteps";
import type { Across } from "./scene/across";
import { regionOf, type Zoom } from "./seen";
import { full, type TrimStage } from "./trimParts";

/**
 * What is under the hand and not kept: pictures, scopes and the panel that is worked in follow it
 * at once, the page around them does not.
 */
export type Hand = {
  /** A balance; null where it is as kept. */
  dials: Dials | null;
  /** The angle's trim in its light, and what its clip adds; null where they are as kept. */
  trim: TrimStage | null;
  clipTrim: TrimStage | null;
  /** A look; undefined where it is as kept. */
  look: LookStage | undefined;
  /** Frames of reference and angle; null where they are as the address says. */
  frames: [number | null, number | null];
  /** What of both pictures is on screen; null where it is as the address says. */
  zoom: Zoom | null;
  /** Whether the trim is held out, to compare before and after. */
  isBefore: boolean;
  /** Where the wipe is, in per cent; null where it is as the address says. */
  at: number | null;
  /** Where the other picture shows the same, by the places that the match stands on. */
  across: Across | null;
};

export type HandStore = StoreApi<Hand>;

export const createHand = (): HandStore =>
  createStore<Hand>(() => ({
    dials: null,
    trim: null,
    clipTrim: null,
    look: undefined,
    frames: [null, null],
    zoom: null,
    isBefore: false,
    at: null,
    across: null,
  }));

const put = (seen: Seen, hand: Hand, frame: number | null, side: 0 | 1): Seen => ({
  ...seen,
  ...(hand.zoom ? { region: regionOf(hand.zoom, side) } : {}),
  frame: frame ?? seen.frame,
  overrides: {
    ...seen.overrides,
    ...(hand.dials ? { dials: hand.dials } : {}),
    ...(hand.look ? { look: hand.look } : {}),
  },
});

/** A picture with what is under the hand: of the reference, or of the angle. */
export const ofReference = (seen: Seen, hand: Hand): Seen => put(seen, hand, hand.frames[0], 0);
export const ofAngle = (seen: Seen, hand: Hand): Seen => {
  const now = put(seen, hand, hand.frames[1], 1);
  if (hand.isBefore) {
    const off = [...new Set([...(now.overrides.off ?? []), "trim" as const])];
    return { ...now, overrides: { ...now.overrides, off } };
  }
  if (!hand.trim && !hand.clipTrim) return now;
  const trims = {
    ...(hand.trim ? { trim: full(hand.trim) } : {}),
    ...(hand.clipTrim ? { clip_trim: full(hand.clipTrim) } : {}),
  };
  return { ...now, overrides: { ...now.overrides, ...trims } };
};

/** Call with the last of many values once they rest. */
export function whenAtRest<A extends unknown[]>(
  act: (...args: A) => void,
  milliseconds = 200,
): ((...args: A) => void) & { cancel: () => void; now: () => void } {
  let timer: ReturnType<typeof setTimeout> | undefined;
  let last: A | null = null;
  const cancel = () => {
    clearTimeout(timer);
    last = null;
  };
  const now = () => {
    const args = last;
    cancel();
    if (args) act(...args);
  };
  const later = (...args: A) => {
    clearTimeout(timer);
    last = args;
    timer = setTimeout(now, milliseconds);
  };
  return Object.assign(later, { cancel, now });
}
