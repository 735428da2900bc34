import { useQuery } from "@tanstack/react-query";
import { type FormEvent, useState } from "react";
import { api, type Board, unwrap } from "@/api/client";
import { awayQuery } from "@/api/queries";
import { Dialog } from "@/shared/Dialog";
import { Problem } from "@/shared/Feedback";
import { usePutAway } from "@/shared/PutAway";
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
        <AwayList production={production.id} />
        {save.isError && <Problem error={save.error} />}
        <Actions busy={save.isPending} text="Save" onCancel={onClose} />
      </form>
    </Dialog>
  );
}

/** What was put away in the production, and the way back. */
function AwayList({ production }: { production: number }) {
  const away = useQuery(awayQuery(production));
  const back = usePutAway(production);
  if (!away.data?.length) return null;
  return (
    <section className="mt-4" aria-label="Put away">
      <h3 className="mb-1 font-semibold">Put away</h3>
      <ul className="max-h-40 overflow-y-auto">
        {away.data.map(({ kind, id, name }) => (
          <li key={`${kind}-${id}`} className="rule flex items-center border-t py-1">
            <span className="flex-1">{name}</span>
            <button
              type="button"
              className="btn btn-xs"
              disabled={back.isPending}
              onClick={() => back.mutate({ kind, id, is_away: false, base: null })}
            >
              Bring back
            </button>
          </li>
        ))}
      </ul>
      {back.isError && <Problem error={back.error} />}
    </section>
  );
}
