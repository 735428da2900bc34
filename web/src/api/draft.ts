import { type Schemas, toProblem } from "./client";

export type Overrides = Partial<Schemas["OverridesIn"]>;

export type Subject = Schemas["SubjectIn"];

/** A frame of a subject and how it is looked at; the server composes its chain. */
export type Seen = {
  subject: Subject;
  /** What the page knows to be in force for a clip, as the server's key. */
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
  scopes: readonly Scope[];
};

export type Scope = Exclude<Schemas["BlockOut"]["name"], "picture">;
export const SCOPES: readonly Scope[] = ["parade", "vectorscope"];

/** What is hatched: away from what the fit has seen, or what the display cannot show. */
export type Mark = Schemas["SeenIn"]["mark"];

export type DraftHeader = Schemas["DraftHeader"];

/** Counts of a picture: parade [channel][column][level], vectorscope [row][column]. */
export type ScopeCounts = {
  header: DraftHeader;
  columns: number;
  levels: number;
  side: number;
  parade: Uint16Array;
  vector: Uint16Array;
};

export type DraftMessage = { header: DraftHeader; jpeg: Blob; counts: ScopeCounts | null };

/** This page among all that look at pictures. */
export const SESSION = `${Date.now().toString(36)}-${Math.random().toString(36).slice(2, 10)}`;

/** Take one binary message apart: the header's length, the header, and the blocks that it names. */
export function parseDraft(data: ArrayBuffer): DraftMessage {
  const length = new DataView(data).getUint32(0, true);
  const header = JSON.parse(
    new TextDecoder().decode(new Uint8Array(data, 4, length)),
  ) as DraftHeader;
  const found = new Map<string, { shape: number[]; bytes: ArrayBuffer }>();
  let at = 4 + length;
  for (const { name, shape, bytes } of header.blocks) {
    found.set(name, { shape, bytes: data.slice(at, at + bytes) });
    at += bytes;
  }
  const picture = found.get("picture");
  const [parade, vector] = [found.get("parade"), found.get("vectorscope")];
  const [, columns = 0, levels = 0] = parade?.shape ?? [];
  return {
    header,
    jpeg: new Blob(picture ? [picture.bytes] : [], { type: "image/jpeg" }),
    counts:
      parade && vector
        ? {
            header,
            columns,
            levels,
            side: vector.shape[0] ?? 0,
            parade: new Uint16Array(parade.bytes),
            vector: new Uint16Array(vector.bytes),
          }
        : null,
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
