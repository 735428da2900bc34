import { useEffect, useRef, useState } from "react";
import type { Seen } from "@/api/draft";
import { type HandStore, ofAngle } from "./hand";

type Message = { kind: "shown"; shown: Seen | null } | { kind: "ask" };

const channelOf = (light: number, camera: number) =>
  new BroadcastChannel(`picture of light ${light}, camera ${camera}`);

/**
 * Tell the clean windows of an angle what the Bench shows of it this moment, kept or under the
 * hand; nothing any more once the Bench is left.
 */
export function useTellCleanWindow(
  light: number,
  camera: number,
  seen: Seen | null,
  hand: HandStore,
): void {
  const text = JSON.stringify(seen);
  const channel = useRef<BroadcastChannel | null>(null);
  const latest = useRef<() => Seen | null>(() => null);
  latest.current = () => {
    const base = JSON.parse(text) as Seen | null;
    return base && ofAngle(base, hand.getState());
  };
  useEffect(() => {
    const own = channelOf(light, camera);
    channel.current = own;
    own.onmessage = ({ data }: MessageEvent<Message>) => {
      if (data.kind === "ask") {
        own.postMessage({ kind: "shown", shown: latest.current() } satisfies Message);
      }
    };
    return () => {
      own.postMessage({ kind: "shown", shown: null } satisfies Message);
      own.close();
      channel.current = null;
    };
  }, [light, camera]);
  // biome-ignore lint/correctness/useExhaustiveDependencies: `text` is what `latest` reads
  useEffect(() => {
    const tell = () =>
      channel.current?.postMessage({ kind: "shown", shown: latest.current() } satisfies Message);
    tell();
    return hand.subscribe(tell);
  }, [text, hand]);
}

/** What a Bench in another window shows of an angle; null while there is none. */
export function useShownOnBench(light: number, camera: number): Seen | null {
  const [shown, setShown] = useState<Seen | null>(null);
  useEffect(() => {
    const channel = channelOf(light, camera);
    channel.onmessage = ({ data }: MessageEvent<Message>) => {
      if (data.kind === "shown") setShown(data.shown);
    };
    channel.postMessage({ kind: "ask" } satisfies Message);
    return () => channel.close();
  }, [light, camera]);
  return shown;
}
