import { useEffect, useState, useSyncExternalStore } from "react";
import type { Seen } from "@/api/draft";
import { type Hand, type HandStore, whenAtRest } from "./hand";
import { PictureView, type Snapshot } from "./pictureView";

const REST = 250; // milliseconds after which a hand rests

/**
 * A picture that follows what is looked at: `seen` where the hand rests, with what is under the
 * hand put in by `held`. React renders when its label changes, not for every picture.
 */
export function usePictureView(
  seen: Seen | null,
  hand: HandStore,
  held: (seen: Seen, hand: Hand) => Seen,
): { view: PictureView } & Snapshot {
  const [view] = useState(() => new PictureView());
  const snapshot = useSyncExternalStore(view.subscribe, view.getSnapshot);
  const text = JSON.stringify(seen);
  useEffect(() => {
    view.open();
    return () => view.close();
  }, [view]);
  useEffect(() => {
    const base = JSON.parse(text) as Seen | null;
    if (!base) return;
    const whole = () => view.ask(held(base, hand.getState()));
    const atRest = whenAtRest(whole, REST);
    whole();
    // Under the hand it is made as large as it is shown, at rest as large as it is.
    const stop = hand.subscribe(() => {
      const seen = held(base, hand.getState());
      view.ask({ ...seen, width: Math.min(seen.width, view.room || seen.width) });
      atRest();
    });
    return () => {
      stop();
      atRest.cancel();
    };
  }, [view, text, hand, held]);
  return { view, ...snapshot };
}
