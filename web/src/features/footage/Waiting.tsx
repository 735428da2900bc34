import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { type Arrival, api, type Board, type Schemas, unwrap } from "@/api/client";
import { afterChange, arrivalsQuery, encodingsQuery, isOpen, jobsQuery } from "@/api/queries";
import { Empty, Problem } from "@/shared/Feedback";
import { CameraMark } from "@/shared/Marks";
import { MATRIX_NAMES } from "./ClipSettings";
import { TickAll } from "./TickAll";

type MatrixName = Arrival["matrices"][number];
type Change = Omit<Schemas["ArrivalChange"], "ids">;
const LETTERS = "ABCDEFGHIJKLMNOPQRSTUVWXYZ".split("");

/** What was found: where each would go and why, to correct before it comes in. */
export function Waiting({
  board,
  arrivals,
  onAccepted,
}: {
  board: Board;
  arrivals: Arrival[];
  onAccepted: () => void;
}) {
  const id = board.production.id;
  const client = useQueryClient();
  const [chosen, setChosen] = useState<ReadonlySet<number>>(new Set());
  const jobs = useQuery(jobsQuery(id)).data ?? [];
  const working = jobs.some(
    (j) => isOpen(j) && (j.kind === "bring-in" || j.kind === "look-through"),
  );
  const path = { params: { path: { production_id: id } } };
  const again = () => client.invalidateQueries({ queryKey: arrivalsQuery(id).queryKey });
  const change = useMutation({
    mutationFn: ({ ids, values }: { ids: number[]; values: Change }) =>
      unwrap(
        api.PATCH("/api/productions/{production_id}/arrivals", {
          ...path,
          body: { ids, ...values },
        }),
      ),
    onSuccess: again,
  });
  const accept = useMutation({
    mutationFn: (ids: number[]) =>
      unwrap(
        api.POST("/api/productions/{production_id}/arrivals/accept", { ...path, body: { ids } }),
      ),
    onSuccess: () => {
      afterChange(client);
      onAccepted();
    },
  });
  const leave = useMutation({
    mutationFn: (ids: number[]) =>
      unwrap(
        api.POST("/api/productions/{production_id}/arrivals/leave-out", { ...path, body: { ids } }),
      ),
    onSuccess: () => {
      setChosen(new Set());
      again();
    },
  });
  const open = arrivals.filter((a) => a.state === "proposed");
  const coming = arrivals.filter((a) => a.state === "accepted");
  const broken = arrivals.filter((a) => a.state === "failed");
  const marked = open.filter((a) => chosen.has(a.id)).map((a) => a.id);
  const subject = marked.length ? marked : open.map((a) => a.id);
  const lights = [
    ...new Set([...board.lights.map((l) => l.name), ...open.map((a) => a.light_name)]),
  ]
    .filter(Boolean)
    .sort();
  const known = new Set(board.cameras.map((c) => c.letter));
  const toMake = [
    ...new Set(open.filter((a) => a.letter && !known.has(a.letter)).map((a) => a.letter)),
  ];
  const asked = toMake.filter((l) => !open.some((a) => a.letter === l && a.encoding));
  const undecided = open.filter((a) => a.matrices.length && !a.matrix).length;
  const unplaced = open.filter((a) => !a.letter || !a.light_name).length;
  if (!arrivals.length)
    return (
      <Empty title={working ? "Looking…" : "Nothing waits."}>
        Choose a folder on the left and look through it, or drop files there. What is found is
        proposed here, by camera and light, before it comes in.
      </Empty>
    );
  const toggle = (ids: number[], on: boolean) => {
    const next = new Set(chosen);
    for (const one of ids) on ? next.add(one) : next.delete(one);
    setChosen(next);
  };
  const one = (a: Arrival, values: Change) =>
    change.mutate({ ids: chosen.has(a.id) ? marked : [a.id], values });
  return (
    <>
      <div className="min-h-0 flex-1 overflow-auto">
        {broken.length > 0 && (
          <section className="rule border-b px-3 py-2" aria-label="Could not be read">
            <h2 className="mb-1 flex items-center font-semibold">
              Could not be read
              <button
                type="button"
                className="btn btn-xs ml-auto"
                onClick={() => leave.mutate(broken.map((a) => a.id))}
              >
                Leave out
              </button>
            </h2>
            {broken.map((a) => (
              <p key={a.id} role="alert">
                <span className="value">
                  {a.folder}/{a.name}
                </span>
                : {a.problem?.detail} <span className="faint">{a.problem?.hint}</span>
              </p>
            ))}
          </section>
        )}
        {coming.length > 0 && (
          <p className="rule faint border-b px-3 py-2">
            {coming.length} coming in{working ? "" : "; the work was stopped. "}
            {!working && <Resume production={id} />}
          </p>
        )}
        {toMake.map((letter) => (
          <NewCamera
            key={letter}
            production={id}
            letter={letter}
            arrivals={open.filter((a) => a.letter === letter)}
            onChange={(values) =>
              change.mutate({
                ids: open.filter((a) => a.letter === letter).map((a) => a.id),
                values,
              })
            }
          />
        ))}
        {open.length > 0 && (
          <table className="table table-xs w-full" aria-label="Recordings that wait">
            <thead className="sticky top-0 z-10 bg-base-100">
              <tr>
                <th className="w-8">
                  <TickAll label="All" rows={open} marked={marked.length} onToggle={toggle} />
                </th>
                <th>Recording</th>
                <th>Camera</th>
                <th>Light</th>
                <th>Kind</th>
                <th>What it is</th>
                <th>Timecode</th>
              </tr>
            </thead>
            <tbody>
              {open.map((a) => (
                <tr key={a.id} className={chosen.has(a.id) ? "bg-base-300" : ""}>
                  <td>
                    <input
                      type="checkbox"
                      className="checkbox checkbox-xs"
                      aria-label={a.name}
                      checked={chosen.has(a.id)}
                      onChange={(e) => toggle([a.id], e.target.checked)}
                    />
                  </td>
                  <td className="flex gap-2">
                    <img
                      src={`/api/arrivals/${a.id}/picture`}
                      alt=""
                      loading="lazy"
                      className="h-[36px] w-16 shrink-0 bg-black object-cover"
                    />
                    <span>
                      <span className="value block">{a.name}</span>
                      <span className="faint block max-w-48 truncate text-2xs" title={a.folder}>
                        {a.folder}
                      </span>
                      {[
                        ...(a.missing
                          ? [`${a.missing} ${a.missing === 1 ? "frame" : "frames"} missing`]
                          : []),
                        ...a.warnings,
                        ...(a.differs ? [a.differs] : []),
                      ].map((w) => (
                        <span key={w} className="block text-2xs">
                          {w}
                        </span>
                      ))}
                      {a.matrices.length > 0 && (
                        <select
                          className="select select-xs mt-0.5 w-48"
                          aria-label={`Matrix of ${a.name}`}
                          value={a.matrix}
                          onChange={(e) => one(a, { matrix: e.target.value as MatrixName })}
                        >
                          {!a.matrix && <option value="">which matrix?</option>}
                          {a.matrices.map((m, i) => (
                            <option key={m} value={m}>
                              {MATRIX_NAMES[m]}, as its {i ? "container says" : "pictures say"}
                            </option>
                          ))}
                        </select>
                      )}
                    </span>
                  </td>
                  <td title={a.reasons.letter as string}>
                    <span className="flex items-center gap-1.5">
                      {a.letter && <CameraMark letter={a.letter} size={18} />}
                      <select
                        className="select select-xs w-32"
                        aria-label={`Camera of ${a.name}`}
                        value={a.letter}
                        onChange={(e) => one(a, { letter: e.target.value })}
                      >
                        {!a.letter && <option value="">which?</option>}
                        {LETTERS.map((l) => {
                          const camera = board.cameras.find((c) => c.letter === l);
                          const name =
                            camera?.name ?? (l === a.letter ? `${a.camera_name} (new)` : "new");
                          return (
                            <option key={l} value={l}>
                              {l} {name}
                            </option>
                          );
                        })}
                      </select>
                    </span>
                  </td>
                  <td title={a.reasons.light as string}>
                    <LightField
                      value={a.light_name}
                      label={`Light of ${a.name}`}
                      lights={lights}
                      isNew={
                        Boolean(a.light_name) && !board.lights.some((l) => l.name === a.light_name)
                      }
                      onChange={(light_name) => one(a, { light_name })}
                    />
                  </td>
                  <td title={a.reasons.kind as string}>
                    <select
                      className="select select-xs w-20"
                      aria-label={`Kind of ${a.name}`}
                      value={a.kind}
                      onChange={(e) => one(a, { kind: e.target.value as Arrival["kind"] })}
                    >
                      <option value="scene">scene</option>
                      <option value="chart">chart</option>
                    </select>
                  </td>
                  <td className="faint">
                    <span className="block">
                      {a.format} {a.bits} bit
                      {a.media === "video" && a.file_count > 1 && `, in ${a.file_count} files`}
                    </span>
                    <span className="value block">
                      {a.width}×{a.height}, {a.frame_count} f
                    </span>
                  </td>
                  <td className="value">{a.timecode || "–"}</td>
                </tr>
              ))}
            </tbody>
          </table>
        )}
      </div>
      {(change.isError || accept.isError || leave.isError) && (
        <Problem error={change.error ?? accept.error ?? leave.error} />
      )}
      {open.length > 0 && (
        <footer className="rule flex shrink-0 items-center gap-3 border-t px-3 py-2">
          <button
            type="button"
            className="btn btn-sm btn-primary"
            disabled={
              working || accept.isPending || asked.length > 0 || unplaced > 0 || undecided > 0
            }
            onClick={() => accept.mutate(subject)}
          >
            Bring in {subject.length === open.length ? "all" : ""} {subject.length}
          </button>
          <button
            type="button"
            className="btn btn-sm"
            disabled={!marked.length}
            onClick={() => leave.mutate(marked)}
          >
            Leave out {marked.length || ""}
          </button>
          <span className="faint">
            {asked.length > 0
              ? `Say first what camera ${asked.join(", ")} records.`
              : unplaced > 0
                ? `${unplaced} without a camera or a light.`
                : undecided > 0
                  ? `${undecided} whose container and pictures say another matrix: choose one.`
                  : marked.length > 1
                    ? "A change in one marked row is made in all of them."
                    : "Nothing is copied or changed; files stay where they are."}
          </span>
        </footer>
      )}
    </>
  );
}

function Resume({ production }: { production: number }) {
  const client = useQueryClient();
  const resume = useMutation({
    mutationFn: () =>
      unwrap(
        api.POST("/api/productions/{production_id}/arrivals/resume", {
          params: { path: { production_id: production } },
        }),
      ),
    onSuccess: () => afterChange(client),
  });
  return (
    <button type="button" className="btn btn-xs" onClick={() => resume.mutate()}>
      Go on
    </button>
  );
}

function LightField({
  value,
  label,
  lights,
  isNew,
  onChange,
}: {
  value: string;
  label: string;
  lights: string[];
  isNew: boolean;
  onChange: (name: string) => void;
}) {
  const [typing, setTyping] = useState<string | null>(null);
  if (typing !== null)
    return (
      <input
        className="input input-xs w-36"
        aria-label={label}
        // biome-ignore lint/a11y/noAutofocus: it takes the place of the select that asked for it
        autoFocus
        value={typing}
        maxLength={80}
        placeholder="Name of the light"
        onChange={(e) => setTyping(e.target.value)}
        onBlur={() => {
          if (typing.trim()) onChange(typing.trim());
          setTyping(null);
        }}
        onKeyDown={(e) => {
          if (e.key === "Enter") e.currentTarget.blur();
          if (e.key === "Escape") setTyping(null);
        }}
      />
    );
  return (
    <select
      className="select select-xs w-36"
      aria-label={label}
      value={value}
      onChange={(e) => (e.target.value === "\n" ? setTyping(value) : onChange(e.target.value))}
    >
      {!value && <option value="">which?</option>}
      {lights.map((l) => (
        <option key={l} value={l}>
          {l}
          {isNew && l === value ? " (new)" : ""}
        </option>
      ))}
      <option value={"\n"}>another…</option>
    </select>
  );
}

/** A camera that is not there yet: its name, and what its footage carries. */
function NewCamera({
  production,
  letter,
  arrivals,
  onChange,
}: {
  production: number;
  letter: string;
  arrivals: Arrival[];
  onChange: (values: Change) => void;
}) {
  const encodings = useQuery(encodingsQuery(production)).data ?? [];
  const first = arrivals[0];
  const encoding = arrivals.find((a) => a.encoding)?.encoding ?? "";
  const [name, setName] = useState(first?.camera_name ?? "");
  if (!first) return null;
  return (
    <section
      className="rule flex items-center gap-3 border-b bg-base-200 px-3 py-2"
      aria-label={`New camera ${letter}`}
    >
      <CameraMark letter={letter} size={22} />
      <span className="font-semibold">New camera</span>
      <input
        className="input input-xs w-36"
        aria-label={`Name of camera ${letter}`}
        value={name}
        maxLength={80}
        onChange={(e) => setName(e.target.value)}
        onBlur={() => name.trim() && name !== first.camera_name && onChange({ camera_name: name })}
      />
      <span className="faint">records</span>
      <select
        className={`select select-xs w-64 ${encoding ? "" : "border-base-content"}`}
        aria-label={`Encoding of camera ${letter}`}
        value={encoding}
        onChange={(e) => onChange({ encoding: e.target.value })}
      >
        <option value="">which encoding?</option>
        {encodings.map((e) => (
          <option key={e.slug} value={e.slug}>
            {e.name}
          </option>
        ))}
      </select>
      <span className="faint truncate text-2xs">
        {encoding ? (first.reasons.encoding as string) : "Its files do not say it."}
      </span>
    </section>
  );
}
