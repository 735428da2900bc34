import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { X } from "lucide-react";
import { useState } from "react";
import { Link } from "react-router";
import { api, type Board, type ClipDetails as Details, unwrap } from "@/api/client";
import { afterChange, clipQuery, encodingsQuery } from "@/api/queries";
import { TakeAs } from "@/features/encoding";
import { Loading, Problem } from "@/shared/Feedback";
import { PutAway } from "@/shared/PutAway";
import { Strip, useStrip } from "@/shared/Strip";

const FACTS: Record<string, string> = {
  camera: "Camera",
  reel: "Reel",
  scene: "Scene",
  take: "Take",
  slate: "Slate",
  circled: "Circled",
  lens: "Lens",
  filter: "Filter",
  exposure_index: "Exposure index",
  white: "White",
  tint: "Tint",
  shutter: "Shutter",
  aperture: "Aperture",
  processing: "Processing",
  curve: "Curve",
  gamut: "Gamut",
  date: "Date",
  note: "Note",
};

/** All that is known of one clip. */
export function ClipDetails({
  board,
  id,
  onClose,
}: {
  board: Board;
  id: number;
  onClose: () => void;
}) {
  const clip = useQuery(clipQuery(id));
  const data = clip.data;
  return (
    <aside
      className="rule w-72 shrink-0 overflow-y-auto border-l bg-base-200 p-3"
      aria-label="Clip"
    >
      <div className="mb-2 flex items-center">
        <h2 className="value font-semibold">{data?.name ?? "…"}</h2>
        <button
          type="button"
          className="btn btn-xs btn-square ml-auto"
          aria-label="Close the clip"
          onClick={onClose}
        >
          <X size={13} />
        </button>
      </div>
      {clip.isPending && <Loading what="Reading" />}
      {clip.isError && <Problem error={clip.error} />}
      {data && (
        <>
          {!data.is_missing && <Moving clip={data} />}
          <p className="mb-2 flex gap-2">
            <Link
              className="btn btn-xs"
              to={`/p/${board.production.id}/l/${data.light_id}/c/${data.camera_id}/${data.kind === "chart" ? "chart" : "bench"}`}
            >
              {data.kind === "chart" ? "To the chart" : "To the Bench"}
            </Link>
          </p>
          <Place board={board} clip={data} onAway={onClose} />
          {data.findings.map((finding) => (
            <Doubt key={finding.text} board={board} clip={data} {...finding} />
          ))}
          {data.differences.map((text) => (
            <p key={text} className="mb-1 border-l-2 border-accent pl-2">
              {text}. A match from that chart may not hold here.
            </p>
          ))}
          {data.warnings.map((text) => (
            <p key={text} className="mb-1 border-l-2 border-accent pl-2">
              {text}
            </p>
          ))}
          <dl className="mb-3 grid grid-cols-[5.5rem_1fr] gap-x-2">
            <Fact name="Taken as" value={`${data.encoding_name}, levels ${data.levels}`} />
            <Fact
              name="File"
              value={`${data.format} ${data.bits} bit, ${data.width}×${data.height}, ${data.frame_count} frames${data.rate ? ` at ${rate(data.rate)}` : ""}`}
            />
            {data.media === "video" && (
              <Fact name="Range" value={data.tagged_range || "not tagged: taken as legal"} />
            )}
            {data.also_at.length > 0 && <Fact name="Also at" value={data.also_at.join(", ")} />}
            {data.timecode && <Fact name="Timecode" value={data.timecode} />}
            {Object.entries(FACTS).map(
              ([name, word]) =>
                data.facts[name] && <Fact key={name} name={word} value={data.facts[name]} />,
            )}
          </dl>
          {data.sidecars.length > 0 && (
            <section className="mb-3">
              <h3 className="font-semibold">Came with it</h3>
              <p className="faint mb-1 text-2xs">
                Not applied. Bring one into the look on the Bench to use it.
              </p>
              {data.sidecars.map((file) => (
                <p key={file} className="value truncate" title={file}>
                  {file.slice(file.lastIndexOf("/") + 1)}
                </p>
              ))}
            </section>
          )}
          <details className="mb-2">
            <summary className="faint cursor-pointer">
              {data.files.length} {data.files.length === 1 ? "file" : "files"}
            </summary>
            {data.files.slice(0, 50).map((file) => (
              <p key={file} className="value break-all text-2xs">
                {file}
              </p>
            ))}
          </details>
          <details>
            <summary className="faint cursor-pointer">
              {Object.keys(data.metadata).length} entries of the file
            </summary>
            <dl className="text-2xs">
              {Object.entries(data.metadata).map(([name, value]) => (
                <div key={name} className="flex gap-2">
                  <dt className="faint shrink-0">{name}</dt>
                  <dd className="value min-w-0 break-words">{value}</dd>
                </div>
              ))}
            </dl>
          </details>
        </>
      )}
    </aside>
  );
}

/** Where the clip belongs: camera, light and kind can be put right, and it can be put away. */
function Place({ board, clip, onAway }: { board: Board; clip: Details; onAway: () => void }) {
  const client = useQueryClient();
  const change = useMutation({
    mutationFn: (values: { camera_id?: number; light_id?: number; kind?: "scene" | "chart" }) =>
      unwrap(
        api.PATCH("/api/clips/{clip_id}", {
          params: { path: { clip_id: clip.id } },
          body: { ...values, base: clip.head },
        }),
      ),
    onSettled: () => afterChange(client),
  });
  return (
    <div className="mb-2 grid grid-cols-[5.5rem_1fr] items-center gap-x-2 gap-y-1">
      <Pick
        name="Camera"
        value={clip.camera_id}
        options={board.cameras.map((c) => [c.id, `${c.letter} ${c.name}`])}
        onPick={(camera_id) => change.mutate({ camera_id })}
      />
      <Pick
        name="Light"
        value={clip.light_id}
        options={board.lights.map((l) => [l.id, l.name])}
        onPick={(light_id) => change.mutate({ light_id })}
      />
      <Pick
        name="Kind"
        value={clip.kind}
        options={[
          ["scene", "scene"],
          ["chart", "chart"],
        ]}
        onPick={(kind) => change.mutate({ kind })}
      />
      {change.isError && (
        <div className="col-span-2">
          <Problem error={change.error} />
        </div>
      )}
      <div className="col-span-2">
        <PutAway
          production={board.production.id}
          kind="clip"
          id={clip.id}
          base={clip.head}
          onDone={onAway}
        />
      </div>
    </div>
  );
}

function Pick<T extends string | number>({
  name,
  value,
  options,
  onPick,
}: {
  name: string;
  value: T;
  options: [T, string][];
  onPick: (value: T) => void;
}) {
  return (
    <label className="contents">
      <span className="faint">{name}</span>
      <select
        className="select select-xs w-full"
        value={value}
        onChange={(e) => {
          const chosen = options.find(([key]) => String(key) === e.target.value);
          if (chosen) onPick(chosen[0]);
        }}
      >
        {options.map(([key, text]) => (
          <option key={key} value={key}>
            {text}
          </option>
        ))}
      </select>
    </label>
  );
}

/** The clip's picture as it is matched; the pointer and a slider's keys move through it. */
function Moving({ clip }: { clip: Details }) {
  const strip = useStrip(clip.strip);
  return (
    <figure className="mb-2">
      <div
        role="slider"
        tabIndex={0}
        aria-label={`Frame of ${clip.name}`}
        aria-valuemin={1}
        aria-valuemax={clip.frame_count}
        aria-valuenow={strip.frame + 1}
        onKeyDown={strip.onKeyDown}
      >
        <Strip
          clip={clip.id}
          strip={strip}
          width={480}
          stage="output"
          version={`${clip.encoding}${clip.levels}`}
          className="aspect-video w-full"
          alt={`${clip.name} as it is matched`}
        />
      </div>
      {clip.strip.length > 1 && (
        <figcaption className="faint text-2xs">
          frame <span className="value">{strip.frame + 1}</span> of {clip.frame_count}
        </figcaption>
      )}
    </figure>
  );
}

/** What speaks against how a clip is taken, and the way to take it otherwise. */
function Doubt({
  board,
  clip,
  text,
  encoding,
  levels,
}: {
  board: Board;
  clip: Details;
  text: string;
  encoding: string;
  levels: string;
}) {
  const [asks, setAsks] = useState(false);
  const light = board.lights.find((l) => l.id === clip.light_id);
  const camera = board.cameras.find((c) => c.id === clip.camera_id);
  const wanted = {
    encoding: encoding || clip.encoding,
    levels: (levels || clip.levels) === "legal" ? ("legal" as const) : ("full" as const),
  };
  const differs = wanted.encoding !== clip.encoding || wanted.levels !== clip.levels;
  const encodings = useQuery({ ...encodingsQuery(board.production.id), enabled: differs });
  const name = encodings.data?.find((e) => e.slug === wanted.encoding)?.name ?? clip.encoding_name;
  return (
    <div className="mb-2 border-l-2 border-accent pl-2">
      <p>{text}</p>
      {differs && (
        <button type="button" className="btn btn-xs mt-1" onClick={() => setAsks(true)}>
          Take it as {name}, levels {wanted.levels} …
        </button>
      )}
      {asks && (
        <TakeAs
          clip={clip}
          {...wanted}
          name={name}
          letter={camera?.letter ?? ""}
          light={light?.name ?? ""}
          base={clip.head}
          onClose={() => setAsks(false)}
        />
      )}
    </div>
  );
}

function Fact({ name, value }: { name: string; value: string }) {
  return (
    <>
      <dt className="faint">{name}</dt>
      <dd className="min-w-0 break-words">{value}</dd>
    </>
  );
}

function rate(text: string): string {
  const [top = "0", bottom = "1"] = text.split("/");
  return String(Number((Number(top) / Number(bottom)).toFixed(3)));
}
