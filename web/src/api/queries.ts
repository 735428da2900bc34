import { keepPreviousData, type QueryClient, queryOptions, skipToken } from "@tanstack/react-query";
import { api, type Job, type Schemas, unwrap } from "./client";
import type { Seen } from "./draft";

export const keys = {
  productions: ["productions"] as const,
  board: (id: number) => ["board", id] as const,
  angle: (light: number, camera: number) => ["angle", light, camera] as const,
  matches: (light: number, camera: number) => ["matches", light, camera] as const,
  exports: (light: number, camera: number) => ["exports", light, camera] as const,
  media: (folder: string) => ["media", folder] as const,
  encodings: ["encodings"] as const,
  jobs: (production: number) => ["jobs", production] as const,
};

// What no change of a production touches: tables of the core, and plots of what is asked for.
const FIXED = new Set(["densities", "displays", "configs", "curve", "tone"]);

// By the first part of their keys, the queries that a kind of change can touch.
const PICTURE = [
  "board",
  "angle",
  "matches",
  "exports",
  "over",
  "history",
  "jobs",
  "trim",
  "measured",
  "aims",
];
const TOUCHED = {
  look: new Set(PICTURE), // balance and look: what lies over the matched angles
  matching: new Set([...PICTURE, "clips", "clip"]), // readings, fits, revisions
};

// What people look at: asked for before the rest, since a browser sends only a few at once.
const NEAR = new Set(["angle", "matches"]);

/** Ask again, by key, for what a change may have touched; anything of the production by default. */
export async function afterChange(client: QueryClient, what?: keyof typeof TOUCHED): Promise<void> {
  const touched = ({ queryKey }: { queryKey: readonly unknown[] }, near: boolean) => {
    const first = String(queryKey[0]);
    return NEAR.has(first) === near && (what ? TOUCHED[what].has(first) : !FIXED.has(first));
  };
  const rest = (query: { queryKey: readonly unknown[] }) => touched(query, false);
  await client.invalidateQueries({ predicate: rest, refetchType: "none" });
  await client.invalidateQueries({ predicate: (query) => touched(query, true) });
  await client.refetchQueries({ predicate: rest, type: "active", stale: true });
}

/** Who is signed in; nobody is asked on one's own machine. */
export const sessionQuery = () =>
  queryOptions({
    queryKey: ["session"] as const,
    queryFn: ({ signal }) => unwrap(api.GET("/api/session", { signal })),
    staleTime: Number.POSITIVE_INFINITY,
    retry: false,
  });

export const productionsQuery = () =>
  queryOptions({
    queryKey: keys.productions,
    queryFn: ({ signal }) => unwrap(api.GET("/api/productions", { signal })),
  });

export const boardQuery = (id: number) =>
  queryOptions({
    queryKey: keys.board(id),
    queryFn: ({ signal }) =>
      unwrap(
        api.GET("/api/productions/{production_id}/board", {
          params: { path: { production_id: id } },
          signal,
        }),
      ),
  });

/** The log's newest entries, and what undo and redo would do. */
export const historyQuery = (production: number) =>
  queryOptions({
    queryKey: ["history", production],
    queryFn: ({ signal }) =>
      unwrap(
        api.GET("/api/productions/{production_id}/history", {
          params: { path: { production_id: production } },
          signal,
        }),
      ),
  });

export const usualQuery = (camera: number, encoding: string) =>
  queryOptions({
    queryKey: ["usual", camera, encoding],
    queryFn: ({ signal }) =>
      unwrap(
        api.GET("/api/cameras/{camera_id}/usual", {
          params: { path: { camera_id: camera }, query: { encoding } },
          signal,
        }),
      ),
  });

const place = (light: number, camera: number) => ({
  params: { path: { light_id: light, camera_id: camera } },
});

/** What is known of it; it is worked out as a job, and changes with the readings. */
export const encodingCheckQuery = (light: number, camera: number) =>
  queryOptions({
    queryKey: [...keys.angle(light, camera), "encoding-check"],
    queryFn: ({ signal }) =>
      unwrap(
        api.GET("/api/lights/{light_id}/cameras/{camera_id}/encoding-check", {
          ...place(light, camera),
          signal,
        }),
      ),
    refetchInterval: (query) =>
      query.state.data?.job && isOpen(query.state.data.job) ? 300 : false,
    retry: false,
  });

export const angleQuery = (light: number, camera: number) =>
  queryOptions({
    queryKey: keys.angle(light, camera),
    queryFn: ({ signal }) =>
      unwrap(
        api.GET("/api/lights/{light_id}/cameras/{camera_id}", { ...place(light, camera), signal }),
      ),
  });

export const matchesQuery = (light: number, camera: number) =>
  queryOptions({
    queryKey: keys.matches(light, camera),
    queryFn: ({ signal }) =>
      unwrap(
        api.GET("/api/lights/{light_id}/cameras/{camera_id}/matches", {
          ...place(light, camera),
          signal,
        }),
      ),
  });

export const exportsQuery = (light: number, camera: number) =>
  queryOptions({
    queryKey: keys.exports(light, camera),
    queryFn: ({ signal }) =>
      unwrap(
        api.GET("/api/lights/{light_id}/cameras/{camera_id}/exports", {
          ...place(light, camera),
          signal,
        }),
      ),
  });

/** Clips of a camera in a light that its usual LUT does not fit. */
export const variantsQuery = (light: number, camera: number) =>
  queryOptions({
    queryKey: [...keys.exports(light, camera), "variants"],
    queryFn: ({ signal }) =>
      unwrap(
        api.GET("/api/lights/{light_id}/cameras/{camera_id}/variants", {
          ...place(light, camera),
          signal,
        }),
      ),
  });

export const encodingsQuery = (production: number) =>
  queryOptions({
    queryKey: [...keys.encodings, production],
    staleTime: Number.POSITIVE_INFINITY,
    queryFn: ({ signal }) =>
      unwrap(api.GET("/api/encodings", { params: { query: { production } }, signal })),
  });

export const curveQuery = (slug: string, levels: "full" | "legal") =>
  queryOptions({
    queryKey: ["curve", slug, levels],
    staleTime: Number.POSITIVE_INFINITY,
    retry: false,
    queryFn: ({ signal }) =>
      unwrap(api.GET("/api/encoding-curve", { params: { query: { slug, levels } }, signal })),
  });

/** What the LUTs of a look do to a frame; the last answer stays until the next has come. */
export const diagnosticsQuery = (seen: Seen | null) =>
  queryOptions({
    queryKey: ["diagnostics", seen],
    placeholderData: keepPreviousData,
    gcTime: 10_000,
    queryFn: seen
      ? ({ signal }) =>
          unwrap(api.POST("/api/pictures/diagnostics", { body: seen as Schemas["SeenIn"], signal }))
      : skipToken,
  });

export const displaysQuery = () =>
  queryOptions({
    queryKey: ["displays"],
    staleTime: Number.POSITIVE_INFINITY,
    queryFn: ({ signal }) => unwrap(api.GET("/api/displays", { signal })),
  });

export const toneQuery = (display: string, tone: Schemas["ToneScale"]) =>
  queryOptions({
    queryKey: ["tone", display, tone],
    staleTime: Number.POSITIVE_INFINITY,
    retry: false,
    queryFn: ({ signal }) =>
      unwrap(api.POST("/api/tone-curve", { body: { display, tone }, signal })),
  });

export const configsQuery = () =>
  queryOptions({
    queryKey: ["configs"],
    staleTime: Number.POSITIVE_INFINITY,
    queryFn: ({ signal }) => unwrap(api.GET("/api/configs", { signal })),
  });

export const spacesQuery = (config: string) =>
  queryOptions({
    queryKey: ["configs", config],
    staleTime: Number.POSITIVE_INFINITY,
    queryFn: ({ signal }) =>
      unwrap(api.GET("/api/configs/spaces", { params: { query: { config } }, signal })),
  });

/** What taking clips as another encoding would change; asked anew each time. */
export const takeAsQuery = (clip: number, body: Schemas["TakeAsIn"]) =>
  queryOptions({
    queryKey: ["take-as", clip, body],
    gcTime: 0,
    retry: false,
    queryFn: ({ signal }) =>
      unwrap(
        api.POST("/api/clips/{clip_id}/take-as/preview", {
          params: { path: { clip_id: clip } },
          body,
          signal,
        }),
      ),
  });

export const trimQuery = (light: number, camera: number, clip: number) =>
  queryOptions({
    queryKey: ["trim", light, camera, clip],
    queryFn: ({ signal }) =>
      unwrap(
        api.GET("/api/lights/{light_id}/cameras/{camera_id}/trim", {
          params: {
            path: { light_id: light, camera_id: camera },
            query: clip ? { clip_id: clip } : {},
          },
          signal,
        }),
      ),
  });

export type Asked = Schemas["MeasureIn"];

/** How far the picture is off, after match and trim: asked when the hand rests. */
export const measureQuery = (light: number, camera: number, asked: Asked | null) =>
  queryOptions({
    queryKey: ["measured", light, camera, asked],
    queryFn: ({ signal }) =>
      unwrap(
        api.POST("/api/lights/{light_id}/cameras/{camera_id}/trim/measure", {
          params: { path: { light_id: light, camera_id: camera } },
          body: asked as Asked,
          signal,
        }),
      ),
    enabled: asked !== null,
    placeholderData: keepPreviousData,
  });

/** Probes of a light, with their places in its clips. */
export const spotsQuery = (match: number) =>
  queryOptions({
    queryKey: ["spots", match],
    queryFn: ({ signal }) =>
      unwrap(
        api.GET("/api/matches/{match_id}/spots", { params: { path: { match_id: match } }, signal }),
      ),
    staleTime: Number.POSITIVE_INFINITY, // a revision never changes
  });

export const probesQuery = (light: number) =>
  queryOptions({
    queryKey: ["probes", light],
    queryFn: ({ signal }) =>
      unwrap(
        api.GET("/api/lights/{light_id}/probes", { params: { path: { light_id: light } }, signal }),
      ),
  });

/** Where tuners should stand on purpose. */
export const aimsQuery = (production: number) =>
  queryOptions({
    queryKey: ["aims", production],
    queryFn: ({ signal }) =>
      unwrap(
        api.GET("/api/productions/{production_id}/aims", {
          params: { path: { production_id: production } },
          signal,
        }),
      ),
  });

/** Marks over a frame: lines of equal stops, casts near neutral. */
export const overlaysQuery = (asked: Schemas["OverlaysIn"] | null) =>
  queryOptions({
    queryKey: ["overlays", asked],
    placeholderData: keepPreviousData,
    enabled: asked !== null,
    queryFn: ({ signal }) =>
      unwrap(api.POST("/api/pictures/overlays", { body: asked as Schemas["OverlaysIn"], signal })),
  });

/** Pictures to match to: frames as they stood, and stills that were brought in. */
export const pinsQuery = (production: number) =>
  queryOptions({
    queryKey: ["pins", production],
    queryFn: ({ signal }) =>
      unwrap(
        api.GET("/api/productions/{production_id}/pins", {
          params: { path: { production_id: production } },
          signal,
        }),
      ),
  });

/** What a scanned negative may be taken as, with names. */
export const densitiesQuery = () =>
  queryOptions({
    queryKey: ["densities"] as const,
    queryFn: ({ signal }) => unwrap(api.GET("/api/film-densities", { signal })),
    staleTime: Number.POSITIVE_INFINITY,
  });

export const overQuery = (light: number) =>
  queryOptions({
    queryKey: ["over", light],
    queryFn: ({ signal }) =>
      unwrap(
        api.GET("/api/lights/{light_id}/over", { params: { path: { light_id: light } }, signal }),
      ),
  });

export const isOpen = (job: Job) => job.state === "queued" || job.state === "running";

/** Asked again while something runs, and not otherwise. */
export const jobsQuery = (production: number) =>
  queryOptions({
    queryKey: keys.jobs(production),
    queryFn: ({ signal }) =>
      unwrap(
        api.GET("/api/productions/{production_id}/jobs", {
          params: { path: { production_id: production } },
          signal,
        }),
      ),
    refetchInterval: (query) => (query.state.data?.some(isOpen) ? 150 : false),
  });

export const mediaQuery = (folder: string) =>
  queryOptions({
    queryKey: keys.media(folder),
    queryFn: ({ signal }) =>
      unwrap(api.GET("/api/media", { params: { query: { folder } }, signal })),
  });

export function pictureUrl(
  clip: number,
  frame: number,
  width: number,
  stage: "code" | "input" | "output" = "output",
  key = "",
): string {
  const query = new URLSearchParams({ width: String(width), stage });
  if (key) query.set("k", key);
  return `/api/clips/${clip}/frames/${frame}/picture?${query}`;
}

export const arrivalsQuery = (production: number) =>
  queryOptions({
    queryKey: ["arrivals", production],
    queryFn: ({ signal }) =>
      unwrap(
        api.GET("/api/productions/{production_id}/arrivals", {
          params: { path: { production_id: production } },
          signal,
        }),
      ),
  });

export type ClipFilter = {
  search?: string;
  letter?: string;
  light_id?: number;
  kind?: string;
  doubtful?: boolean;
  first?: number;
  most?: number;
};

/** What was put away, and can come back. */
export const awayQuery = (production: number) =>
  queryOptions({
    queryKey: ["away", production],
    queryFn: ({ signal }) =>
      unwrap(
        api.GET("/api/productions/{production_id}/away", {
          params: { path: { production_id: production } },
          signal,
        }),
      ),
  });

export const productionsAwayQuery = () =>
  queryOptions({
    queryKey: [...keys.productions, "away"],
    queryFn: ({ signal }) => unwrap(api.GET("/api/productions-away", { signal })),
  });

export const clipsQuery = (production: number, filter: ClipFilter) =>
  queryOptions({
    queryKey: ["clips", production, filter],
    placeholderData: keepPreviousData,
    queryFn: ({ signal }) =>
      unwrap(
        api.GET("/api/productions/{production_id}/clips", {
          params: { path: { production_id: production }, query: filter },
          signal,
        }),
      ),
  });

export const clipQuery = (clip: number) =>
  queryOptions({
    queryKey: ["clip", clip],
    queryFn: ({ signal }) =>
      unwrap(api.GET("/api/clips/{clip_id}", { params: { path: { clip_id: clip } }, signal })),
  });
