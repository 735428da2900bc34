import { useEffect, useRef, useState } from "react";
import type { ChainDocument } from "@/api/draft";

/** What the Bench shows of the angle this moment, kept or under the hand. */
export type Shown = {
  clip: number;
  frame: number;
  chain: ChainDocument;
  dials: Record<string, unknown> | null;
};

type Message = { kind: "shown"; shown: Shown | null } | { kind: "ask" };

const channelOf = (light: number, camera: number) =>
  new BroadcastChannel(`picture of light ${light}, camera ${camera}`);

/** Tell the clean windows of an angle what is shown; nothing any more once the Bench is left. */
export function useTellCleanWindow(light: number, camera: number, shown: Shown | null): void {
  const text = JSON.stringify(shown);
  const channel = useRef<BroadcastChannel | null>(null);
  const last = useRef(text);
  last.current = text;
  useEffect(() => {
    const own = channelOf(light, camera);
    channel.current = own;
    const tell = (what: string) =>
      own.postMessage({ kind: "shown", shown: JSON.parse(what) } satisfies Message);
    own.onmessage = ({ data }: MessageEvent<Message>) => {
      if (data.kind === "ask") tell(last.current);
    };
    return () => {
      tell("null");
      own.close();
      channel.current = null;
    };
  }, [light, camera]);
  useEffect(() => {
    channel.current?.postMessage({ kind: "shown", shown: JSON.parse(text) } satisfies Message);
  }, [text]);
}

/** What a Bench in another window shows of an angle; null while there is none. */
export function useShownOnBench(light: number, camera: number): Shown | null {
  const [shown, setShown] = useState<Shown | null>(null);
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
