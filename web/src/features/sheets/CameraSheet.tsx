import { type FormEvent, useState } from "react";
import { api, type Board, type Camera, unwrap } from "@/api/client";
import { Dial } from "@/shared/Dial";
import { Dialog } from "@/shared/Dialog";
import { Problem } from "@/shared/Feedback";
import { EncodingCurve } from "./EncodingCurve";
import { EncodingPicker } from "./EncodingPicker";
import { Actions, Field } from "./Field";
import { FromConfig, OwnEncoding } from "./OwnEncoding";
import { useChange } from "./useChange";

const AS_SHOT: Camera["raw"] = {
  white: "as-shot",
  kelvin: 5600,
  tint: 0,
  stops: 0,
  exposure_index: null,
  highlights: "clip",
};

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
  const [values, setValues] = useState({
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
  const [entering, setEntering] = useState<"own" | "config" | null>(null);
  const set = (changes: Partial<typeof values>) => setValues({ ...values, ...changes });
  const save = useChange(
    () =>
      camera
        ? unwrap(
            api.PATCH("/api/cameras/{camera_id}", {
              params: { path: { camera_id: camera.id } },
              body: values,
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
                  hint="Full: the curve's 0–1 is the whole code scale; usual in image sequences. Legal: it is the part from 64 to 940; usual in mezzanine video."
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
                {camera?.is_reference ? (
                  <p className="faint mb-3 text-2xs">
                    The reference is what it is: it takes no correction of its own.
                  </p>
                ) : (
                  <fieldset className="mb-3" aria-label="This body">
                    <label className="mb-1 flex items-center gap-2">
                      <input
                        type="checkbox"
                        className="checkbox checkbox-xs"
                        checked={values.is_stand_in}
                        onChange={(e) => set({ is_stand_in: e.target.checked })}
                      />
                      A relative's encoding: this camera is on no list
                    </label>
                    <Dial
                      label="This body, gain"
                      value={values.unit_stops}
                      low={-2}
                      high={2}
                      step={0.02}
                      neutral={0}
                      unit="stops"
                      onChange={(unit_stops) => set({ unit_stops })}
                    />
                    <Dial
                      label="This body, tint"
                      value={values.unit_tint}
                      low={-1}
                      high={1}
                      step={0.01}
                      neutral={0}
                      unit="green"
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
        <Actions busy={save.isPending} text={camera ? "Save" : "Add"} onCancel={onClose} />
      </form>
    </Dialog>
  );
}

/** How this camera's raw is developed; clips may differ. */
function RawFields({
  value,
  onChange,
}: {
  value: Camera["raw"];
  onChange: (raw: Camera["raw"]) => void;
}) {
  const set = (changes: Partial<Camera["raw"]>) => onChange({ ...value, ...changes });
  return (
    <details className="mb-3" open={JSON.stringify(value) !== JSON.stringify(AS_SHOT)}>
      <summary className="cursor-pointer font-semibold">Raw development</summary>
      <div className="mt-1 grid grid-cols-2 gap-2">
        <label>
          <span className="faint block text-2xs">White</span>
          <select
            className="select select-xs w-full"
            value={value.white}
            onChange={(e) => set({ white: e.target.value as Camera["raw"]["white"] })}
          >
            <option value="as-shot">as shot</option>
            <option value="set">by kelvin and tint</option>
          </select>
        </label>
        <label>
          <span className="faint block text-2xs">Highlights</span>
          <select
            className="select select-xs w-full"
            value={value.highlights}
            onChange={(e) => set({ highlights: e.target.value as Camera["raw"]["highlights"] })}
          >
            <option value="clip">clip</option>
            <option value="blend">blend</option>
            <option value="rebuild">rebuild</option>
          </select>
        </label>
        {value.white === "set" && (
          <>
            <NumberField
              label="Kelvin"
              value={value.kelvin}
              low={1700}
              high={25000}
              step={50}
              onChange={(kelvin) => set({ kelvin })}
            />
            <NumberField
              label="Tint, Duv × 1000"
              value={value.tint}
              low={-50}
              high={50}
              step={0.5}
              onChange={(tint) => set({ tint })}
            />
          </>
        )}
        <NumberField
          label="Exposure, stops"
          value={value.stops}
          low={-8}
          high={8}
          step={0.05}
          onChange={(stops) => set({ stops })}
        />
        <NumberField
          label="Exposure index, empty: as shot"
          value={value.exposure_index ?? null}
          low={25}
          high={102400}
          step={1}
          onChange={(exposure_index) => set({ exposure_index: exposure_index || null })}
        />
      </div>
      <p className="faint mt-1 text-2xs">
        Developed by the file's own matrices, into the encoding above.
      </p>
    </details>
  );
}

function NumberField({
  label,
  value,
  low,
  high,
  step,
  onChange,
}: {
  label: string;
  value: number | null;
  low: number;
  high: number;
  step: number;
  onChange: (value: number) => void;
}) {
  return (
    <label>
      <span className="faint block text-2xs">{label}</span>
      <input
        type="number"
        className="input input-xs w-full"
        value={value ?? ""}
        min={low}
        max={high}
        step={step}
        onChange={(e) => onChange(Number(e.target.value))}
      />
    </label>
  );
}
