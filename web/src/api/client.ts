import createClient, { type MaybeOptionalInit } from "openapi-fetch";
import type { PathsWithMethod, RequiredKeysOf } from "openapi-typescript-helpers";
import { authorHeaders } from "./author";
import type { components, paths } from "./schema";

export type Schemas = components["schemas"];
export type Board = Schemas["BoardOut"];
export type Cell = Schemas["CellOut"];
export type Camera = Schemas["CameraOut"];
export type Light = Schemas["LightOut"];
export type Production = Schemas["ProductionOut"];
export type Clip = Schemas["ClipOut"];
export type StandingClip = Schemas["StandingClip"];
export type Angle = Schemas["AngleOut"];
export type Side = Schemas["SideOut"];
export type Match = Schemas["MatchOut"];
export type Reading = Schemas["ReadingOut"];
export type Model = Schemas["FitIn"]["model"];
export type Residual = Schemas["ResidualOut"];
export type Tuner = Schemas["TunerOut"];
export type Export = Schemas["ExportOut"];
export type Difference = Schemas["DifferenceOut"];
export type Output = Production["outputs"][number];
export type Over = Schemas["OverOut"];
export type LookLut = Schemas["LutOut"];
export type Job = Schemas["JobOut"];
export type Arrival = Schemas["ArrivalOut"];
export type ClipRow = Schemas["ClipRow"];
export type ClipDetails = Schemas["ClipDetails"];
export type ClipSettings = Partial<Schemas["ClipSettings"]>;
export type DisplayStage = Output["stage"];
export type Point = [number, number];

type Method = "get" | "post" | "patch";
type Json<R> = R extends { content: { "application/json": infer T } } ? T : undefined;
type Success<Op> = Op extends { responses: infer R }
  ? { [S in keyof R & (200 | 201 | 202 | 204)]: Json<R[S]> }[keyof R & (200 | 201 | 202 | 204)]
  : never;
type Call<M extends Method> = <
  P extends PathsWithMethod<paths, M>,
  Init extends MaybeOptionalInit<paths[P], M>,
>(
  path: P,
  ...init: RequiredKeysOf<Init> extends never ? [Init?] : [Init]
) => Promise<{ data?: Success<paths[P][M]>; error?: unknown; response: Response }>;

// The client's own types turn tuples into arrays on their way out of the schema. These do not.
export const api = createClient<paths>({
  baseUrl: window.location.origin,
  fetch: (request) => {
    for (const [name, value] of Object.entries(authorHeaders())) request.headers.set(name, value);
    return fetch(request).then((answer) => {
      // Where accounts are asked for, a session ends after a day of work.
      if (answer.status === 401)
        window.location.assign(`/sign-in?then=${encodeURIComponent(window.location.pathname)}`);
      return answer;
    });
  },
}) as unknown as { GET: Call<"get">; POST: Call<"post">; PATCH: Call<"patch"> };

/** A file as the body of a request: the schema calls it a string, what is sent is a form. */
export function fileBody(file: File) {
  const form = new FormData();
  form.append("file", file);
  return { body: form as unknown as { file: string }, bodySerializer: () => form };
}

/** What the server answers when it cannot do a thing: what was found, and what to do. */
export class ProblemError extends Error {
  readonly code: string;
  readonly hint: string;
  constructor(code: string, detail: string, hint: string) {
    super(detail);
    this.code = code;
    this.hint = hint;
  }
}

export function toProblem(error: unknown): ProblemError {
  if (error instanceof ProblemError) return error;
  if (typeof error === "object" && error !== null && "code" in error && "detail" in error) {
    const body = error as { code: unknown; detail: unknown; hint?: unknown };
    return new ProblemError(String(body.code), String(body.detail), String(body.hint ?? ""));
  }
  return new ProblemError(
    "unreachable",
    "Syntonos does not answer.",
    "See whether it still runs in its terminal, then try again.",
  );
}

/** Turn openapi-fetch's pair into a value or a thrown problem. */
export async function unwrap<T>(
  answer: Promise<{ data?: T; error?: unknown; response: Response }>,
): Promise<T> {
  let result: { data?: T; error?: unknown; response: Response };
  try {
    result = await answer;
  } catch (error) {
    if (error instanceof DOMException && error.name === "AbortError") throw error;
    throw toProblem(error);
  }
  if (!result.response.ok) throw toProblem(result.error);
  return result.data as T;
}
