import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { useSearchParams } from "react-router";
import { api, type Board, type ClipRow, unwrap } from "@/api/client";
import { clipsQuery, isOpen, jobsQuery } from "@/api/queries";
import { Empty, Loading, Problem } from "@/shared/Feedback";
import { CameraMark } from "@/shared/Marks";
import { Strip, useStrip } from "@/shared/Strip";
import { ClipDetails } from "./ClipDetails";
import { ClipSettings } from "./ClipSettings";
import { TickAll } from "./TickAll";
import { WORDS_OF } from "./words";

const PAGE = 60;

/** All clips: found by any word of what their files say, with settings of their own. */
export function ClipList({ board }: { board: Board }) {
  const id = board.production.id;
  const [place, setPlace] = useSearchParams();
  const [most, setMost] = useState(PAGE);
  const [chosen, setChosen] = useState<ReadonlySet<number>>(new Set());
  const [shown, setShown] = useState<number | null>(null);
  const search = place.get("find") ?? "";
  const letter = place.get("camera") ?? "";
  const light = Number(place.get("light")) || undefined;
  const doubtful = place.get("doubtful") === "on";
  const filter = { search, letter, most, doubtful, ...(light ? { light_id: light } : {}) };
  const clips = useQuery(clipsQuery(id, filter));
  const rows = clips.data?.clips ?? [];
  const set = (name: string, value: string) =>
    setPlace(
      (p) => {
        if (value) p.set(name, value);
        else p.delete(name);
        return p;
      },
      { replace: true },
    );
  const toggle = (ids: number[], on: boolean) => {
    const next = new Set(chosen);
    for (const one of ids) on ? next.add(one) : next.delete(one);
    setChosen(next);
  };
  const marked = rows.filter((c) => chosen.has(c.id));
  const missing = rows.filter((c) => c.is_missing).length;
  const isNarrow = marked.length > 0 || shown !== null;
  return (
    <div className="flex min-h-0 flex-1">
      <div className="flex min-w-0 flex-1 flex-col">
        <div className="rule flex shrink-0 items-center gap-2 border-b px-3 py-1.5">
          <input
            type="search"
            className="input input-sm min-w-24 max-w-64 flex-1"
            aria-label="Find clips"
            placeholder="Find: reel, lens, scene, take…"
            value={search}
            onChange={(e) => set("find", e.target.value)}
          />
          <select
            className="select select-sm w-36"
            aria-label="Camera"
            value={letter}
            onChange={(e) => set("camera", e.target.value)}
          >
            <option value="">all cameras</option>
            {board.cameras.map((c) => (
              <option key={c.id} value={c.letter}>
                {c.letter} {c.name}
              </option>
            ))}
          </select>
          <select
            className="select select-sm w-40"
            aria-label="Light"
            value={light ?? ""}
            onChange={(e) => set("light", e.target.value)}
          >
            <option value="">all lights</option>
            {board.lights.map((l) => (
              <option key={l.id} value={l.id}>
                {l.name}
              </option>
            ))}
          </select>
          <span className="faint ml-auto whitespace-nowrap">
            {clips.data ? `${clips.data.total} ${clips.data.total === 1 ? "clip" : "clips"}` : ""}
            {missing > 0 && `, ${missing} missing`}
          </span>
          {missing > 0 && <FindMissing production={id} />}
          <button
            type="button"
            className="btn btn-sm"
            aria-pressed={doubtful}
            title="Only clips whose encoding or levels something speaks against"
            onClick={() => set("doubtful", doubtful ? "" : "on")}
          >
            Doubtful
          </button>
          <CheckClips
            production={id}
            isDone={rows.length > 0 && rows.every((c) => c.is_checked)}
            onDoubtful={() => set("doubtful", "on")}
          />
        </div>
        <div className="min-h-0 flex-1 overflow-auto">
          {clips.isPending && <Loading what="Listing clips" />}
          {clips.isError && <Problem error={clips.error} onRetry={() => clips.refetch()} />}
          {clips.data && !rows.length && (
            <Empty
              title={
                doubtful ? "No clip is doubtful." : search ? "No clip says this." : "No clips yet."
              }
            >
              {doubtful
                ? "As far as they were checked, with the filters above."
                : search
                  ? "Every word of the search is looked for in names, cameras, lights, timecode and what the files say."
                  : "Look through a folder on the left."}
            </Empty>
          )}
          {rows.length > 0 && (
            <table className="table table-xs w-full" aria-label="Clips">
              <thead className="sticky top-0 z-10 bg-base-100">
                <tr>
                  <th className="w-8">
                    <TickAll
                      label="All clips shown"
                      rows={rows}
                      marked={marked.length}
                      onToggle={toggle}
                    />
                  </th>
                  <th>Clip</th>
                  <th>Camera, light</th>
                  <th>Taken as</th>
                  <th>File</th>
                  {!isNarrow && <th>Camera says</th>}
                </tr>
              </thead>
              <tbody>
                {rows.map((clip) => (
                  <Row
                    key={clip.id}
                    clip={clip}
                    board={board}
                    isNarrow={isNarrow}
                    isShown={shown === clip.id}
                    isMarked={chosen.has(clip.id)}
                    onMark={(on) => toggle([clip.id], on)}
                    onShow={() => setShown(shown === clip.id ? null : clip.id)}
                  />
                ))}
              </tbody>
            </table>
          )}
          {clips.data && rows.length < clips.data.total && (
            <button type="button" className="btn btn-sm m-3" onClick={() => setMost(most + PAGE)}>
              {clips.data.total - rows.length} more
            </button>
          )}
        </div>
      </div>
      {marked.length > 0 ? (
        <ClipSettings board={board} clips={marked} onClose={() => setChosen(new Set())} />
      ) : (
        shown !== null && <ClipDetails board={board} id={shown} onClose={() => setShown(null)} />
      )}
    </div>
  );
}

function Row({
  clip,
  board,
  isNarrow,
  isShown,
  isMarked,
  onMark,
  onShow,
}: {
  clip: ClipRow;
  board: Board;
  isNarrow: boolean;
  isShown: boolean;
  isMarked: boolean;
  onMark: (on: boolean) => void;
  onShow: () => void;
}) {
  const camera = board.cameras.find((c) => c.id === clip.camera_id);
  const light = board.lights.find((l) => l.id === clip.light_id);
  const own = Object.keys(clip.overrides);
  const strip = useStrip(clip.strip);
  const said = ["scene", "take", "lens", "exposure_index", "white"]
    .map((name) => clip.facts[name] && `${WORDS[name] ?? ""}${clip.facts[name]}`)
    .filter(Boolean);
  return (
    <tr className={isShown || isMarked ? "bg-base-300" : ""} data-clip={clip.name}>
      <td>
        <input
          type="checkbox"
          className="checkbox checkbox-xs"
          aria-label={clip.name}
          checked={isMarked}
          onChange={(e) => onMark(e.target.checked)}
        />
      </td>
      <td>
        <button
          type="button"
          className="flex min-w-56 items-center gap-2 text-left"
          onClick={onShow}
          onKeyDown={strip.onKeyDown}
        >
          <Strip
            clip={clip.id}
            strip={strip}
            width={160}
            stage="input"
            version={`${clip.encoding}${clip.levels}`}
            className="h-[45px] w-20 shrink-0"
            isMissing={clip.is_missing}
          />
          <span>
            <span className="value block font-semibold">{clip.name}</span>
            <span className="faint block text-2xs">
              {clip.kind}
              {clip.timecode && <span className="value whitespace-nowrap"> {clip.timecode}</span>}
            </span>
          </span>
        </button>
      </td>
      <td>
        <span className="flex items-center gap-2">
          {camera && (
            <CameraMark letter={camera.letter} reference={camera.is_reference} size={18} />
          )}
          <span>
            <span className="block">{camera?.name}</span>
            <span className="faint block whitespace-nowrap text-2xs">{light?.name}</span>
          </span>
        </span>
      </td>
      <td>
        <span className="block">{clip.encoding_name}</span>
        <span className="faint block text-2xs">
          levels {clip.levels}
          {own.length > 0 && <b> · own {own.map((n) => WORDS_OF[n] ?? n).join(", ")}</b>}
        </span>
        {clip.differs && <span className="block text-2xs">{clip.differs}</span>}
        {clip.findings.length > 0 && (
          <button type="button" className="block text-left text-2xs underline" onClick={onShow}>
            <b>doubtful:</b> {clip.findings[0]?.text}
          </button>
        )}
      </td>
      <td className="faint">
        <span className="block">
          {clip.format} {clip.bits} bit
        </span>
        <span className="value block whitespace-nowrap">
          {clip.width}×{clip.height}, {clip.frame_count} f
        </span>
        {clip.warnings.map((w) => (
          <span key={w} className="block text-2xs text-base-content">
            {w}
          </span>
        ))}
      </td>
      {!isNarrow && <td className="faint">{said.join(" · ")}</td>}
    </tr>
  );
}

const WORDS: Record<string, string> = { scene: "sc. ", take: "t. ", exposure_index: "EI " };
/** Codes, files and charts against what each clip is said to carry; nothing is changed by it. */
function CheckClips({
  production,
  isDone,
  onDoubtful,
}: {
  production: number;
  isDone: boolean;
  onDoubtful: () => void;
}) {
  const client = useQueryClient();
  const jobs = useQuery(jobsQuery(production)).data ?? [];
  const running = jobs.some((job) => isOpen(job) && job.kind === "check-clips");
  const check = useMutation({
    mutationFn: () =>
      unwrap(
        api.POST("/api/productions/{production_id}/check-clips", {
          params: { path: { production_id: production } },
        }),
      ),
    onSuccess: () => client.invalidateQueries({ queryKey: ["jobs"] }),
  });
  const last = jobs.find((job) => job.kind === "check-clips" && job.state === "done");
  const doubted = (last?.result as { doubted?: string[] } | null | undefined)?.doubted;
  return (
    <>
      {doubted && !running && (
        <button
          type="button"
          className="btn btn-xs whitespace-nowrap"
          title={doubted.join(", ") || undefined}
          onClick={onDoubtful}
        >
          {doubted.length === 0 ? "checked: none doubtful" : `checked: ${doubted.length} doubtful`}
        </button>
      )}
      <button
        type="button"
        className="btn btn-sm"
        disabled={running}
        onClick={() => check.mutate()}
        title="By their code values, by what their files name, and by the charts that are read"
      >
        {running ? "Checking…" : isDone ? "Check encodings again" : "Check encodings"}
      </button>
    </>
  );
}

function FindMissing({ production }: { production: number }) {
  const client = useQueryClient();
  const find = useMutation({
    mutationFn: () =>
      unwrap(
        api.POST("/api/productions/{production_id}/find-media", {
          params: { path: { production_id: production } },
        }),
      ),
    onSuccess: () => client.invalidateQueries({ queryKey: ["jobs"] }),
  });
  return (
    <button
      type="button"
      className="btn btn-xs"
      onClick={() => find.mutate()}
      title="By name, size and checksum, anywhere below the media folder"
    >
      Look for missing media
    </button>
  );
}
