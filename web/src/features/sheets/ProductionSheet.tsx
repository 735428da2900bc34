import { type FormEvent, useState } from "react";
import { useNavigate } from "react-router";
import { api, type Board, unwrap } from "@/api/client";
import { Dialog } from "@/shared/Dialog";
import { Problem } from "@/shared/Feedback";
import { Actions, Field } from "./Field";
import { Outputs } from "./Outputs";
import { changedFields, useChange } from "./useChange";

export function ProductionSheet({ board, onClose }: { board: Board; onClose: () => void }) {
  const { production, cameras } = board;
  const [first] = useState(production);
  const [name, setName] = useState(production.name);
  const [reference, setReference] = useState(production.reference_camera_id ?? 0);
  const [tolerance, setTolerance] = useState(String(production.tolerance));
  const [outputs, setOutputs] = useState(production.outputs);
  const save = useChange(
    () =>
      unwrap(
        api.PATCH("/api/productions/{production_id}", {
          params: { path: { production_id: production.id } },
          body: {
            ...changedFields<Partial<Board["production"]>>(first, {
              name,
              tolerance: Number(tolerance),
              outputs,
              ...(reference ? { reference_camera_id: reference } : {}),
            }),
            base: board.head,
          },
        }),
      ),
    onClose,
  );
  const submit = (event: FormEvent) => {
    event.preventDefault();
    save.mutate(undefined);
  };
  return (
    <Dialog title="Production" onClose={onClose} wide>
      <form onSubmit={submit}>
        <div className="grid grid-cols-3 gap-4">
          <Field label="Name">
            <input
              className="input input-sm w-full"
              value={name}
              required
              onChange={(e) => setName(e.target.value)}
            />
          </Field>
          <Field
            label="Reference camera"
            hint="Every other camera is matched to it. Matches to another reference are kept and come back with it."
          >
            <select
              className="select select-sm w-full"
              value={reference}
              onChange={(e) => setReference(Number(e.target.value))}
            >
              {cameras.map((c) => (
                <option key={c.id} value={c.id}>
                  {c.letter} {c.name}
                </option>
              ))}
            </select>
          </Field>
          <Field
            label="In tune up to, ΔE"
            hint="Off the chart, against the reference's own reading. Up to twice this is close."
          >
            <input
              className="input input-sm value w-28"
              type="number"
              min="0.1"
              max="10"
              step="0.1"
              value={tolerance}
              onChange={(e) => setTolerance(e.target.value)}
            />
          </Field>
        </div>
        <Outputs outputs={outputs} onChange={setOutputs} />
        {save.isError && <Problem error={save.error} />}
        <Actions busy={save.isPending} text="Save" onCancel={onClose} />
      </form>
    </Dialog>
  );
}

/** What stands there before there is any production. */
export function FirstProduction() {
  const navigate = useNavigate();
  const [name, setName] = useState("");
  const create = useChange(
    async () => {
      const made = await unwrap(api.POST("/api/productions", { body: { name } }));
      navigate(`/p/${made.id}`);
    },
    () => undefined,
  );
  return (
    <main className="mx-auto mt-40 max-w-sm">
      <h1 className="mb-1 text-xl font-semibold">Syntonos</h1>
      <p className="faint mb-6">
        Every angle matched to one reference camera. Begin with a production.
      </p>
      <form
        onSubmit={(event) => {
          event.preventDefault();
          create.mutate(undefined);
        }}
      >
        <Field label="Name of the production">
          <input
            className="input input-sm w-full"
            value={name}
            required
            onChange={(e) => setName(e.target.value)}
          />
        </Field>
        {create.isError && <Problem error={create.error} />}
        <button type="submit" className="btn btn-sm btn-primary">
          Begin
        </button>
      </form>
    </main>
  );
}
