import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { Grid3x2 } from "lucide-react";
import { type ReactNode, useState } from "react";
import { Link } from "react-router";
import { api, type Camera, type Cell, type Light, unwrap } from "@/api/client";
import { decided } from "@/api/decided";
import { isOpen, jobsQuery, pictureUrl } from "@/api/queries";
import { STATE_WORDS, StateMark } from "@/shared/Marks";
import { TunerTicks } from "@/shared/Tuner";
import { isOfScene } from "./order";

const STEPS: Record<Cell["next_step"], string> = {
  none: "",
  bring_in: "Bring a clip in",
  bring_chart: "",
  take_alike: "Take alike",
  read_chart: "Read chart",
  read_reference: "Read reference",
  fit: "Fit a match",
  fit_again: "Fit again",
};

// From what a match is, where it is not from this light's chart.
const KINDS: Partial<Record<NonNullable<Cell["match_kind"]>, string>> = {
  picture: "by picture",
  areas: "by probes",
  statistics: "estimate",
  values: "to values",
};

/** One camera in one light: its frame after its chain, its state, and what to do next. */
export function BoardCell({
  cell,
  camera,
  light,
  production,
  chosen,
  onChoose,
  onBringIn,
}: {
  cell: Cell;
  camera: Camera;
  light: Light;
  production: number;
  chosen: boolean;
  onChoose: () => void;
  onBringIn: () => void;
}) {
  const base = `/p/${production}/l/${light.id}/c/${camera.id}`;
  const name = `${camera.letter} ${camera.name} in ${light.name}`;
  const main = camera.is_reference ? `${base}/chart` : `${base}/bench`;
  return (
    // biome-ignore lint/a11y/noStaticElementInteractions: its links and buttons are what is used
    <div
      onFocus={onChoose}
      className={`rule @container relative flex flex-col border-r border-b ${chosen ? "outline-2 -outline-offset-2 outline-accent" : ""}`}
      data-cell={`${camera.letter}-${light.id}`}
      data-state={cell.state}
    >
      {cell.clip ? (
        <Link to={main} aria-label={`${name}: open the ${camera.is_reference ? "Chart" : "Bench"}`}>
          <span className="relative block">
            <Frame src={pictureUrl(cell.clip.id, 0, 480, "output", cell.stand)} alt={name} />
            {cell.clipped !== null && cell.clipped > decided.verdict.most_clipped && (
              <span className="absolute right-0 bottom-0 bg-base-100/85 px-1.5 text-2xs">
                {Math.round(cell.clipped * 100)} % clipped
              </span>
            )}
          </span>
        </Link>
      ) : (
        <div className="flex aspect-video flex-col items-start justify-center gap-2 p-4">
          <span className="faint">— no clip of this camera here</span>
          <button type="button" className="btn btn-sm" onClick={onBringIn}>
            Bring in
          </button>
        </div>
      )}
      <div className="flex h-9 items-center gap-2 bg-base-100 px-2.5">
        <span className="flex min-w-0 items-center gap-2 overflow-hidden whitespace-nowrap">
          <Verdict cell={cell} />
        </span>
        <span className="ml-auto flex shrink-0 items-center gap-2">
          {cell.tuner && (
            <span className="hidden @[196px]:block">
              <TunerTicks tuner={cell.tuner} aim={cell.aim} />
            </span>
          )}
          {cell.next_step === "bring_chart" && cell.state === "not_measured" && cell.clip && (
            <FromPicture cell={cell} production={production} name={name} />
          )}
          {STEPS[cell.next_step] && cell.next_step !== "bring_in" && (
            <Link
              to={isOfScene(cell) ? `${base}/bench?panel=match` : `${base}/chart`}
              className="btn btn-xs"
            >
              {STEPS[cell.next_step]}
            </Link>
          )}
          {cell.chart_clip && (
            <Link to={`${base}/chart`} aria-label={`${name}: open the Chart`} title="Chart">
              <Grid3x2 size={17} strokeWidth={1.4} />
            </Link>
          )}
        </span>
      </div>
    </div>
  );
}

function Verdict({ cell }: { cell: Cell }): ReactNode {
  const clip = <span className="value faint truncate">{cell.clip?.name}</span>;
  // Its column's head says that it is the reference.
  if (cell.state === "reference") return clip;
  return (
    <>
      <span className="shrink-0">
        <StateMark state={cell.state} />
      </span>
      {cell.delta_e === null ? (
        // The mark says that nothing was measured; which clip waits for it is worth the room.
        <span className="flex min-w-0" title={STATE_WORDS[cell.state]}>
          {cell.state === "not_measured" ? clip : STATE_WORDS[cell.state]}
        </span>
      ) : (
        <span
          className="truncate"
          title={[cell.reason, `before the match ${cell.before?.toFixed(2)} ΔE`]
            .filter(Boolean)
            .join("; ")}
        >
          <b className="value text-sm">{cell.delta_e.toFixed(2)}</b>{" "}
          <span className="faint">ΔE</span>
          {cell.match_number === null && <span className="faint"> unmatched</span>}
          {cell.match_kind && KINDS[cell.match_kind] && (
            <span className="faint"> {KINDS[cell.match_kind]}</span>
          )}
        </span>
      )}
    </>
  );
}

function Frame({ src, alt }: { src: string; alt: string }) {
  const [failed, setFailed] = useState(false);
  if (failed)
    return (
      <div className="faint flex aspect-video items-center justify-center p-4 text-center">
        This frame cannot be shown: its file is missing or damaged.
      </div>
    );
  return (
    <img
      src={src}
      alt={alt}
      className="block aspect-video w-full bg-black object-cover"
      onError={() => setFailed(true)}
    />
  );
}

/** Match a cell without a chart from what its scenes and the reference's both show. */
function FromPicture({ cell, production, name }: { cell: Cell; production: number; name: string }) {
  const client = useQueryClient();
  const query = jobsQuery(production);
  const start = useMutation({
    mutationFn: () =>
      unwrap(
        api.POST("/api/lights/{light_id}/cameras/{camera_id}/matches/from-scene", {
          params: { path: { light_id: cell.light_id, camera_id: cell.camera_id } },
          body: {
            by: "picture",
            left_out: [],
            use: "same",
            with_probes: false,
            mix: 1,
            base_number: 0,
          },
        }),
      ),
    onSuccess: () => client.invalidateQueries({ queryKey: query.queryKey }),
  });
  const job = (useQuery(query).data ?? []).find((j) => j.id === start.data?.id);
  const running = start.isPending || (job !== undefined && isOpen(job));
  const wrong =
    start.error?.message ?? (job?.problem && `${job.problem.detail} ${job.problem.hint}`);
  return (
    <button
      type="button"
      className={`btn btn-xs ${wrong ? "text-error" : ""}`}
      aria-label={`${name}: match from the picture`}
      title={wrong || "Nobody shot a chart here: match from what both pictures show"}
      disabled={running}
      onClick={() => start.mutate()}
    >
      {running ? "Looking…" : wrong ? "Try again" : "From picture"}
    </button>
  );
}
