import { useEffect, useState } from "react";
import type { Seen } from "@/api/draft";
import { type HandStore, ofAngle, whenAtRest } from "./hand";

/** What is looked at of the angle, once the hand rests on it. */
export function useRested(hand: HandStore, seen: Seen | null): Seen | null {
  const [rested, setRested] = useState<Seen | null>(null);
  const text = JSON.stringify(seen);
  useEffect(() => {
    const base = JSON.parse(text) as Seen | null;
    const settle = whenAtRest(() => setRested(base && ofAngle(base, hand.getState())), 300);
    settle();
    const stop = hand.subscribe(() => settle());
    return () => {
      settle.cancel();
      stop();
    };
  }, [hand, text]);
  return rested;
}
