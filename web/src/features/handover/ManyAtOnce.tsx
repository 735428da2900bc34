import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { Download } from "lucide-react";
import { useState } from "react";
import { api, type Board, type Cell, type Job, unwrap } from "@/api/client";
import { isOpen, jobsQuery } from "@/api/queries";
import { JobLine } from "@/features/jobs";
import { Problem } from "@/shared/Feedback";
import { STATE_WORDS, StateMark } from "@/shared/Marks";
import { useKept } from "@/shared/useKept";

type Format = "cube" | "3dl" | "clf";
type Side = "stored" | "expanded";
const FORMATS: [Format, string][] = [
  ["cube", ".cube"],
  ["3dl", ".3dl, 12 bit"],
  ["clf", "CLF"],
];

const keyOf = (cell: Cell) => `${cell.light_id}-${cell.camera_id}`;

/** LUTs of many angles in one job: which, to what, in which files; then one zip with a list. */
export function ManyAtOnce({ board }: { board: Board }) {
  const client = useQueryClient();
  const { production } = board;
  const reference = board.cameras.find((c) => c.is_reference);
  const matched = board.cells.filter((c) => c.match_number !== null);
  const [chosen, setChosen] = useState(
    () => new Set(matched.filter((c) => c.state === "in_tune").map(keyOf)),
  );
  const [targets, setTargets] = useKept<string[]>("package-targets", ["reference"]);
  const [formats, setFormats] = useKept<Format[]>("package-formats", ["cube"]);
  const [size, setSize] = useKept<17 | 33 | 65>("package-size", 33);
  const [sides, setSides] = useKept<[Side, Side]>("package-sides", ["stored", "stored"]);
  const [stills, setStills] = useKept("package-stills", true);
  const jobs = useQuery(jobsQuery(production.id)).data ?? [];
  const job = jobs.find((j) => j.kind === "take-away");
  const make = useMutation({
    mutationFn: () =>
      unwrap(
        api.POST("/api/productions/{production_id}/take-away", {
          params: { path: { production_id: production.id } },
          body: {
            cells: cells.map(({ light_id, camera_id }) => ({ light_id, camera_id })),
            targets: known,
            formats,
            size,
            lut_in: sides[0],
            lut_out: sides[1],
            stills,
          },
        }),
      ),
    onSettled: () => client.invalidateQueries({ queryKey: jobsQuery(production.id).queryKey }),
  });
  const offered: [string, string][] = [
    ["reference", `${reference?.letter}'s encoding, ${reference?.encoding_name}`],
    ...production.outputs.map((o): [string, string] => [o.key, o.name]),
  ];
  const known = targets.filter((t) => offered.some(([key]) => key === t));
  const aces = production.outputs.filter(
    (o) => o.stage.kind === "output-aces" && targets.includes(o.key),
  );
  const flip = <T,>(all: readonly T[], one: T) =>
    all.includes(one) ? all.filter((x) => x !== one) : [...all, one];
  // Linear light goes into a CLF only, an ACES output into no CLF: said before, and not counted.
  const acesKeys = new Set(aces.map((o) => o.key));
  const linear = board.cameras.filter((c) => c.encoding.startsWith("linear/"));
  const isLinear = (cell: Cell) => linear.some((c) => c.id === cell.camera_id);
  const cells = matched.filter((c) => chosen.has(keyOf(c)));
  const can = (cell: Cell, target: string, format: Format) =>
    format === "clf" ? !acesKeys.has(target) : !isLinear(cell);
  const count = cells.reduce(
    (sum, cell) =>
      sum + known.reduce((n, t) => n + formats.filter((f) => can(cell, t, f)).length, 0),
    0,
  );
  const tables = formats.filter((f) => f !== "clf");
  const running = job !== undefined && isOpen(job);
  return (
    <section className="min-w-0 flex-1 overflow-y-auto p-5" aria-label="Many at once">
      <Angles board={board} chosen={chosen} onChoose={setChosen} />
      <div className="rule mt-4 grid grid-cols-[auto_auto_1fr] gap-8 border-y py-3">
        <fieldset className="flex flex-col gap-1">
          <legend className="faint mb-1">To</legend>
          {offered.map(([key, text]) => (
            <Tick
              key={key}
              text={text}
              is={targets.includes(key)}
              onFlip={() => setTargets(flip(targets, key))}
            />
          ))}
        </fieldset>
        <fieldset className="flex flex-col gap-1">
          <legend className="faint mb-1">Files</legend>
          {FORMATS.map(([key, text]) => (
            <Tick
              key={key}
              text={text}
              is={formats.includes(key)}
              onFlip={() => setFormats(flip(formats, key))}
            />
          ))}
        </fieldset>
        <div className="flex flex-col gap-2">
          <div className="flex flex-wrap gap-4">
            <label>
              <span className="faint mr-2">points per axis</span>
              <select
                className="select select-sm value w-18"
                value={size}
                onChange={(e) => setSize(Number(e.target.value) as typeof size)}
              >
                <option>17</option>
                <option>33</option>
                <option>65</option>
              </select>
            </label>
            {(["in", "out"] as const).map((side, i) => (
              <label key={side}>
                <span className="faint mr-2">levels {side}</span>
                <select
                  className="select select-sm w-32"
                  aria-label={`LUT levels ${side}`}
                  value={sides[i]}
                  onChange={(e) => {
                    const value = e.target.value === "expanded" ? "expanded" : "stored";
                    setSides(i === 0 ? [value, sides[1]] : [sides[0], value]);
                  }}
                >
                  <option value="stored">as recorded</option>
                  <option value="expanded">scaled to 0–1</option>
                </select>
              </label>
            ))}
          </div>
          <Tick
            text="stills of each angle, as shot and matched"
            is={stills}
            onFlip={() => setStills(!stills)}
          />
          {tables.length > 0 && cells.some(isLinear) && (
            <p className="text-2xs">
              Linear light of {linear.map((c) => c.letter).join(", ")} goes into a CLF only: no{" "}
              {tables.map((f) => `.${f}`).join(", ")} of it.
            </p>
          )}
          {formats.includes("clf") && (
            <p className="faint text-2xs">
              A CLF has no points and says its own levels.
              {aces.length > 0 &&
                ` It has no node for ACES outputs: ${aces.map((o) => o.name).join(", ")} will be left out.`}
            </p>
          )}
        </div>
      </div>
      <div className="mt-3 flex items-center gap-4">
        <button
          type="button"
          className="btn btn-sm btn-primary"
          disabled={!count || running || make.isPending}
          onClick={() => make.mutate()}
        >
          Make {count} {count === 1 ? "file" : "files"}
        </button>
        {running && job && <JobLine job={job} />}
        {!count && <span className="faint">Choose angles, a target and a kind of file.</span>}
      </div>
      {make.isError && <Problem error={make.error} />}
      {job && !running && <Made job={job} />}
    </section>
  );
}

/** Cameras by lights, with ticks; why one cannot leave, or is not in tune, stands in its place. */
function Angles({
  board,
  chosen,
  onChoose,
}: {
  board: Board;
  chosen: Set<string>;
  onChoose: (chosen: Set<string>) => void;
}) {
  const cameras = [...board.cameras]
    .filter((c) => !c.is_reference)
    .sort((a, b) => a.letter.localeCompare(b.letter));
  const matched = board.cells.filter((c) => c.match_number !== null);
  const some = (wanted: (cell: Cell) => boolean) =>
    onChoose(new Set(matched.filter(wanted).map(keyOf)));
  return (
    <>
      <div className="mb-2 flex items-center gap-2">
        <h2 className="text-base font-semibold">
          {chosen.size} of {matched.length} matched {matched.length === 1 ? "angle" : "angles"}
        </h2>
        <button
          type="button"
          className="btn btn-xs ml-2"
          onClick={() => some((c) => c.state === "in_tune")}
        >
          All in tune
        </button>
        <button type="button" className="btn btn-xs" onClick={() => some(() => true)}>
          All matched
        </button>
        <button type="button" className="btn btn-xs" onClick={() => some(() => false)}>
          None
        </button>
      </div>
      <table className="w-full table-fixed">
        <thead className="text-left">
          <tr>
            <th className="w-32">
              <span className="sr-only">light</span>
            </th>
            {cameras.map((c) => (
              <th key={c.id} className="pb-1">
                {c.letter} {c.name}
              </th>
            ))}
          </tr>
        </thead>
        <tbody>
          {board.lights.map((light) => (
            <tr key={light.id} className="rule border-t">
              <th className="py-1 text-left font-normal">{light.name}</th>
              {cameras.map((camera) => {
                const cell = board.cells.find(
                  (c) => c.light_id === light.id && c.camera_id === camera.id,
                );
                return (
                  <td key={camera.id} className="py-1 pr-2">
                    {cell && (
                      <AngleTick
                        cell={cell}
                        name={`${camera.letter} in ${light.name}`}
                        is={chosen.has(keyOf(cell))}
                        onFlip={() => {
                          const next = new Set(chosen);
                          if (!next.delete(keyOf(cell))) next.add(keyOf(cell));
                          onChoose(next);
                        }}
                      />
                    )}
                  </td>
                );
              })}
            </tr>
          ))}
        </tbody>
      </table>
    </>
  );
}

function AngleTick({
  cell,
  name,
  is,
  onFlip,
}: {
  cell: Cell;
  name: string;
  is: boolean;
  onFlip: () => void;
}) {
  const can = cell.match_number !== null;
  const why = can
    ? cell.state === "in_tune"
      ? ""
      : cell.reason || STATE_WORDS[cell.state]
    : cell.clip
      ? "not matched"
      : "no clip";
  return (
    <label className="flex items-center gap-1.5" title={why}>
      <input
        type="checkbox"
        className="checkbox checkbox-xs"
        aria-label={name}
        checked={is}
        disabled={!can}
        onChange={onFlip}
      />
      <span className="shrink-0">
        <StateMark state={cell.state} size={11} />
      </span>
      <span className="value">{can ? (cell.delta_e?.toFixed(2) ?? "") : ""}</span>
      <span className="faint truncate text-2xs">{why}</span>
    </label>
  );
}

function Tick({ text, is, onFlip }: { text: string; is: boolean; onFlip: () => void }) {
  return (
    <label className="flex cursor-pointer items-center gap-2">
      <input type="checkbox" className="checkbox checkbox-xs" checked={is} onChange={onFlip} />
      {text}
    </label>
  );
}

type Package = {
  name: string;
  size: number;
  left_out: string[];
  files: { name: string; p99_9: string; warnings: string }[];
};

/** What came of it: the zip, what was left out, and each file's read-back. */
function Made({ job }: { job: Job }) {
  if (job.problem)
    return (
      <p role="alert" className="mt-3 text-error">
        {job.problem.detail} {job.problem.hint}
      </p>
    );
  if (job.state === "cancelled") return <p className="faint mt-3">Stopped; nothing was packed.</p>;
  const found = job.result as Package | null;
  if (!found) return null;
  return (
    <section className="mt-4" aria-label="The last package">
      <div className="flex items-center gap-4">
        <p>
          <b className="value">{found.name}</b>{" "}
          <span className="faint">
            {found.files.length} {found.files.length === 1 ? "file" : "files"},{" "}
            {(found.size / 2 ** 20).toFixed(1)} MiB, with list.html and list.csv
          </span>
        </p>
        <a className="btn btn-sm btn-primary" href={`/api/jobs/${job.id}/package`}>
          <Download size={14} /> Download
        </a>
      </div>
      {found.left_out.map((text) => (
        <p key={text} className="mt-1 border-l-2 border-dashed border-base-content pl-3">
          Left out: {text}
        </p>
      ))}
      <table className="mt-2 w-full">
        <thead className="faint text-left">
          <tr>
            <th className="font-normal">file</th>
            <th className="text-right font-normal">read back, ΔE at the 99.9th percentile</th>
            <th className="pl-4 font-normal">to look at</th>
          </tr>
        </thead>
        <tbody>
          {found.files.map((file) => (
            <tr key={file.name} className="rule border-t">
              <td className="value py-0.5">{file.name}</td>
              <td className="value text-right">{file.p99_9}</td>
              <td className="pl-4">{file.warnings}</td>
            </tr>
          ))}
        </tbody>
      </table>
    </section>
  );
}
