import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { useNavigate, useParams } from "react-router";
import type { Board, Camera, Light } from "@/api/client";
import { boardQuery, jobsQuery } from "@/api/queries";
import { TopLine } from "@/app/TopLine";
import { BringIn } from "@/features/footage";
import { MatchAll, MatchEverything } from "@/features/jobs";
import { CameraSheet, LightSheet, ProductionSheet } from "@/features/sheets";
import { Empty, Loading, Problem } from "@/shared/Feedback";
import { CameraMark, STATE_WORDS, type State, StateMark } from "@/shared/Marks";
import { useKept } from "@/shared/useKept";
import { useKeys } from "@/shared/useKeys";
import { BoardCell } from "./BoardCell";
import { worstFirst } from "./order";
import { type Work, WorkList, workOf } from "./WorkList";

type Sheet =
  | { kind: "production" }
  | { kind: "camera"; camera: Camera | null }
  | { kind: "light"; light: Light | null }
  | { kind: "bring-in"; light?: number | undefined; camera?: number | undefined };

export function BoardPage() {
  const { production = "0" } = useParams();
  const id = Number(production);
  const board = useQuery(boardQuery(id));
  const [sheet, setSheet] = useState<Sheet | null>(null);
  const [furthest, setFurthest] = useKept(`board-${id}-furthest`, false);
  const [isListed, setListed] = useKept(`board-${id}-list`, window.innerWidth >= 1200);
  const jobs = useQuery(jobsQuery(id));
  const work = board.data ? workOf(board.data, jobs.data ?? []) : [];
  return (
    <div className="flex h-full flex-col">
      <TopLine
        production={id}
        crumbs={[
          { text: "Productions", to: "/productions" },
          { text: board.data?.production.name ?? "…" },
          { text: "Board" },
        ]}
      >
        <button
          type="button"
          className="btn btn-sm"
          aria-pressed={furthest}
          onClick={() => setFurthest(!furthest)}
        >
          {furthest ? "In order" : "Furthest first"}
        </button>
        <button
          type="button"
          className="btn btn-sm"
          aria-pressed={isListed}
          disabled={!work.length}
          onClick={() => setListed(!isListed)}
        >
          {work.length ? `Left to do: ${work.length}` : "Nothing left to do"}
        </button>
        {board.data && board.data.cameras.length > 1 && <MatchEverything production={id} />}
      </TopLine>
      {board.isPending && <Loading what="Laying out the Board" />}
      {board.isError && <Problem error={board.error} onRetry={() => board.refetch()} />}
      {board.data && (
        <Grid
          board={board.data}
          furthest={furthest}
          work={work}
          isListed={isListed}
          onSheet={setSheet}
        />
      )}
      {board.data && sheet && (
        <Sheets board={board.data} sheet={sheet} onClose={() => setSheet(null)} />
      )}
    </div>
  );
}

function Sheets({ board, sheet, onClose }: { board: Board; sheet: Sheet; onClose: () => void }) {
  switch (sheet.kind) {
    case "production":
      return <ProductionSheet board={board} onClose={onClose} />;
    case "camera":
      return <CameraSheet board={board} camera={sheet.camera} onClose={onClose} />;
    case "light":
      return <LightSheet board={board} light={sheet.light} onClose={onClose} />;
    case "bring-in":
      return <BringIn board={board} light={sheet.light} camera={sheet.camera} onClose={onClose} />;
    default:
      return sheet satisfies never;
  }
}

function Door({
  side,
  text,
  onOpen,
}: {
  side: "left" | "right";
  text: string;
  onOpen: () => void;
}) {
  return (
    <button
      type="button"
      onClick={onOpen}
      className={`rule w-9 shrink-0 hover:bg-base-300 ${side === "left" ? "border-r" : "border-l"}`}
    >
      <span
        className="faint block whitespace-nowrap"
        style={{
          writingMode: "vertical-rl",
          transform: side === "left" ? "rotate(180deg)" : "none",
          margin: "auto",
        }}
      >
        {text}
      </span>
    </button>
  );
}

function Grid({
  board,
  furthest,
  work,
  isListed,
  onSheet,
}: {
  board: Board;
  furthest: boolean;
  work: Work[];
  isListed: boolean;
  onSheet: (sheet: Sheet) => void;
}) {
  const navigate = useNavigate();
  const [at, setAt] = useKept(`board-${board.production.id}-at`, { row: 0, column: 1 });
  const { production, cells } = board;
  const cameras = [...board.cameras].sort(
    (a, b) => Number(b.is_reference) - Number(a.is_reference) || a.letter.localeCompare(b.letter),
  );
  const lights = furthest ? worstFirst(board.lights, cells) : board.lights;
  const cellAt = (light: Light, camera: Camera) =>
    cells.find((c) => c.light_id === light.id && c.camera_id === camera.id);
  const open = (page: "bench" | "chart") => {
    const light = lights[at.row];
    const camera = cameras[at.column];
    if (!light || !camera) return;
    const to = camera.is_reference ? "chart" : page;
    navigate(`/p/${production.id}/l/${light.id}/c/${camera.id}/${to}`);
  };
  const move = (rows: number, columns: number) =>
    setAt({
      row: Math.max(0, Math.min(lights.length - 1, at.row + rows)),
      column: Math.max(0, Math.min(cameras.length - 1, at.column + columns)),
    });
  const bringIn = () => navigate(`/p/${production.id}/footage`);
  const takeAway = () => navigate(`/p/${production.id}/take-away`);
  useKeys({
    arrowleft: () => move(0, -1),
    arrowright: () => move(0, 1),
    arrowup: () => move(-1, 0),
    arrowdown: () => move(1, 0),
    enter: () => open("bench"),
    c: () => open("chart"),
    t: takeAway,
    f: bringIn,
  });
  const columns = `132px repeat(${Math.max(cameras.length, 1)}, minmax(160px, 1fr))`;
  return (
    <div className="flex min-h-0 flex-1">
      <Door side="left" text="Bring in" onOpen={bringIn} />
      <main className="flex min-w-0 flex-1 flex-col overflow-auto">
        <div className="grid shrink-0" style={{ gridTemplateColumns: columns }}>
          <button
            type="button"
            className="rule border-r border-b p-3 text-left hover:bg-base-300"
            onClick={() => onSheet({ kind: "production" })}
          >
            <span className="block font-semibold">Production</span>
            <span className="faint block text-2xs">
              {production.outputs.map((o) => o.name).join(", ")}
              <br />
              in tune ≤ {production.tolerance.toFixed(1)} ΔE
            </span>
          </button>
          {cameras.map((camera) => (
            <button
              type="button"
              key={camera.id}
              className={`rule flex gap-2.5 border-r border-b p-3 text-left hover:bg-base-300 ${camera.is_reference ? "bg-base-100" : ""}`}
              onClick={() => onSheet({ kind: "camera", camera })}
            >
              <CameraMark letter={camera.letter} reference={camera.is_reference} size={26} />
              <span className="min-w-0">
                <span className="block font-semibold">
                  {camera.name}
                  {camera.is_reference && <span className="faint font-normal"> reference</span>}
                </span>
                <span className="value faint block truncate">{camera.encoding_name}</span>
                <span className="value faint block">
                  levels {camera.levels}
                  {camera.is_stand_in && ", stand-in"}
                </span>
              </span>
            </button>
          ))}
        </div>
        {!cameras.length && (
          <Empty title="No camera yet.">
            Begin with the reference camera, the one that all others are to match.
            <button
              type="button"
              className="btn btn-sm"
              onClick={() => onSheet({ kind: "camera", camera: null })}
            >
              Add a camera
            </button>
          </Empty>
        )}
        {!lights.length && (
          <Empty title="No light yet.">
            A light is a stretch of footage under one illumination; charts and matches hold for one.
            <button
              type="button"
              className="btn btn-sm"
              onClick={() => onSheet({ kind: "light", light: null })}
            >
              Add a light
            </button>
          </Empty>
        )}
        {lights.map((light, row) => (
          <div key={light.id} className="grid shrink-0" style={{ gridTemplateColumns: columns }}>
            <div className="rule flex flex-col border-r border-b">
              <button
                type="button"
                className="flex flex-col justify-start p-3 text-left hover:bg-base-300"
                onClick={() => onSheet({ kind: "light", light })}
              >
                <span className="font-semibold">{light.name}</span>
                <span className="faint line-clamp-2" title={light.conditions}>
                  {light.conditions}
                </span>
                <span className="faint mt-1 text-2xs">
                  {light.clips} {light.clips === 1 ? "clip" : "clips"}, {light.readings}{" "}
                  {light.readings === 1 ? "chart reading" : "chart readings"}
                </span>
              </button>
              <MatchAll
                production={production.id}
                light={light}
                isOffered={cells.some(
                  (c) => c.light_id === light.id && c.chart_clip && canMatch.has(c.next_step),
                )}
              />
            </div>
            {cameras.map((camera, column) => {
              const cell = cellAt(light, camera);
              return (
                cell && (
                  <BoardCell
                    key={camera.id}
                    cell={cell}
                    camera={camera}
                    light={light}
                    production={production.id}
                    chosen={at.row === row && at.column === column}
                    onChoose={() => setAt({ row, column })}
                    onBringIn={() =>
                      onSheet({ kind: "bring-in", light: light.id, camera: camera.id })
                    }
                  />
                )
              );
            })}
          </div>
        ))}
        {cameras.length > 0 && lights.length > 0 && (
          <div className="flex gap-2 p-3">
            <button
              type="button"
              className="btn btn-sm"
              onClick={() => onSheet({ kind: "light", light: null })}
            >
              + light
            </button>
            <button
              type="button"
              className="btn btn-sm"
              onClick={() => onSheet({ kind: "camera", camera: null })}
            >
              + camera
            </button>
          </div>
        )}
        <Legend />
      </main>
      {work.length > 0 && isListed && <WorkList work={work} />}
      <Door side="right" text="Take away" onOpen={takeAway} />
    </div>
  );
}

/** Steps that "Match all here" would take. */
const canMatch = new Set<Board["cells"][number]["next_step"]>([
  "read_chart",
  "read_reference",
  "fit",
  "fit_again",
]);

function Legend() {
  const shown: State[] = ["in_tune", "close", "off", "stale", "borrowed", "not_measured"];
  return (
    <footer className="rule faint mt-auto flex shrink-0 flex-wrap items-center gap-x-5 border-t px-4 py-2 text-2xs">
      {shown.map((state) => (
        <span key={state} className="flex items-center gap-1.5">
          <StateMark state={state} size={11} />
          {STATE_WORDS[state]}
        </span>
      ))}
      <span className="ml-auto">
        ΔE: to expect off the chart, against the reference's own reading. Ticks: exposure · warmth ·
        tint · contrast · strength
      </span>
    </footer>
  );
}
