import { toProblem } from "./client";

export type ChainDocument = { stages: { kind: string }[] } & Record<string, unknown>;

export type DraftRequest = {
  view: string;
  sequence: number;
  clip_id: number;
  frame: number;
  width: number;
  chain: Record<string, unknown>;
  scopes: boolean;
  mark?: Mark;
  /** See HDR darkened until its peak is white, instead of clipped at its reference white. */
  whole?: boolean;
  /** Of a balance under the hand, instead of the chain's. */
  dials?: Record<string, unknown> | null;
};

/** What is hatched: away from what the fit has seen, or what the display cannot show. */
export type Mark = "" | "unseen" | "gamut";

export type DraftHeader = {
  sequence: number;
  width: number;
  height: number;
  jpeg: number;
  scopes: boolean;
  columns: number;
  levels: number;
  side: number;
  bottom: number;
  top: number;
  unseen?: number | null;
  outside?: number | null;
  clipped?: number | null;
  display?: string;
  /** Of HDR: the light in nit that is white on screen. */
  white?: number | null;
  /** Weights of R' and B' in Y'. */
  luma?: [number, number];
  /** Of HDR: signals, and the light of a neutral there in nit. */
  light?: [number, number][];
  lut_clips?: number[];
  lut_greys?: [number, number][];
  below: number;
  above: number;
};

/** Counts of a picture: parade [channel][column][level], vectorscope [row][column]. */
export type ScopeCounts = { header: DraftHeader; parade: Uint16Array; vector: Uint16Array };

export type DraftMessage = { header: DraftHeader; jpeg: Blob; counts: ScopeCounts | null };

/** Take one binary message apart: length and header, JPEG, parade, vectorscope. */
export function parseDraft(data: ArrayBuffer): DraftMessage {
  const length = new DataView(data).getUint32(0, true);
  const header = JSON.parse(
    new TextDecoder().decode(new Uint8Array(data, 4, length)),
  ) as DraftHeader;
  const start = 4 + length;
  const jpeg = new Blob([data.slice(start, start + header.jpeg)], { type: "image/jpeg" });
  if (!header.scopes) return { header, jpeg, counts: null };
  const parade = 3 * header.columns * header.levels * 2;
  const from = start + header.jpeg;
  return {
    header,
    jpeg,
    counts: {
      header,
      parade: new Uint16Array(data.slice(from, from + parade)),
      vector: new Uint16Array(data.slice(from + parade, from + parade + header.side ** 2 * 2)),
    },
  };
}

/** Ask for a picture of a chain that need not be stored; null when a newer one took its place. */
export async function requestDraft(
  body: DraftRequest,
  signal: AbortSignal,
): Promise<DraftMessage | null> {
  let response: Response;
  try {
    response = await fetch("/api/pictures/draft", {
      method: "POST",
      headers: { "Content-Type": "application/json" },
      body: JSON.stringify(body),
      signal,
    });
  } catch (error) {
    if (signal.aborted) return null;
    throw toProblem(error);
  }
  if (response.status === 409) return null;
  if (!response.ok) throw toProblem(await response.json().catch(() => null));
  return parseDraft(await response.arrayBuffer());
}

/** The same chain without its match. */
export function withoutMatch(chain: ChainDocument): ChainDocument {
  return { ...chain, stages: chain.stages.filter((stage) => stage.kind !== "match") };
}
