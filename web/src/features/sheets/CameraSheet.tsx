import { useQuery } from "@tanstack/react-query";
import { type FormEvent, useState } from "react";
import { api, type Board, type Camera, unwrap } from "@/api/client";
import { encodingsQuery } from "@/api/queries";
import { Dialog } from "@/shared/Dialog";
import { Problem } from "@/shared/Feedback";
import { Actions, Field } from "./Field";
import { useChange } from "./useChange";

export function CameraSheet({
  board,
  camera,
  onClose,
}: {
  board: Board;
  camera: Camera | null;
  onClose: () => void;
}) {
  const encodings = useQuery(encodingsQuery());
  const taken = new Set(board.cameras.map((c) => c.letter));
  const free = "ABCDEFGHIJKLMNOPQRSTUVWXYZ".split("").filter((l) => !taken.has(l));
  const [letter, setLetter] = useState(camera?.letter ?? free[0] ?? "A");
  const [name, setName] = useState(camera?.name ?? "");
  const [encoding, setEncoding] = useState(camera?.encoding ?? "s-log3/s-gamut3.cine");
  const [levels, setLevels] = useState<"full" | "legal">(camera?.levels ?? "full");
  const [note, setNote] = useState(camera?.note ?? "");
  const save = useChange(
    () =>
      camera
        ? unwrap(
            api.PATCH("/api/cameras/{camera_id}", {
              params: { path: { camera_id: camera.id } },
              body: { name, encoding, levels, note },
            }),
          )
        : unwrap(
            api.POST("/api/productions/{production_id}/cameras", {
              params: { path: { production_id: board.production.id } },
              body: { letter, name, encoding, levels, note },
            }),
          ),
    onClose,
  );
  const changed = camera && (camera.encoding !== encoding || camera.levels !== levels);
  const submit = (event: FormEvent) => {
    event.preventDefault();
    save.mutate(undefined);
  };
  return (
    <Dialog title={camera ? `Camera ${camera.letter}` : "New camera"} onClose={onClose}>
      <form onSubmit={submit}>
        <div className="flex gap-3">
          {!camera && (
            <Field label="Letter">
              <select
                className="select select-sm w-20"
                value={letter}
                onChange={(e) => setLetter(e.target.value)}
              >
                {free.map((l) => (
                  <option key={l}>{l}</option>
                ))}
              </select>
            </Field>
          )}
          <div className="flex-1">
            <Field label="Name">
              <input
                className="input input-sm w-full"
                value={name}
                required
                maxLength={80}
                onChange={(e) => setName(e.target.value)}
              />
            </Field>
          </div>
        </div>
        <Field label="Encoding" hint="The curve and gamut that its code values carry.">
          <select
            className="select select-sm w-full"
            value={encoding}
            onChange={(e) => setEncoding(e.target.value)}
          >
            {encodings.data?.map((e) => (
              <option key={e.slug} value={e.slug}>
                {e.name}
              </option>
            ))}
          </select>
        </Field>
        <Field
          label="Curve levels"
          hint="Full: the curve's 0–1 is the whole code scale. Legal: it is the part from 64 to 940."
        >
          <select
            className="select select-sm w-full"
            value={levels}
            onChange={(e) => setLevels(e.target.value as typeof levels)}
          >
            <option value="full">full</option>
            <option value="legal">legal</option>
          </select>
        </Field>
        <Field label="Note">
          <textarea
            className="textarea textarea-sm w-full"
            rows={2}
            value={note}
            maxLength={2000}
            onChange={(e) => setNote(e.target.value)}
          />
        </Field>
        {changed && (
          <p className="faint mb-2">
            All pictures of this camera change. Its charts must be read and fitted again; earlier
            matches are kept.
          </p>
        )}
        {save.isError && <Problem error={save.error} />}
        <Actions busy={save.isPending} text={camera ? "Save" : "Add"} onCancel={onClose} />
      </form>
    </Dialog>
  );
}
