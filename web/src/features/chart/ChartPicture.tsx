import { useMutation, useQueryClient } from "@tanstack/react-query";
import { type Ref, useImperativeHandle, useRef, useState } from "react";
import { api, type Clip, type Point, type Side, unwrap } from "@/api/client";
import { pictureUrl } from "@/api/queries";
import { Problem } from "@/shared/Feedback";
import { CameraMark } from "@/shared/Marks";
import { GridOverlay } from "./GridOverlay";
import { closer, quarterTurn, startingCorners } from "./geometry";
import { Loupe } from "./Loupe";
import { useNear } from "./useNear";

export type ChartPictureHandle = { find: () => void };

/** One camera's chart clip with the grid that is read, and the tools to place it. */
export function ChartPicture({
  side,
  isReference = false,
  ref,
}: {
  side: Side;
  isReference?: boolean;
  ref?: Ref<ChartPictureHandle>;
}) {
  const charts = side.clips.filter((c) => c.kind === "chart");
  const clip = charts.find((c) => c.id === side.reading?.clip_id) ?? charts[0] ?? side.clips[0];
  return (
    <section
      className="surround-dim rule relative flex min-h-0 flex-1 items-center justify-center overflow-hidden border-b"
      aria-label={`Chart of camera ${side.letter}`}
    >
      {clip ? (
        <Placed
          key={`${clip.id}-${side.reading?.id ?? 0}`}
          side={side}
          clip={clip}
          isReference={isReference}
          ref={ref ?? null}
        />
      ) : (
        <p className="faint p-6">
          {side.letter} {side.name} has no clip in this light. Bring one in from the Board.
        </p>
      )}
    </section>
  );
}

function Placed({
  side,
  clip,
  isReference,
  ref,
}: {
  side: Side;
  clip: Clip;
  isReference: boolean;
  ref: Ref<ChartPictureHandle>;
}) {
  const client = useQueryClient();
  const reading = side.reading?.clip_id === clip.id ? side.reading : null;
  const [moved, setMoved] = useState<Point[] | null>(null);
  const [held, setHeld] = useState<number | null>(null);
  const [question, setQuestion] = useState(false);
  const box = useRef<HTMLDivElement>(null);
  const { near } = useNear();
  const corners = moved ?? (reading?.corners as Point[] | undefined) ?? null;

  const read = useMutation({
    mutationFn: (wanted: { corners: Point[]; by: "search" | "hand" }) =>
      unwrap(
        api.POST("/api/clips/{clip_id}/readings", {
          params: { path: { clip_id: clip.id } },
          body: { corners: wanted.corners, found_by: wanted.by },
        }),
      ),
    onSuccess: async () => {
      await client.invalidateQueries();
      setMoved(null);
      setQuestion(false);
    },
  });
  const findKey = ["find", clip.id];
  const find = useMutation({
    mutationKey: findKey,
    mutationFn: () =>
      unwrap(
        api.POST("/api/clips/{clip_id}/find", { params: { path: { clip_id: clip.id } }, body: {} }),
      ),
    onSuccess: (found) => {
      const at = found.corners as Point[];
      setMoved(at);
      setQuestion(!found.orientation_certain);
      if (found.orientation_certain) read.mutate({ corners: at, by: "search" });
    },
  });
  // While a handle moves the view stays: it is taken from the reading, not from the hand.
  const anchor = (reading?.corners as Point[] | undefined) ?? null;
  const view = near && anchor ? closer(anchor, clip.width, clip.height) : { scale: 1, x: 0, y: 0 };
  const busy = find.isPending || read.isPending;
  useImperativeHandle(ref, () => ({
    find: () => {
      // Asked of the cache: two keys in one frame come before `busy` is drawn.
      if (!client.isMutating({ mutationKey: findKey })) find.mutate();
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
            src={pictureUrl(clip.id, 0, Math.min(clip.width, 1920), "input")}
            alt={`${clip.name}, as shot`}
            className="absolute inset-0 h-full w-full"
            draggable={false}
          />
          {corners && (
            <GridOverlay
              clip={clip}
              corners={corners}
              zoom={view.scale}
              flags={moved ? [] : (reading?.patches ?? [])}
              onMove={edit}
              onHold={setHeld}
              onRead={() => read.mutate({ corners, by: "hand" })}
            />
          )}
        </div>
        {corners && held !== null && corners[held] && (
          <Loupe clip={clip} at={corners[held]} box={box} />
        )}
      </div>
      <div className="absolute top-2 left-2 flex items-center gap-2 rounded bg-base-200/85 px-2 py-1">
        <CameraMark letter={side.letter} reference={isReference} size={20} />
        <span>
          {clip.name}
          <span className="faint">
            {" "}
            {reading && !moved
              ? `reading ${reading.number}, ${reading.frames.length} frames${flagged.length ? `, ◇ ${flagged.length} flagged` : ""}`
              : moved
                ? "grid moved, not read yet"
                : "not read yet"}
          </span>
        </span>
      </div>
      <div className="absolute top-2 right-2 flex gap-1.5">
        <button type="button" className="btn btn-sm" disabled={busy} onClick={() => find.mutate()}>
          {find.isPending ? "Finding …" : "Find"}
        </button>
        {corners ? (
          <button type="button" className="btn btn-sm" onClick={() => edit(quarterTurn(corners))}>
            Turn ¼
          </button>
        ) : (
          <button
            type="button"
            className="btn btn-sm"
            onClick={() => edit(startingCorners(clip.width, clip.height))}
          >
            By hand
          </button>
        )}
        {moved && (
          <>
            <button type="button" className="btn btn-sm" onClick={() => setMoved(null)}>
              Undo
            </button>
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
            A chart was found, but not which way up it is. Turn the grid until 1 lies on dark skin
            and 24 on black, then read.
          </output>
        )}
        {find.isError && <Problem error={find.error} />}
        {read.isError && <Problem error={read.error} />}
      </div>
    </>
  );
}
