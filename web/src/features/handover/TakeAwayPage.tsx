import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { Download } from "lucide-react";
import { useState } from "react";
import { Link, useParams, useSearchParams } from "react-router";
import { api, type Board, type Cell, type Difference, type Export, unwrap } from "@/api/client";
import { decided } from "@/api/decided";
import { boardQuery, exportsQuery, variantsQuery } from "@/api/queries";
import { TopLine } from "@/app/TopLine";
import { Empty, Loading, Problem } from "@/shared/Feedback";
import { CameraMark, StateMark } from "@/shared/Marks";
import { useKept } from "@/shared/useKept";
import { when } from "@/shared/when";
import { ManyAtOnce } from "./ManyAtOnce";

export function TakeAwayPage() {
  const production = Number(useParams().production);
  const board = useQuery(boardQuery(production));
  return (
    <div className="flex h-full flex-col">
      <TopLine
        production={production}
        crumbs={[
          { text: board.data?.production.name ?? "…", to: `/p/${production}` },
          { text: "Take away" },
        ]}
      />
      {board.isPending && <Loading what="Looking up what can leave" />}
      {board.isError && <Problem error={board.error} onRetry={() => board.refetch()} />}
      {board.data && <TakeAway board={board.data} />}
    </div>
  );
}

function TakeAway({ board }: { board: Board }) {
  const [search, setSearch] = useSearchParams();
  const rows = board.lights.flatMap((light) =>
    board.cameras.map((camera) => ({
      light,
      camera,
      cell: board.cells.find((c) => c.light_id === light.id && c.camera_id === camera.id),
    })),
  );
  const one = rows.find(
    (r) =>
      r.light.id === Number(search.get("light")) && r.camera.id === Number(search.get("camera")),
  );
  const isAny = rows.some((r) => r.cell?.match_number != null);
  const chosen = one;
  return (
    <main className="flex min-h-0 flex-1">
      <nav
        className="rule w-72 shrink-0 overflow-y-auto border-r bg-base-200"
        aria-label="What can leave"
      >
        {isAny && (
          <button
            type="button"
            aria-current={!chosen}
            className={`rule w-full border-b p-3 text-left font-semibold hover:bg-base-300 ${chosen ? "" : "bg-base-100"}`}
            onClick={() => setSearch({})}
          >
            Many at once
          </button>
        )}
        {rows.map((row) => (
          <button
            type="button"
            key={`${row.light.id}-${row.camera.id}`}
            aria-current={row === chosen}
            className={`rule flex w-full items-center gap-3 border-b p-3 text-left hover:bg-base-300 ${row === chosen ? "bg-base-100" : ""}`}
            onClick={() =>
              setSearch({ light: String(row.light.id), camera: String(row.camera.id) })
            }
          >
            <CameraMark letter={row.camera.letter} reference={row.camera.is_reference} size={24} />
            <span className="min-w-0 flex-1">
              <span className="block font-semibold">
                {row.camera.name} <span className="faint font-normal">in {row.light.name}</span>
              </span>
              <span className="faint flex items-center gap-1.5">
                {row.cell && <StateMark state={row.cell.state} size={10} />}
                {row.camera.is_reference
                  ? "reference"
                  : row.cell?.match_number != null
                    ? `match ${row.cell.match_number}, ${missOf(row.cell)}`
                    : "no match yet"}
              </span>
            </span>
          </button>
        ))}
      </nav>
      {chosen ? (
        <Luts
          key={`${chosen.light.id}-${chosen.camera.id}`}
          board={board}
          light={chosen.light.id}
          camera={chosen.camera.id}
          name={`${chosen.camera.letter} ${chosen.camera.name} in ${chosen.light.name}`}
          ready={chosen.camera.is_reference || chosen.cell?.match_number != null}
          isReference={chosen.camera.is_reference}
          encoding={`${chosen.camera.encoding_name}, levels ${chosen.camera.levels}`}
        />
      ) : isAny ? (
        <ManyAtOnce board={board} />
      ) : (
        <Empty title="Nothing is matched yet.">
          A LUT carries a match. Read the charts and fit first.
          <Link className="btn btn-sm" to={`/p/${board.production.id}`}>
            To the Board
          </Link>
        </Empty>
      )}
    </main>
  );
}

type Target = Export["target"];
type Side = Export["lut_in"];

function Luts({
  board,
  light,
  camera,
  name,
  ready,
  isReference,
  encoding,
}: {
  board: Board;
  light: number;
  camera: number;
  name: string;
  ready: boolean;
  isReference: boolean;
  encoding: string;
}) {
  const client = useQueryClient();
  const reference = board.cameras.find((c) => c.is_reference);
  const first = board.production.outputs[0]?.key ?? "";
  // What was chosen for one angle stays for the next.
  const [kept, setTarget] = useKept<Target>("lut-target", "reference");
  const isThere = kept === "reference" || board.production.outputs.some((o) => o.key === kept);
  const target = !isThere || (isReference && kept === "reference") ? first : kept;
  const [size, setSize] = useKept<17 | 33 | 65>("lut-size", 65);
  const [format, setFormat] = useKept<Export["format"]>("lut-format", "cube");
  const [sides, setSides] = useKept<[Side, Side]>("lut-sides", ["stored", "stored"]);
  const [cdlIn, setCdlIn] = useKept<"reference" | "own">("cdl-in", "reference");
  const isAces = board.production.outputs.some(
    (o) => o.key === target && o.stage.kind === "output-aces",
  );
  const cannot =
    format === "clf" && isAces ? "A CLF has no node for an ACES output: take a .cube." : "";
  const rows = useQuery(exportsQuery(light, camera));
  const variants = useQuery(variantsQuery(light, camera)).data ?? [];
  const [own, setOwn] = useState<number | null>(null);
  const variant = variants.find((v) => v.clip_id === own);
  const make = useMutation({
    mutationFn: () =>
      unwrap(
        api.POST("/api/lights/{light_id}/cameras/{camera_id}/exports", {
          params: { path: { light_id: light, camera_id: camera } },
          body: {
            target,
            size,
            format,
            cdl_in: cdlIn,
            lut_in: sides[0],
            lut_out: sides[1],
            clip_id: own,
          },
        }),
      ),
    onSettled: () => client.invalidateQueries({ queryKey: ["exports"] }),
  });
  const targets: [Target, string, string][] = [
    [
      "reference",
      `to ${reference?.letter}'s encoding`,
      `${reference?.encoding_name}, levels ${reference?.levels}: as if ${reference?.letter} had shot it`,
    ],
    ...board.production.outputs.map((o): [Target, string, string] => [
      o.key,
      `to ${o.name}`,
      "the production's output, with its balance and look",
    ]),
  ];
  return (
    <section className="min-w-0 flex-1 overflow-y-auto p-5" aria-label="LUTs">
      <h2 className="text-base font-semibold">{name}</h2>
      <p className="faint mb-4">
        From its stored code values (
        {variant ? `${variant.encoding_name}, levels ${variant.levels}` : encoding}). Every file is
        read again and compared with the exact chain before it is offered.
      </p>
      {!ready ? (
        <Empty title="There is no match to carry yet.">
          <Link
            className="btn btn-sm"
            to={`/p/${board.production.id}/l/${light}/c/${camera}/chart`}
          >
            Open the Chart
          </Link>
        </Empty>
      ) : (
        <form
          className="rule flex flex-wrap items-end gap-5 border-y py-3"
          onSubmit={(event) => {
            event.preventDefault();
            make.mutate();
          }}
        >
          {variants.length > 0 && (
            <label className="flex basis-full items-center gap-2">
              <span className="w-38 shrink-0">for the clips</span>
              <select
                className="select select-sm w-[34rem]"
                aria-label="Which clips"
                value={own ?? ""}
                onChange={(e) => setOwn(e.target.value ? Number(e.target.value) : null)}
              >
                <option value="">that are as the camera is set: {encoding}</option>
                {variants.map((v) => (
                  <option key={v.clip_id} value={v.clip_id}>
                    {v.clips.join(", ")}: {v.encoding_name}, levels {v.levels}
                    {v.scene && `, scene ${v.scene} with its own look`}
                  </option>
                ))}
              </select>
            </label>
          )}
          <fieldset className="flex basis-full flex-col gap-1">
            {targets
              .filter(([key]) => !(isReference && key === "reference"))
              .map(([key, text, note]) => (
                <label key={key} className="flex cursor-pointer items-center gap-2">
                  <input
                    type="radio"
                    name="target"
                    className="radio radio-xs"
                    checked={target === key}
                    onChange={() => setTarget(key)}
                  />
                  <span className="w-32 shrink-0 font-semibold">{text}</span>
                  <span className="faint truncate" title={note}>
                    {note}
                  </span>
                </label>
              ))}
          </fieldset>
          <label>
            <span className="faint mb-1 block">file</span>
            <select
              className="select select-sm w-32"
              aria-label="File format"
              value={format}
              onChange={(e) => setFormat(e.target.value as typeof format)}
            >
              <option value="cube">.cube</option>
              <option value="3dl">.3dl, 12 bit</option>
              <option value="clf">CLF</option>
              <option value="cdl">CDL and LUT</option>
            </select>
          </label>
          {format === "cdl" && (
            <label>
              <span
                className="faint mb-1 block"
                title="A CDL does something else on every encoding: it is fitted for the one that the box works in"
              >
                the box works in
              </span>
              <select
                className="select select-sm w-64"
                aria-label="Encoding that the box works in"
                value={cdlIn}
                onChange={(e) => setCdlIn(e.target.value as typeof cdlIn)}
              >
                <option value="reference">
                  {reference?.letter}'s {reference?.encoding_name}
                </option>
                <option value="own">the clip's own encoding</option>
              </select>
            </label>
          )}
          {(["in", "out"] as const).map((side, i) => (
            <label key={side}>
              <span
                className="faint mb-1 block"
                title="As recorded: code values over full scale. Scaled: for hosts that stretch legal levels to 0–1 before a LUT and press them back after it."
              >
                levels {side}
              </span>
              <select
                className="select select-sm w-32"
                aria-label={`LUT levels ${side}`}
                value={sides[i]}
                disabled={format === "clf" || format === "cdl"}
                onChange={(e) => {
                  const value = e.target.value as Side;
                  setSides(i === 0 ? [value, sides[1]] : [sides[0], value]);
                }}
              >
                <option value="stored">as recorded</option>
                <option value="expanded">scaled to 0–1</option>
              </select>
            </label>
          ))}
          <label>
            <span className="faint mb-1 block">points</span>
            <select
              className="select select-sm value w-18"
              aria-label="points per axis"
              disabled={format === "clf"}
              value={size}
              onChange={(e) => setSize(Number(e.target.value) as typeof size)}
            >
              <option>17</option>
              <option>33</option>
              <option>65</option>
            </select>
          </label>
          <button
            type="submit"
            className="btn btn-sm btn-primary"
            disabled={make.isPending || cannot !== ""}
          >
            {make.isPending ? "Reading back …" : "Make the LUT"}
          </button>
          {cannot && <p role="alert">{cannot}</p>}
        </form>
      )}
      {make.isError && <Problem error={make.error} />}
      {rows.isPending && <Loading what="Looking up files" />}
      {rows.isError && <Problem error={rows.error} onRetry={() => rows.refetch()} />}
      {rows.data?.map((row) => (
        <ExportRow key={row.id} row={row} />
      ))}
      {rows.data?.length === 0 && ready && <p className="faint mt-4">Nothing has left yet.</p>}
    </section>
  );
}

const { least_told, most_lut_cost, most_lut_error } = decided.verdict;

/** Of which colours a file is compared with its chain, the clip's own first. */
const SETS: [Difference["colours"], string, string][] = [
  ["picture", "picture", "The clip's own pixels"],
  ["grid", "Rec.709", "A grid of colours that a Rec.709 display holds"],
  ["wide", "beyond Rec.709", "A grid of what the camera's encoding records beyond a display"],
];

const WAYS: [string, Difference["interpolation"], number | null][] = [
  ["tetrahedral, float", "tetrahedral", null],
  ["tetrahedral, 10 bit", "tetrahedral", 10],
  ["trilinear, float", "trilinear", null],
  ["trilinear, 10 bit", "trilinear", 10],
];

function ExportRow({ row }: { row: Export }) {
  const find = (
    colours: Difference["colours"],
    interpolation: "tetrahedral" | "trilinear",
    bits: number | null,
  ) =>
    row.read_back.differences.find(
      (d) => d.colours === colours && d.interpolation === interpolation && d.bits === bits,
    );
  const lines = WAYS.map(
    ([text, way, bits]) => [text, SETS.map(([set]) => find(set, way, bits))] as const,
  );
  const main = lines[0]?.[1].find((d) => d !== undefined);
  const outside = row.read_back.share_outside ?? 0;
  const beyond = row.read_back.share_beyond ?? 0;
  const cost = row.read_back.cost ?? 0;
  return (
    <article className="rule mt-5 border-t pt-3" data-testid="export">
      <div className="mb-2 flex items-center gap-4">
        <div>
          <p className="value text-sm font-semibold">{row.file_name}</p>
          <p className="faint">
            {row.match_number !== null && `match ${row.match_number}`}
            {row.clip_name && `, for clips as ${row.clip_name}`}
            {!row.is_current && ", no longer the one in force"}
            {row.lut_in !== row.lut_out || row.lut_in === "expanded"
              ? `, levels ${row.lut_in} in, ${row.lut_out} out`
              : ""}{" "}
            · {when(row.created)}
          </p>
        </div>
        <a
          className="btn btn-sm ml-auto"
          href={`/api/exports/${row.id}/file`}
          download={row.file_name}
        >
          <Download size={14} /> Download
        </a>
      </div>
      {main && (
        <p className="mb-2">
          {main.p99_9 < most_lut_error && cost <= most_lut_cost ? "Holds: " : "Look at it: "}
          in the clip's own picture it is <b className="value">{main.mean.toFixed(3)}</b> ΔE from
          the exact chain in the mean, <b className="value">{main.p99_9.toFixed(2)}</b> ΔE at the
          99.9th percentile.
          {outside > least_told &&
            ` ${(outside * 100).toFixed(1)} % of the pixels lie beyond what the target's code values hold.`}
          {beyond > least_told &&
            ` ${(beyond * 100).toFixed(1)} % of its pixels lie beyond 0 to 1, where the LUT gives what it gives at its edge; a CLF goes on.`}
          {cost > most_lut_cost &&
            ` It adds about ${cost.toFixed(2)} ΔE to the match: take a larger one.`}
          {row.read_back.lacks && ` ${row.read_back.lacks}`}
          {row.read_back.cdl &&
            ` The CDL is for ${row.read_back.cdl.encoding_name}, full levels; its ten numbers alone lose ${row.read_back.cdl.mean.toFixed(2)} ΔE in the mean, ${row.read_back.cdl.p99_9.toFixed(1)} at the 99.9th percentile.`}
        </p>
      )}
      <table className="w-full max-w-5xl text-right">
        <thead className="faint">
          <tr>
            <th className="text-left font-normal">read back, ΔE 2000</th>
            {SETS.map(([set, text, title]) => (
              <th key={set} className="font-normal" colSpan={3} title={title}>
                {text}: mean · 99.9 % · max
              </th>
            ))}
          </tr>
        </thead>
        <tbody className="value">
          {lines
            .filter(([, found]) => found.some(Boolean))
            .map(([text, found]) => (
              <tr key={text} className="rule border-t">
                <td className="py-0.5 text-left font-sans">{text}</td>
                {found.flatMap((d, i) =>
                  (["mean", "p99_9", "max"] as const).map((k) => (
                    <td key={`${SETS[i]?.[0]}${k}`}>
                      {d ? d[k].toFixed(k === "mean" ? 3 : 2) : "–"}
                    </td>
                  )),
                )}
              </tr>
            ))}
        </tbody>
      </table>
    </article>
  );
}

/** What a match is said to miss; of one that is borrowed, that nothing was measured here. */
function missOf(cell: Cell): string {
  const value = cell.delta_e === null ? "" : `ΔE ${cell.delta_e.toFixed(2)}`;
  return cell.state === "borrowed" ? `borrowed ${value}`.trim() : value;
}
