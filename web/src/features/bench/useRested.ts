import { useEffect, useState } from "react";
import type { Seen } from "@/api/draft";
import { type HandStore, ofAngle, ofReference, whenAtRest } from "./hand";

/** What is looked at of the angle, or of the reference, once the hand rests on it. */
export function useRested(
  hand: HandStore,
  seen: Seen | null,
  side: 0 | 1 = 1,
  milliseconds = 300,
): Seen | null {
  const [rested, setRested] = useState<Seen | null>(null);
  const text = JSON.stringify(seen);
  useEffect(() => {
    const base = JSON.parse(text) as Seen | null;
    const held = side === 0 ? ofReference : ofAngle;
    const settle = whenAtRest(() => setRested(base && held(base, hand.getState())), milliseconds);
    settle();
    const stop = hand.subscribe(() => settle());
    return () => {
      settle.cancel();
      stop();
    };
  }, [hand, text, side, milliseconds]);
  return rested;
}
