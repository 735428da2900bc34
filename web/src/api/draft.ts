import { type Schemas, toProblem } from "./client";

export type Overrides = Partial<Schemas["OverridesIn"]>;

/** A frame of a clip and how it is looked at; the server composes its chain. */
export type Seen = {
  clip_id: number;
  /** What the page knows to be in force for the clip, as the server's key. */
  stand: string;
  frame: number;
  width: number;
  overrides: Overrides;
  mark: Mark;
  /** See HDR darkened until its peak is white, instead of clipped at its reference white. */
  whole: boolean;
  /** What of it is on screen: left, top, width and height in shares; all of it by default. */
  region?: [number, number, number, number] | null;
  /** What the scopes are of; by default what is on screen. */
  scoped?: [number, number, number, number];
  /** The parade shows the lowest tenth of the signal. */
  lowest?: boolean;
};

export type DraftRequest = Seen & {
  session: string;
  view: string;
  sequence: number;
  scopes: boolean;
};

/** What is hatched: away from what the fit has seen, or what the display cannot show. */
export type Mark = Schemas["SeenIn"]["mark"];

export type DraftHeader = {
  sequence: number;
  width: number;
  height: number;
  clip: string;
  frame: number;
  /** Whether a match is in its chain. */
  matched: boolean;
  jpeg: number;
  scopes: boolean;
  columns: number;
  levels: number;
  side: number;
  bottom: number;
  top: number;
  /** What of the frame the picture shows, in whole pixels; null for all of it. */
  region: [number, number, number, number] | null;
  /** What the scopes are of, where it is not what is shown. */
  scoped: [number, number, number, number] | null;
  /** How wide the frame was that it was cut from. */
  pixels: number;
  /** Shares of the picture: hatched as unseen; outside of the display's primaries; above white. */
  unseen: number | null;
  outside: number | null;
  clipped: number | null;
  /** Shares that the recording itself has clipped, in red, green and blue. */
  recorded: number[] | null;
  display: string;
  /** Of HDR: the light in nit that is white on screen. */
  white: number | null;
  /** Weights of R' and B' in Y'. */
  luma?: [number, number];
  /** Of HDR: signals, and the light of a neutral there in nit. */
  light?: [number, number][];
};

/** Counts of a picture: parade [channel][column][level], vectorscope [row][column]. */
export type ScopeCounts = { header: DraftHeader; parade: Uint16Array; vector: Uint16Array };

export type DraftMessage = { header: DraftHeader; jpeg: Blob; counts: ScopeCounts | null };

/** This page among all that look at pictures. */
export const SESSION = `${Date.now().toString(36)}-${Math.random().toString(36).slice(2, 10)}`;

/** Take one binary message apart: length and header, JPEG, parade, vectorscope. */
export function parseDraft(data: ArrayBuffer): DraftMessage {
  const length = new DataView(data).getUint32(0, true);
  const header = JSON.parse(
    new TextDecoder().decode(new Uint8Array(data, 4, length)),
  ) as DraftHeader;
  const start = 4 + length;
  const jpeg = new Blob([new Uint8Array(data, start, header.jpeg)], { type: "image/jpeg" });
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

const JSON_TYPE = { "Content-Type": "application/json" };

/**
 * Ask for a picture. Null where a newer one took its place; "busy" where too many wait at the
 * server: ask again in a moment.
 */
export async function requestDraft(body: DraftRequest): Promise<DraftMessage | null | "busy"> {
  let response: Response;
  try {
    response = await fetch("/api/pictures/draft", {
      method: "POST",
      headers: JSON_TYPE,
      body: JSON.stringify(body),
    });
  } catch (error) {
    throw toProblem(error);
  }
  if (response.status === 409) return null;
  if (response.status === 429) return "busy";
  if (!response.ok) throw toProblem(await response.json().catch(() => null));
  return parseDraft(await response.arrayBuffer());
}

/** Tell the server that nobody looks at a picture any more. */
export function closeView(view: string): void {
  // Nobody waits for the answer: the page may be going away.
  void fetch("/api/pictures/close", {
    method: "POST",
    headers: JSON_TYPE,
    body: JSON.stringify({ session: SESSION, view }),
    keepalive: true,
  }).catch(() => undefined);
}
