import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { ChevronLeft, Folder } from "lucide-react";
import { type DragEvent, useState } from "react";
import { api, toProblem, unwrap } from "@/api/client";
import { isOpen, jobsQuery, mediaQuery } from "@/api/queries";
import { Loading, Problem } from "@/shared/Feedback";

const MEDIA = { stills: "frames", video: "video", raw: "raw" } as const;

/** The media folders on the left: look through one, or drop files. */
export function MediaPane({ production, onLooked }: { production: number; onLooked: () => void }) {
  const client = useQueryClient();
  const [folder, setFolder] = useState("");
  const media = useQuery(mediaQuery(folder));
  const jobs = useQuery(jobsQuery(production)).data ?? [];
  const busy = jobs.some((job) => isOpen(job) && job.kind === "look-through");
  const look = useMutation({
    mutationFn: (folders: string[]) =>
      unwrap(
        api.POST("/api/productions/{production_id}/look-through", {
          params: { path: { production_id: production } },
          body: { folders },
        }),
      ),
    onSuccess: () => {
      client.invalidateQueries({ queryKey: jobsQuery(production).queryKey });
      onLooked();
    },
  });
  const parts = folder ? folder.split("/") : [];
  const data = media.data;
  return (
    <aside className="rule flex w-60 shrink-0 flex-col border-r bg-base-200" aria-label="Media">
      <div className="rule flex items-center gap-1 border-b p-2">
        <button
          type="button"
          className="btn btn-xs btn-square"
          aria-label="One folder up"
          disabled={!folder}
          onClick={() => setFolder(parts.slice(0, -1).join("/"))}
        >
          <ChevronLeft size={13} />
        </button>
        <span className="value min-w-0 truncate" title={folder}>
          {folder ? parts.join(" / ") : "media"}
        </span>
      </div>
      <div className="min-h-0 flex-1 overflow-y-auto py-1">
        {media.isPending && <Loading what="Looking through the folder" />}
        {media.isError && <Problem error={media.error} onRetry={() => setFolder("")} />}
        {data?.folders.map((f) => (
          <button
            key={f}
            type="button"
            className="flex w-full items-center gap-2 px-3 py-1 text-left hover:bg-base-300"
            onClick={() => setFolder(f)}
          >
            <Folder size={14} className="shrink-0" />
            <span className="truncate">{f.slice(f.lastIndexOf("/") + 1)}</span>
          </button>
        ))}
        {data?.sequences.map((s) => (
          <div key={s.files[0]} className="flex items-baseline gap-2 px-3 py-0.5">
            <span className={`value truncate ${s.is_registered ? "faint" : ""}`}>{s.name}</span>
            <span className="faint ml-auto shrink-0 text-2xs">
              {s.is_registered
                ? "in"
                : s.media === "video"
                  ? "video"
                  : `${s.files.length} ${MEDIA[s.media]}${s.missing ? `, ${s.missing} missing` : ""}`}
            </span>
          </div>
        ))}
        {data && !data.folders.length && !data.sequences.length && (
          <p className="faint p-3">
            Nothing here that is read: DNG and other raw, mov, mp4, mxf, mkv, DPX, EXR, TIFF 16 and
            PNG 16 are.
          </p>
        )}
      </div>
      {look.isError && <Problem error={look.error} />}
      <div className="rule flex flex-col gap-2 border-t p-2">
        <button
          type="button"
          className="btn btn-sm"
          disabled={busy || look.isPending}
          onClick={() => look.mutate([folder])}
        >
          {busy ? "Looking through…" : folder ? "Look through this folder" : "Look through all"}
        </button>
        <Drop production={production} onDropped={(where) => look.mutate([where])} />
      </div>
    </aside>
  );
}

type Dropped = { file: File; place: string };

/** Walk what was dropped: folders keep their names. */
async function filesOf(transfer: DataTransfer): Promise<Dropped[]> {
  const entries = [...transfer.items]
    .map((item) => item.webkitGetAsEntry?.())
    .filter((entry): entry is FileSystemEntry => Boolean(entry));
  if (!entries.length) return [...transfer.files].map((file) => ({ file, place: "" }));
  const found: Dropped[] = [];
  const walk = async (entry: FileSystemEntry, place: string): Promise<void> => {
    if (entry.isFile) {
      const file = await new Promise<File>((done, fail) =>
        (entry as FileSystemFileEntry).file(done, fail),
      );
      if (!file.name.startsWith(".")) found.push({ file, place });
      return;
    }
    const reader = (entry as FileSystemDirectoryEntry).createReader();
    for (;;) {
      const some = await new Promise<FileSystemEntry[]>((done, fail) =>
        reader.readEntries(done, fail),
      );
      if (!some.length) break;
      for (const below of some) await walk(below, `${place}${entry.name}/`);
    }
  };
  for (const entry of entries) await walk(entry, "");
  return found;
}

/** Files dropped into the page are sent one after the other; what is refused is said, the rest goes on. */
function Drop({
  production,
  onDropped,
}: {
  production: number;
  onDropped: (folder: string) => void;
}) {
  const [over, setOver] = useState(false);
  const [state, setState] = useState<{ done: number; all: number; refused: string[] } | null>(null);
  const send = async (files: Dropped[]) => {
    const refused: string[] = [];
    let where = "";
    setState({ done: 0, all: files.length, refused });
    for (const [i, { file, place }] of files.entries()) {
      const asked = new URLSearchParams({ name: file.name, place });
      try {
        const answer = await fetch(`/api/productions/${production}/uploads?${asked}`, {
          method: "POST",
          headers: { "Content-Type": "application/octet-stream" },
          body: file,
        });
        const said = await answer.json();
        if (!answer.ok) throw said;
        where = said.folder;
      } catch (error) {
        const problem = toProblem(error);
        refused.push(`${file.name}: ${problem.message} ${problem.hint}`);
      }
      setState({ done: i + 1, all: files.length, refused: [...refused] });
    }
    if (where) onDropped(where);
  };
  const drop = async (event: DragEvent) => {
    event.preventDefault();
    setOver(false);
    await send(await filesOf(event.dataTransfer));
  };
  const sending = state && state.done < state.all;
  return (
    // biome-ignore lint/a11y/noStaticElementInteractions: files can be chosen by the button as well
    <div
      className={`border border-dashed p-2 text-center ${over ? "border-base-content bg-base-300" : "border-base-content/30"}`}
      onDragOver={(event) => {
        event.preventDefault();
        setOver(true);
      }}
      onDragLeave={() => setOver(false)}
      onDrop={drop}
    >
      <label className="cursor-pointer">
        <span className="faint">
          {sending ? `Sending ${state.done + 1} of ${state.all}` : "Drop files here, or choose"}
        </span>
        <input
          type="file"
          multiple
          className="sr-only"
          aria-label="Files to bring in"
          onChange={(event) =>
            send([...(event.target.files ?? [])].map((file) => ({ file, place: "" })))
          }
        />
      </label>
      {sending && <progress className="progress mt-1" value={state.done} max={state.all} />}
      {state?.refused.map((text) => (
        <p key={text} role="alert" className="mt-1 text-left text-2xs">
          {text}
        </p>
      ))}
    </div>
  );
}
