import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { Folder } from "lucide-react";
import { useState } from "react";
import { api, type Board, type Schemas, unwrap } from "@/api/client";
import { afterChange, mediaQuery } from "@/api/queries";
import { Dialog } from "@/shared/Dialog";
import { Loading, Problem } from "@/shared/Feedback";

type Sequence = Schemas["SequenceOut"];

/** Look through the media root and register recordings as clips of a camera in a light. */
export function BringIn({
  board,
  light,
  camera,
  onClose,
}: {
  board: Board;
  light?: number | undefined;
  camera?: number | undefined;
  onClose: () => void;
}) {
  const [folder, setFolder] = useState("");
  const [lightId, setLight] = useState(light ?? board.lights[0]?.id ?? 0);
  const [cameraId, setCamera] = useState(camera ?? board.cameras[0]?.id ?? 0);
  const media = useQuery(mediaQuery(folder));
  const parent = folder.includes("/") ? folder.slice(0, folder.lastIndexOf("/")) : "";
  if (!board.lights.length || !board.cameras.length)
    return (
      <Dialog title="Bring in" onClose={onClose}>
        <p>Add a camera and a light first: a clip belongs to one of each.</p>
      </Dialog>
    );
  return (
    <Dialog title="Bring in" onClose={onClose} wide>
      <div className="mb-3 flex items-center gap-2">
        <span className="faint">as clips of</span>
        <select
          aria-label="Camera"
          className="select select-sm w-40"
          value={cameraId}
          onChange={(e) => setCamera(Number(e.target.value))}
        >
          {board.cameras.map((c) => (
            <option key={c.id} value={c.id}>
              {c.letter} {c.name}
            </option>
          ))}
        </select>
        <span className="faint">in</span>
        <select
          aria-label="Light"
          className="select select-sm w-40"
          value={lightId}
          onChange={(e) => setLight(Number(e.target.value))}
        >
          {board.lights.map((l) => (
            <option key={l.id} value={l.id}>
              {l.name}
            </option>
          ))}
        </select>
      </div>
      <p className="value faint mb-1">media / {folder}</p>
      <div className="rule max-h-96 overflow-y-auto border">
        {media.isPending && <Loading what="Looking through the folder" />}
        {media.isError && <Problem error={media.error} onRetry={() => setFolder("")} />}
        {folder && <FolderRow name=".." onOpen={() => setFolder(parent)} />}
        {media.data?.folders.map((f) => (
          <FolderRow key={f} name={f.slice(f.lastIndexOf("/") + 1)} onOpen={() => setFolder(f)} />
        ))}
        {media.data?.sequences.map((s) => (
          <SequenceRow key={s.name} sequence={s} camera={cameraId} light={lightId} />
        ))}
        {media.data && !media.data.folders.length && !media.data.sequences.length && (
          <p className="faint p-3">
            No pictures here. PNG 16, TIFF 16, EXR and DPX 10 bit below the media root can be
            brought in.
          </p>
        )}
      </div>
    </Dialog>
  );
}

function FolderRow({ name, onOpen }: { name: string; onOpen: () => void }) {
  return (
    <button
      type="button"
      className="flex w-full items-center gap-2 px-3 py-1.5 text-left hover:bg-base-300"
      onClick={onOpen}
    >
      <Folder size={14} />
      {name}
    </button>
  );
}

function SequenceRow({
  sequence,
  camera,
  light,
}: {
  sequence: Sequence;
  camera: number;
  light: number;
}) {
  const client = useQueryClient();
  const add = useMutation({
    mutationFn: (kind: "scene" | "chart") =>
      unwrap(
        api.POST("/api/clips", {
          body: {
            camera_id: camera,
            light_id: light,
            kind,
            files: sequence.files,
            name: sequence.name,
          },
        }),
      ),
    onSuccess: () => afterChange(client),
  });
  return (
    <div className="rule border-t px-3 py-1.5">
      <div className="flex items-center gap-2">
        <span className="value">{sequence.name}</span>
        <span className="faint">
          {sequence.files.length} {sequence.files.length === 1 ? "frame" : "frames"}
        </span>
        <span className="ml-auto flex gap-1.5">
          {sequence.is_registered || add.isSuccess ? (
            <span className="faint">brought in</span>
          ) : (
            (["scene", "chart"] as const).map((kind) => (
              <button
                key={kind}
                type="button"
                className="btn btn-xs"
                disabled={add.isPending}
                onClick={() => add.mutate(kind)}
              >
                as {kind}
              </button>
            ))
          )}
        </span>
      </div>
      {add.isError && <Problem error={add.error} />}
    </div>
  );
}
