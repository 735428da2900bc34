import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { api, fileBody, type Schemas, unwrap } from "@/api/client";
import { configsQuery, spacesQuery } from "@/api/queries";
import { Problem } from "@/shared/Feedback";
import { Plot } from "@/shared/Plot";
import { Field } from "./Field";

const PARAMETERS = {
  base: "10",
  lin_side_slope: "5.555556",
  lin_side_offset: "0.05",
  log_side_slope: "0.25",
  log_side_offset: "0.39",
  lin_side_break: "0.01",
};

const PARAMETER_NAMES = [
  "base",
  "lin_side_slope",
  "lin_side_offset",
  "log_side_slope",
  "log_side_offset",
  "lin_side_break",
] as const;

const logOf = (typed: typeof PARAMETERS): Schemas["LogCamera"] => ({
  base: Number(typed.base),
  lin_side_slope: Number(typed.lin_side_slope),
  lin_side_offset: Number(typed.lin_side_offset),
  log_side_slope: Number(typed.log_side_slope),
  log_side_offset: Number(typed.log_side_offset),
  lin_side_break: Number(typed.lin_side_break),
});

/** An encoding that no list has: a curve by its log parameters or a table, and primaries. */
export function OwnEncoding({
  production,
  onDone,
}: {
  production: number;
  onDone: (slug: string) => void;
}) {
  const client = useQueryClient();
  const [name, setName] = useState("");
  const [kind, setKind] = useState<"log" | "table">("log");
  const [log, setLog] = useState(PARAMETERS);
  const [table, setTable] = useState("");
  const [primaries, setPrimaries] = useState("0.708 0.292  0.170 0.797  0.131 0.046");
  const [white, setWhite] = useState("0.3127 0.3290");
  const numbers = (text: string) =>
    text
      .trim()
      .split(/[\s,;]+/)
      .map(Number);
  // What is not a number is sent as one that is none: the server says where it is missing.
  const point = (values: number[], at = 0): [number, number] => [
    values[at] ?? Number.NaN,
    values[at + 1] ?? Number.NaN,
  ];
  const definition = (): Schemas["Definition"] => {
    const p = numbers(primaries);
    const known = primaries.trim().match(/^[a-z][\w.-]*$/);
    return {
      name,
      gamut: known ? primaries.trim() : [point(p), point(p, 2), point(p, 4)],
      white: known ? [0.3127, 0.329] : point(numbers(white)),
      adaptation: "cat02",
      log: kind === "log" ? logOf(log) : null,
      table: kind === "log" ? [] : numbers(table),
      first: 0,
      last: 1,
    };
  };
  const look = useMutation({
    mutationFn: () =>
      unwrap(api.POST("/api/encoding-curve", { body: { definition: definition() } })),
  });
  const keep = useMutation({
    mutationFn: () =>
      unwrap(
        api.POST("/api/productions/{production_id}/encodings", {
          params: { path: { production_id: production } },
          body: { definition: definition() },
        }),
      ),
    onSuccess: async (row) => {
      await client.invalidateQueries({ queryKey: ["encodings"] });
      onDone(row.slug);
    },
  });
  return (
    <section className="rule mb-3 border p-3" aria-label="An encoding of one's own">
      <Field label="Its name">
        <input
          className="input input-sm w-full"
          value={name}
          maxLength={80}
          onChange={(e) => setName(e.target.value)}
        />
      </Field>
      <div className="join mb-2">
        {(
          [
            ["log", "Log parameters"],
            ["table", "Table of light"],
          ] as const
        ).map(([key, text]) => (
          <button
            key={key}
            type="button"
            className={`btn btn-xs join-item ${kind === key ? "btn-primary" : ""}`}
            aria-pressed={kind === key}
            onClick={() => setKind(key)}
          >
            {text}
          </button>
        ))}
      </div>
      {kind === "log" ? (
        <>
          <p className="faint mb-1 text-2xs">
            As CLF's Log node has them: code = log slope · log(lin slope · lin + lin offset) + log
            offset above the break, a straight line below.
          </p>
          <div className="grid grid-cols-3 gap-2">
            {PARAMETER_NAMES.map((key) => (
              <label key={key} className="text-2xs">
                <span className="faint block">{key.replaceAll("_", " ")}</span>
                <input
                  className="input input-xs value w-full"
                  value={log[key]}
                  onChange={(e) => setLog({ ...log, [key]: e.target.value })}
                />
              </label>
            ))}
          </div>
        </>
      ) : (
        <Field
          label="Scene-linear at even codes from 0 to 1"
          hint="8 to 4096 numbers that rise; 0.18 is middle grey."
        >
          <textarea
            className="textarea textarea-sm value w-full"
            rows={3}
            value={table}
            onChange={(e) => setTable(e.target.value)}
          />
        </Field>
      )}
      <div className="mt-2 grid grid-cols-[2fr_1fr] gap-2">
        <label className="text-2xs">
          <span className="faint block">
            primaries, x y of red, green, blue (or a gamut's slug)
          </span>
          <input
            className="input input-xs value w-full"
            value={primaries}
            onChange={(e) => setPrimaries(e.target.value)}
          />
        </label>
        <label className="text-2xs">
          <span className="faint block">white, x y</span>
          <input
            className="input input-xs value w-full"
            value={white}
            onChange={(e) => setWhite(e.target.value)}
          />
        </label>
      </div>
      <div className="mt-3 flex gap-2">
        <button type="button" className="btn btn-xs" onClick={() => look.mutate()}>
          Check and plot
        </button>
        <button
          type="button"
          className="btn btn-xs btn-primary"
          disabled={keep.isPending}
          onClick={() => keep.mutate()}
        >
          Keep with the production
        </button>
      </div>
      {(look.isError || keep.isError) && <Problem error={look.error ?? keep.error} />}
      {look.data && !look.isError && (
        <div className="mt-2">
          <Plot
            label="The entered curve"
            points={look.data.code.flatMap((code, i) => {
              const stops = look.data.stops[i];
              return stops == null ? [] : [[stops, code] as const];
            })}
            x={{ low: -9, high: 9, ticks: [-8, -4, 0, 4, 8], unit: "stops about 18 %" }}
            y={{ low: 0, high: 1, ticks: [0, 0.5, 1], unit: "code / full scale" }}
          />
        </div>
      )}
    </section>
  );
}

/** Colour spaces of an OpenColorIO config become encodings, under the config's own names. */
export function FromConfig({
  production,
  onDone,
}: {
  production: number;
  onDone: (slug: string) => void;
}) {
  const client = useQueryClient();
  const configs = useQuery(configsQuery());
  const [config, setConfig] = useState("");
  const [file, setFile] = useState<File | null>(null);
  const [words, setWords] = useState("");
  const listed = useQuery({ ...spacesQuery(config), enabled: config !== "" && file === null });
  const read = useMutation({
    mutationFn: (chosen: File) => unwrap(api.POST("/api/configs/spaces", fileBody(chosen))),
  });
  const take = useMutation({
    mutationFn: (name: string) =>
      file
        ? unwrap(
            api.POST("/api/productions/{production_id}/encodings/from-file", {
              params: { path: { production_id: production }, query: { name } },
              ...fileBody(file),
            }),
          )
        : unwrap(
            api.POST("/api/productions/{production_id}/encodings/from-config", {
              params: { path: { production_id: production } },
              body: { config, name },
            }),
          ),
    onSuccess: async (row) => {
      await client.invalidateQueries({ queryKey: ["encodings"] });
      onDone(row.slug);
    },
  });
  const spaces = (file ? read.data : listed.data) ?? [];
  const found = spaces.filter((s) => s.name.toLowerCase().includes(words.toLowerCase()));
  const error = take.error ?? read.error ?? listed.error;
  return (
    <section className="rule mb-3 border p-3" aria-label="From a config">
      <div className="flex items-end gap-2">
        <label className="min-w-0 flex-1 text-2xs">
          <span className="faint block">a config that is shipped</span>
          <select
            className="select select-xs w-full"
            value={config}
            onChange={(e) => {
              setConfig(e.target.value);
              setFile(null);
            }}
          >
            <option value="">choose…</option>
            {configs.data?.map((name) => (
              <option key={name}>{name}</option>
            ))}
          </select>
        </label>
        <label className="btn btn-xs">
          or a file…
          <input
            type="file"
            className="hidden"
            accept=".ocio,.ocioz"
            onChange={(e) => {
              const chosen = e.target.files?.[0] ?? null;
              setFile(chosen);
              if (!chosen) return;
              read.mutate(chosen);
            }}
          />
        </label>
      </div>
      {file && <p className="value mt-1 truncate">{file.name}</p>}
      {error && <Problem error={error} />}
      {spaces.length > 0 && (
        <>
          <input
            className="input input-xs mt-2 w-full"
            placeholder="Search its colour spaces"
            aria-label="Search colour spaces"
            value={words}
            onChange={(e) => setWords(e.target.value)}
          />
          <ul className="rule mt-1 h-32 overflow-y-auto border bg-base-200">
            {found.map((space) => (
              <li key={space.name}>
                <button
                  type="button"
                  className="flex w-full px-2 py-0.5 text-left hover:bg-base-300"
                  disabled={take.isPending}
                  onClick={() => take.mutate(space.name)}
                >
                  {space.name}
                  <span className="faint ml-auto text-2xs">{space.family}</span>
                </button>
              </li>
            ))}
          </ul>
        </>
      )}
    </section>
  );
}
