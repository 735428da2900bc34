import { useEffect, useRef, useState } from "react";
import type { Clip } from "@/api/client";
import { type ChainDocument, type Mark, requestDraft, type ScopeCounts } from "@/api/draft";

/** What is on screen, and of what: labels are written from this, not from what was asked for. */
export type Draft = {
  clip: string;
  matched: boolean;
  picture: ImageBitmap;
  counts: ScopeCounts | null;
  below: number;
  above: number;
  /** Share of the picture that is hatched as outside what the match has seen; null when off. */
  unseen: number | null;
  /** Shares that the display cannot show: outside of its primaries, above its white. */
  outside: number | null;
  clipped: number | null;
  display: string;
  /** The light in nit that is white on screen, where an HDR output is seen. */
  white: number | null;
  /** Share of the picture that each LUT of the look clips. */
  lutClips: number[];
  /** What each makes of middle grey and of a stop: in stops, or in signal for one to a display. */
  lutGreys: [number, number][];
};

let views = 0;

/** A picture and its counts for a chain; the last one stays until the next has come. */
export function useDraft(
  clip: Clip | undefined,
  frame: number,
  chain: ChainDocument | null,
  {
    mark = "",
    dials = null,
    whole = false,
  }: { mark?: Mark; dials?: Record<string, unknown> | null; whole?: boolean } = {},
): { draft: Draft | null; error: unknown; retry: () => void } {
  const [draft, setDraft] = useState<Draft | null>(null);
  const [error, setError] = useState<unknown>(null);
  const [tries, setTries] = useState(0);
  const view = useRef("");
  const sequence = useRef(0);
  if (!view.current) {
    views += 1;
    view.current = `${Date.now().toString(36)}-${views}`;
  }
  const id = clip?.id;
  const name = clip?.name ?? "";
  const text = chain ? JSON.stringify(chain) : "";
  const hand = dials ? JSON.stringify(dials) : "";
  const width = clip ? Math.min(clip.width, 1280) : 0;
  // biome-ignore lint/correctness/useExhaustiveDependencies: `tries` asks again for the same thing
  useEffect(() => {
    if (id === undefined || !text) return;
    const abort = new AbortController();
    sequence.current += 1;
    requestDraft(
      {
        view: view.current,
        sequence: sequence.current,
        clip_id: id,
        frame,
        width,
        chain: JSON.parse(text) as Record<string, unknown>,
        scopes: true,
        mark,
        whole,
        dials: hand ? (JSON.parse(hand) as Record<string, unknown>) : null,
      },
      abort.signal,
    )
      .then(async (message) => {
        if (!message || abort.signal.aborted) return;
        const picture = await createImageBitmap(message.jpeg);
        if (abort.signal.aborted) return;
        setDraft({
          clip: name,
          matched: text.includes('"kind":"match"'),
          picture,
          counts: message.counts,
          below: message.header.below,
          above: message.header.above,
          unseen: message.header.unseen ?? null,
          outside: message.header.outside ?? null,
          clipped: message.header.clipped ?? null,
          display: message.header.display ?? "rec709",
          white: message.header.white ?? null,
          lutClips: message.header.lut_clips ?? [],
          lutGreys: message.header.lut_greys ?? [],
        });
        setError(null);
      })
      .catch((problem: unknown) => {
        if (!abort.signal.aborted) setError(problem);
      });
    return () => abort.abort();
  }, [id, name, frame, text, width, mark, whole, hand, tries]);
  return { draft, error, retry: () => setTries((n) => n + 1) };
}
