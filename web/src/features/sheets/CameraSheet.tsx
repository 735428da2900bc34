import { type FormEvent, useState } from "react";
import { api, type Board, type Camera, unwrap } from "@/api/client";
import { Dial } from "@/shared/Dial";
import { Dialog } from "@/shared/Dialog";
import { Problem } from "@/shared/Feedback";
import { PutAway } from "@/shared/PutAway";
import { EncodingCurve } from "./EncodingCurve";
import { EncodingPicker } from "./EncodingPicker";
import { Actions, Field } from "./Field";
import { FromConfig, OwnEncoding } from "./OwnEncoding";
import { AS_SHOT, RawFields } from "./RawFields";
import { Usual } from "./Usual";
import { changedFields, useChange } from "./useChange";

export function CameraSheet({
  board,
  camera,
  onClose,
}: {
  board: Board;
  camera: Camera | null;
  onClose: () => void;
}) {
  const taken = new Set(board.cameras.map((c) => c.letter));
  const free = "ABCDEFGHIJKLMNOPQRSTUVWXYZ".split("").filter((l) => !taken.has(l));
  const inUse = [...new Set(board.cameras.map((c) => c.encoding))];
  const [letter, setLetter] = useState(camera?.letter ?? free[0] ?? "A");
  const [first] = useState({
    name: camera?.name ?? "",
    encoding: camera?.encoding ?? "s-log3/s-gamut3.cine",
    levels: camera?.levels ?? ("full" as "full" | "legal"),
    quantisation: camera?.quantisation ?? ("" as "" | "full" | "legal"),
    raw: camera?.raw ?? AS_SHOT,
    note: camera?.note ?? "",
    is_stand_in: camera?.is_stand_in ?? false,
    unit_stops: camera?.unit_stops ?? 0,
    unit_tint: camera?.unit_tint ?? 0,
  });
  const [values, setValues] = useState(first);
  const [entering, setEntering] = useState<"own" | "config" | null>(null);
  const set = (changes: Partial<typeof values>) => setValues({ ...values, ...changes });
  const save = useChange(
    () =>
      camera
        ? unwrap(
            api.PATCH("/api/cameras/{camera_id}", {
              params: { path: { camera_id: camera.id } },
              body: { ...changedFields(first, values), base: board.head },
            }),
          )
        : unwrap(
            api.POST("/api/productions/{production_id}/cameras", {
              params: { path: { production_id: board.production.id } },
              body: { letter, ...values },
            }),
          ),
    onClose,
  );
  const changed =
    camera &&
    (camera.encoding !== values.encoding ||
      camera.levels !== values.levels ||
      camera.quantisation !== values.quantisation ||
      JSON.stringify(camera.raw) !== JSON.stringify(values.raw));
  const submit = (event: FormEvent) => {
    event.preventDefault();
    save.mutate(undefined);
  };
  const done = (slug: string) => {
    set({ encoding: slug });
    setEntering(null);
  };
  return (
    <Dialog title={camera ? `Camera ${camera.letter}` : "New camera"} onClose={onClose} wide>
      <form onSubmit={submit}>
        <div className="grid grid-cols-2 gap-5">
          <div>
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
                    value={values.name}
                    required
                    maxLength={80}
                    onChange={(e) => set({ name: e.target.value })}
                  />
                </Field>
              </div>
            </div>
            <EncodingPicker
              production={board.production.id}
              value={values.encoding}
              inUse={inUse}
              onChange={(encoding) => set({ encoding })}
            />
            <div className="mb-3 flex gap-2">
              <button
                type="button"
                className="btn btn-xs"
                aria-pressed={entering === "own"}
                onClick={() => setEntering(entering === "own" ? null : "own")}
              >
                Enter one…
              </button>
              <button
                type="button"
                className="btn btn-xs"
                aria-pressed={entering === "config"}
                onClick={() => setEntering(entering === "config" ? null : "config")}
              >
                From a config…
              </button>
            </div>
            <Field
              label="Quantisation range of video"
              hint="How Y'CbCr becomes R'G'B'. Several codecs lose the tag: where black lies above 0 and white below 100 %, it is the other one."
            >
              <select
                className="select select-sm w-full"
                value={values.quantisation}
                onChange={(e) =>
                  set({ quantisation: e.target.value as typeof values.quantisation })
                }
              >
                <option value="">as the file says, else legal</option>
                <option value="legal">legal</option>
                <option value="full">full</option>
              </select>
            </Field>
            <RawFields value={values.raw} onChange={(raw) => set({ raw })} />
          </div>
          <div>
            {entering === "own" && <OwnEncoding production={board.production.id} onDone={done} />}
            {entering === "config" && <FromConfig production={board.production.id} onDone={done} />}
            {entering === null && (
              <>
                <div className="mb-3">
                  <EncodingCurve slug={values.encoding} levels={values.levels} />
                </div>
                <Field
                  label="Curve levels"
                  hint="Full: the curve's 0–1 is the whole code scale. Legal: it is the part from 64 to 940 of it."
                >
                  <select
                    className="select select-sm w-full"
                    value={values.levels}
                    onChange={(e) => set({ levels: e.target.value as typeof values.levels })}
                  >
                    <option value="full">full</option>
                    <option value="legal">legal</option>
                  </select>
                </Field>
                {camera && (
                  <Usual
                    camera={camera.id}
                    encoding={values.encoding}
                    value={values}
                    onTake={set}
                  />
                )}
                {camera?.is_reference ? (
                  <p className="faint mb-3 text-2xs">
                    The reference is what it is: it takes no correction of its own.
                  </p>
                ) : (
                  <fieldset className="mb-3" aria-label="This unit">
                    <label className="mb-1 flex items-center gap-2">
                      <input
                        type="checkbox"
                        className="checkbox checkbox-xs"
                        checked={values.is_stand_in}
                        onChange={(e) => set({ is_stand_in: e.target.checked })}
                      />
                      The encoding of a similar camera: this one is on no list
                    </label>
                    <Dial
                      label="This unit, gain"
                      value={values.unit_stops}
                      low={-2}
                      high={2}
                      step={0.02}
                      neutral={0}
                      unit="stops"
                      onChange={(unit_stops) => set({ unit_stops })}
                    />
                    <Dial
                      label="This unit, tint to green"
                      value={values.unit_tint}
                      low={-1}
                      high={1}
                      step={0.01}
                      neutral={0}
                      unit="stops"
                      onChange={(unit_tint) => set({ unit_tint })}
                    />
                    <p className="faint text-2xs">
                      Holds where there is no match; a match from a chart has it in it already.
                    </p>
                  </fieldset>
                )}
                <Field label="Note">
                  <textarea
                    className="textarea textarea-sm w-full"
                    rows={2}
                    value={values.note}
                    maxLength={2000}
                    onChange={(e) => set({ note: e.target.value })}
                  />
                </Field>
              </>
            )}
          </div>
        </div>
        {changed && (
          <p className="faint mb-2">
            All pictures of this camera change. Its charts are read again where they were and every
            match is fitted again, each as a new revision; earlier ones are kept.
          </p>
        )}
        {save.isError && <Problem error={save.error} />}
        {camera && !camera.is_reference && (
          <PutAway
            production={board.production.id}
            kind="camera"
            id={camera.id}
            base={board.head}
            text="Put this camera away"
            onDone={onClose}
          />
        )}
        <Actions busy={save.isPending} text={camera ? "Save" : "Add"} onCancel={onClose} />
      </form>
    </Dialog>
  );
}
