import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { X } from "lucide-react";
import { type ReactNode, useState } from "react";
import { api, type Board, type ClipRow, type ClipSettings as Settings, unwrap } from "@/api/client";
import { afterChange, encodingsQuery } from "@/api/queries";
import { Problem } from "@/shared/Feedback";
import { WORDS_OF } from "./words";

type Name = keyof Settings;
/** Matrices between Y'CbCr and R'G'B', by the standards that state them. */
export const MATRIX_NAMES = {
  bt709: "BT.709",
  bt601: "BT.601",
  bt2020: "BT.2020",
  "240m": "SMPTE 240M",
  fcc: "FCC 1953",
};
type NumberName = "kelvin" | "tint" | "stops" | "exposure_index";

/** Settings that take clips back to what their camera has. */
function cleared(names: readonly Name[]): Settings {
  const out: Settings = {};
  for (const name of names) out[name] = null;
  return out;
}

/** Settings of the marked clips: only the ticked fields are applied, and they are named. */
export function ClipSettings({
  board,
  clips,
  onClose,
}: {
  board: Board;
  clips: ClipRow[];
  onClose: () => void;
}) {
  const client = useQueryClient();
  const encodings = useQuery(encodingsQuery(board.production.id)).data ?? [];
  const first = clips[0];
  const [values, setValues] = useState<Settings>({
    encoding: first?.encoding ?? "",
    levels: first?.levels ?? "full",
    quantisation: "legal",
    matrix: "bt709",
    siting: "left",
    white: "set",
    kelvin: 5600,
    tint: 0,
    stops: 0,
    exposure_index: 800,
    highlights: "clip",
  });
  const [ticked, setTicked] = useState<ReadonlySet<Name>>(new Set());
  const apply = useMutation({
    mutationFn: (sent: Settings) =>
      unwrap(
        api.POST("/api/productions/{production_id}/clips/settings", {
          params: { path: { production_id: board.production.id } },
          body: { ids: clips.map((c) => c.id), values: sent, base: board.head },
        }),
      ),
    onSuccess: () => {
      setTicked(new Set());
      afterChange(client);
    },
  });
  const set = <N extends Name>(name: N, value: Settings[N]) => {
    setValues({ ...values, [name]: value });
    setTicked(new Set([...ticked, name]));
  };
  const row = (name: Name, field: ReactNode) => (
    <div key={name} className="mb-1.5 flex items-center gap-2">
      <input
        type="checkbox"
        className="checkbox checkbox-xs"
        aria-label={`Apply ${WORDS_OF[name]}`}
        checked={ticked.has(name)}
        onChange={(e) => {
          const next = new Set(ticked);
          if (e.target.checked) next.add(name);
          else next.delete(name);
          setTicked(next);
        }}
      />
      <span className="w-24 shrink-0">{WORDS_OF[name]}</span>
      {field}
    </div>
  );
  const choice = <N extends Exclude<Name, NumberName>>(
    name: N,
    options: readonly (Settings[N] & string)[],
    called: Record<string, string> = {},
  ) =>
    row(
      name,
      <select
        className="select select-xs min-w-0 flex-1"
        aria-label={WORDS_OF[name]}
        value={String(values[name])}
        onChange={(e) => {
          const found = options.find((o) => o === e.target.value);
          if (found !== undefined) set(name, found);
        }}
      >
        {options.map((o) => (
          <option key={o} value={o}>
            {called[o] ?? o}
          </option>
        ))}
      </select>,
    );
  const number = (name: NumberName, low: number, high: number, step: number) =>
    row(
      name,
      <input
        type="number"
        className="input input-xs min-w-0 flex-1"
        aria-label={WORDS_OF[name]}
        min={low}
        max={high}
        step={step}
        value={Number(values[name])}
        onChange={(e) => set(name, Number(e.target.value))}
      />,
    );
  const names = (Object.keys(WORDS_OF) as Name[]).filter((n) => ticked.has(n));
  const words = names.map((n) => WORDS_OF[n]).join(", ");
  const count = `${clips.length} ${clips.length === 1 ? "clip" : "clips"}`;
  const own = [...new Set(clips.flatMap((c) => Object.keys(c.overrides)))] as Name[];
  const media = new Set(clips.map((c) => c.media));
  return (
    <aside
      className="rule flex w-72 shrink-0 flex-col overflow-y-auto border-l bg-base-200 p-3"
      aria-label="Settings of clips"
    >
      <div className="mb-2 flex items-center">
        <h2 className="font-semibold">Settings of {count}</h2>
        <button
          type="button"
          className="btn btn-xs btn-square ml-auto"
          aria-label="Unmark all"
          onClick={onClose}
        >
          <X size={13} />
        </button>
      </div>
      <p className="faint mb-2 text-2xs">
        Clips follow their camera. Only what is ticked becomes their own.
      </p>
      {row(
        "encoding",
        <select
          className="select select-xs min-w-0 flex-1"
          aria-label="encoding"
          value={values.encoding ?? ""}
          onChange={(e) => set("encoding", e.target.value)}
        >
          {encodings.map((e) => (
            <option key={e.slug} value={e.slug}>
              {e.name}
            </option>
          ))}
        </select>,
      )}
      {!(media.size === 1 && media.has("raw")) && choice("levels", ["full", "legal"])}
      {media.has("video") && (
        <>
          {choice("quantisation", ["legal", "full"])}
          {choice("matrix", ["bt709", "bt601", "bt2020", "240m", "fcc"], MATRIX_NAMES)}
          {choice("siting", ["left", "center", "topleft", "top", "bottomleft", "bottom"])}
        </>
      )}
      {media.has("raw") && (
        <>
          <h3 className="mt-2 mb-1 font-semibold">Raw development</h3>
          {choice("white", ["as-shot", "set"])}
          {number("kelvin", 1700, 25000, 50)}
          {number("tint", -50, 50, 0.5)}
          {number("exposure_index", 25, 102400, 1)}
          {number("stops", -8, 8, 0.05)}
          {choice("highlights", ["clip", "blend", "rebuild"])}
        </>
      )}
      {apply.isError && <Problem error={apply.error} />}
      <button
        type="button"
        className="btn btn-sm btn-primary mt-3"
        disabled={!names.length || apply.isPending}
        onClick={() => apply.mutate(Object.fromEntries(names.map((n) => [n, values[n]])))}
      >
        {names.length ? `Apply ${words} to ${count}` : "Tick what is to be applied"}
      </button>
      {own.length > 0 && (
        <button
          type="button"
          className="btn btn-sm mt-2"
          disabled={apply.isPending}
          onClick={() => apply.mutate(cleared(own))}
        >
          Back to the camera's {own.map((n) => WORDS_OF[n]).join(", ")}
        </button>
      )}
    </aside>
  );
}
