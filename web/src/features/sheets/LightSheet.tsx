import { type FormEvent, useState } from "react";
import { api, type Board, type Light, unwrap } from "@/api/client";
import { Dialog } from "@/shared/Dialog";
import { Problem } from "@/shared/Feedback";
import { PutAway } from "@/shared/PutAway";
import { Actions, Field } from "./Field";
import { changedFields, useChange } from "./useChange";

export function LightSheet({
  board,
  light,
  onClose,
}: {
  board: Board;
  light: Light | null;
  onClose: () => void;
}) {
  const [first] = useState({ name: light?.name ?? "", conditions: light?.conditions ?? "" });
  const [values, setValues] = useState(first);
  const save = useChange(
    () =>
      light
        ? unwrap(
            api.PATCH("/api/lights/{light_id}", {
              params: { path: { light_id: light.id } },
              body: { ...changedFields(first, values), base: board.head },
            }),
          )
        : unwrap(
            api.POST("/api/productions/{production_id}/lights", {
              params: { path: { production_id: board.production.id } },
              body: values,
            }),
          ),
    onClose,
  );
  const submit = (event: FormEvent) => {
    event.preventDefault();
    save.mutate(undefined);
  };
  return (
    <Dialog title={light ? "Light" : "New light"} onClose={onClose}>
      <form onSubmit={submit}>
        <Field label="Name">
          <input
            className="input input-sm w-full"
            value={values.name}
            required
            maxLength={80}
            onChange={(e) => setValues({ ...values, name: e.target.value })}
          />
        </Field>
        <Field
          label="Conditions"
          hint="Lamps, filters, exposure index: what makes a chart reading and a match hold here and nowhere else."
        >
          <input
            className="input input-sm w-full"
            value={values.conditions}
            maxLength={200}
            onChange={(e) => setValues({ ...values, conditions: e.target.value })}
          />
        </Field>
        {save.isError && <Problem error={save.error} />}
        {light && (
          <PutAway
            production={board.production.id}
            kind="light"
            id={light.id}
            base={board.head}
            text="Put this light away"
            onDone={onClose}
          />
        )}
        <Actions busy={save.isPending} text={light ? "Save" : "Add"} onCancel={onClose} />
      </form>
    </Dialog>
  );
}
