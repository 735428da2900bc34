import { useMutation, useQueryClient } from "@tanstack/react-query";
import { type Ref, useEffect, useImperativeHandle, useRef, useState } from "react";
import { api, type Point, type Schemas, type Side, unwrap } from "@/api/client";
import { afterChange, pictureUrl } from "@/api/queries";
import { AreaOverlay } from "@/shared/AreaOverlay";
import { Problem } from "@/shared/Feedback";
import type { Area } from "@/shared/fitChoice";
import { CameraMark } from "@/shared/Marks";
import { PutAway } from "@/shared/PutAway";
import { Bracket } from "./Bracket";
import { GridOverlay } from "./GridOverlay";
import { closer, quarterTurn, startingCorners } from "./geometry";
import { Loupe } from "./Loupe";
import { useNear } from "./useNear";

export type AreasOfSide = {
  isDrawing: boolean;
  drawn: { number: number; area: Area }[];
  onArea: (area: Area) => void;
};

export type ChartPictureHandle = { find: () => void };

/** One camera's chart clip with the grid that is read, and the tools to place it. */
export function ChartPicture({
  side,
  lightId,
  layout,
  production,
  isMatched = false,
  isReference = false,
  areas = null,
  ref,
}: {
  side: Side;
  lightId: number;
  layout: Schemas["LayoutOut"];
  production: number;
  /** The picture as it is matched, not as it was shot. */
  isMatched?: boolean;
  isReference?: boolean;
  /** Areas of this side, numbered; drawn while `isDrawing`. */
  areas?: AreasOfSide | null;
  ref?: Ref<ChartPictureHandle>;
}) {
  const charts = side.clips.filter((c) => c.kind === "chart");
  const usual = charts.find((c) => c.id === side.reading?.clip_id) ?? charts[0] ?? side.clips[0];
  const [chosen, setChosen] = useState<number | null>(null);
  // Here, since a new reading makes the picture's own state anew.
  const [isMerging, setMerging] = useState(false);
  const clip = side.clips.find((c) => c.id === chosen) ?? usual;
  return (
    <section
      className="surround-dim rule relative flex min-h-0 flex-1 items-center justify-center overflow-hidden border-b"
      aria-label={`Chart of camera ${side.letter}`}
    >
      {clip ? (
        <Placed
          key={`${clip.id}-${side.reading?.id ?? 0}-${layout.slug}`}
          side={side}
          clip={clip}
          layout={layout}
          areas={areas}
          onClip={setChosen}
          onMerge={() => setMerging(true)}
          production={production}
          isMatched={isMatched}
          isReference={isReference}
          ref={ref ?? null}
        />
      ) : (
        <p className="faint p-6">
          {side.letter} {side.name} has no clip in this light. Bring one in from the Board.
        </p>
      )}
      {isMerging && (
        <Bracket side={side} lightId={lightId} layout={layout} onClose={() => setMerging(false)} />
      )}
    </section>
  );
}

function Placed({
  side,
  clip,
  layout,
  areas,
  onClip,
  onMerge,
  production,
  isMatched,
  isReference,
  ref,
}: {
  side: Side;
  clip: Side["clips"][number];
  layout: Schemas["LayoutOut"];
  areas: AreasOfSide | null;
  onClip: (id: number) => void;
  onMerge: () => void;
  production: number;
  isMatched: boolean;
  isReference: boolean;
  ref: Ref<ChartPictureHandle>;
}) {
  const client = useQueryClient();
  // A reading of another chart than the one that is chosen is not shown as this one's.
  const reading =
    side.reading?.clip_id === clip.id && side.reading.layout.names.length === layout.names.length
      ? side.reading
      : null;
  const [others, setOthers] = useState<Point[][]>([]);
  const charts = side.clips.filter((c) => c.kind === "chart");
  const [moved, setMoved] = useState<Point[] | null>(null);
  const [held, setHeld] = useState<number | null>(null);
  const [question, setQuestion] = useState(false);
  const box = useRef<HTMLDivElement>(null);
  const { near } = useNear();
  const corners = moved ?? (reading?.corners as Point[] | undefined) ?? null;

  const read = useMutation({
    mutationFn: (wanted: { corners: Point[]; by: "search" | "hand"; others?: Point[][] }) =>
      unwrap(
        api.POST("/api/clips/{clip_id}/readings", {
          params: { path: { clip_id: clip.id } },
          body: {
            corners: wanted.corners,
            found_by: wanted.by,
            layout: layout.slug,
            others: wanted.others ?? [],
          },
        }),
      ),
    onSuccess: async () => {
      await afterChange(client, "matching");
      setMoved(null);
      setQuestion(false);
    },
  });
  const findKey = ["find", clip.id];
  const stop = useRef<AbortController | null>(null);
  const find = useMutation({
    mutationKey: findKey,
    mutationFn: (every: boolean) => {
      stop.current = new AbortController();
      return unwrap(
        api.POST("/api/clips/{clip_id}/find", {
          params: { path: { clip_id: clip.id } },
          body: { layout: layout.slug, every },
          signal: stop.current.signal,
        }),
      );
    },
    onSuccess: (found) => {
      const at = found.corners as Point[];
      setMoved(at);
      setOthers(found.others.map((other) => other.corners as Point[]));
      setQuestion(!found.orientation_certain);
      if (found.orientation_certain && !found.others.length)
        read.mutate({ corners: at, by: "search" });
    },
  });
  // While a handle moves the view stays: it is taken from the reading, not from the hand.
  const anchor = (reading?.corners as Point[] | undefined) ?? null;
  const view =
    near && anchor ? closer(anchor, layout, clip.width, clip.height) : { scale: 1, x: 0, y: 0 };
  const busy = find.isPending || read.isPending;
  useImperativeHandle(ref, () => ({
    find: () => {
      // Asked of the cache: two keys in one frame come before `busy` is drawn.
      if (!client.isMutating({ mutationKey: findKey })) find.mutate(false);
    },
  }));
  const flagged = reading?.patches.filter((p) => p.flags.length) ?? [];
  const edit = (next: Point[]) => {
    setMoved(next);
    read.reset();
  };
  return (
    <>
      <div
        ref={box}
        className="relative max-h-full w-full overflow-hidden"
        style={{ aspectRatio: `${clip.width} / ${clip.height}` }}
      >
        <div
          className="absolute inset-0 origin-top-left"
          style={{
            transform: `translate(${view.x * 100}%, ${view.y * 100}%) scale(${view.scale})`,
          }}
        >
          <img
            src={
              isMatched
                ? pictureUrl(clip.id, 0, Math.min(clip.width, 1920), "output", clip.stand)
                : pictureUrl(clip.id, 0, Math.min(clip.width, 1920), "input")
            }
            alt={`${clip.name}, ${isMatched ? "as matched" : "as shot"}`}
            className="absolute inset-0 h-full w-full"
            draggable={false}
          />
          {corners && (
            <GridOverlay
              clip={clip}
              corners={corners}
              layout={layout}
              zoom={view.scale}
              flags={moved ? [] : (reading?.patches ?? [])}
              beside={moved ? others : ((reading?.notes.beside ?? []) as Point[][])}
              onMove={edit}
              onHold={setHeld}
              onRead={() => read.mutate({ corners, by: "hand" })}
            />
          )}
          {areas && (
            <AreaOverlay
              clip={clip}
              areas={areas.drawn.filter(({ area }) => area.clip_id === clip.id)}
              isDrawing={areas.isDrawing}
              zoom={view.scale}
              onArea={areas.onArea}
            />
          )}
        </div>
        {corners && held !== null && corners[held] && (
          <Loupe clip={clip} at={corners[held]} box={box} />
        )}
      </div>
      <div className="absolute top-11 left-2 flex max-w-[calc(100%-1rem)] items-center gap-2 rounded bg-base-200/85 px-2 py-1 min-[1500px]:top-2">
        <CameraMark letter={side.letter} reference={isReference} size={20} />
        <span className="flex items-center gap-1.5">
          {side.clips.length > 1 ? (
            <select
              className="select select-xs w-28"
              aria-label={`Clip of camera ${side.letter}`}
              value={clip.id}
              onChange={(e) => onClip(Number(e.target.value))}
            >
              {side.clips.map((c) => (
                <option key={c.id} value={c.id}>
                  {c.name}
                </option>
              ))}
            </select>
          ) : (
            clip.name
          )}
          <span className="faint truncate">
            {reading && !moved
              ? describe(reading, flagged.length)
              : moved
                ? others.length
                  ? `one of ${others.length + 1} charts, not read yet`
                  : "grid moved, not read yet"
                : "not read yet"}
          </span>
          {reading && !moved && (
            <PutAway production={production} kind="reading" id={reading.id} text="Throw out" />
          )}
        </span>
      </div>
      <div className="absolute top-2 right-2 flex gap-1.5">
        <button
          type="button"
          className="btn btn-sm"
          disabled={read.isPending}
          onClick={() => (find.isPending ? stop.current?.abort() : find.mutate(false))}
        >
          {find.isPending ? "Stop finding" : "Find"}
        </button>
        {others.length > 0 ? (
          <button
            type="button"
            className="btn btn-sm"
            onClick={() => {
              const [next, ...rest] = others;
              if (!next || !moved) return;
              setMoved(next);
              setOthers([...rest, moved]);
            }}
          >
            Next chart
          </button>
        ) : (
          moved === null && (
            <button
              type="button"
              className="btn btn-sm"
              title="Look for every chart in the frame, at every size"
              disabled={busy}
              onClick={() => find.mutate(true)}
            >
              Find every chart
            </button>
          )
        )}
        {charts.length > 1 && moved === null && (
          <button type="button" className="btn btn-sm" onClick={onMerge}>
            Bracket …
          </button>
        )}
        {corners ? (
          <button
            type="button"
            className="btn btn-sm"
            onClick={() => edit(quarterTurn(corners, layout))}
          >
            Turn ¼
          </button>
        ) : (
          <button
            type="button"
            className="btn btn-sm"
            onClick={() => edit(startingCorners(clip.width, clip.height, layout))}
          >
            By hand
          </button>
        )}
        {moved && (
          <>
            <button
              type="button"
              className="btn btn-sm"
              onClick={() => {
                setMoved(null);
                setOthers([]);
                setQuestion(false);
              }}
            >
              Undo
            </button>
            {others.length > 0 && (
              <button
                type="button"
                className="btn btn-sm"
                disabled={busy}
                title="One makes the match, the others steady its colour; which is which in the other camera is told by what they show"
                onClick={() => read.mutate({ corners: moved, by: "hand", others })}
              >
                Read all {others.length + 1}
              </button>
            )}
            <button
              type="button"
              className="btn btn-sm btn-primary"
              disabled={busy}
              onClick={() => read.mutate({ corners: moved, by: "hand" })}
            >
              {read.isPending ? "Reading …" : "Read"}
            </button>
          </>
        )}
      </div>
      <div className="absolute inset-x-2 bottom-2">
        {question && (
          <output className="block rounded bg-base-100 p-2">
            A chart was found, but not which way up it is. Turn the grid until 1 lies on{" "}
            {layout.names[0]} and {layout.names.length} on {layout.names[layout.names.length - 1]},
            then read.
          </output>
        )}
        {find.isPending && <Elapsed what={`Looking for the chart in ${clip.name}`} />}
        {find.isError && !isAbort(find.error) && (
          <Problem error={find.error} onClose={find.reset} />
        )}
        {read.isError && <Problem error={read.error} onClose={read.reset} />}
      </div>
    </>
  );
}

const isAbort = (error: unknown) => error instanceof DOMException && error.name === "AbortError";

/** What is being done, and for how long already. */
function Elapsed({ what }: { what: string }) {
  const [seconds, setSeconds] = useState(0);
  useEffect(() => {
    const timer = setInterval(() => setSeconds((s) => s + 1), 1000);
    return () => clearInterval(timer);
  }, []);
  return (
    <output className="block rounded bg-base-100 p-2">
      {what}
      {seconds > 0 && `, ${seconds} s`}
    </output>
  );
}

/** What there is to say of a reading: its frames or exposures, and what is wrong with some. */
function describe(reading: Schemas["ReadingOut"], flagged: number): string {
  const { notes } = reading;
  const left = notes.left_out_frames.length;
  const frames = reading.frames.length;
  const parts = [`reading ${reading.number}`];
  if (notes.bracket.length) parts.push(`${notes.bracket.length} exposures`);
  else parts.push(left ? `the best ${frames} of ${frames + left} frames` : `${frames} frames`);
  if (notes.beside.length) parts.push(`with ${notes.beside.length} more beside`);
  if (notes.is_moving) parts.push(`moves by ${notes.moved.toFixed(0)} px`);
  if (flagged) parts.push(`◇ ${flagged} flagged`);
  return parts.join(", ");
}
