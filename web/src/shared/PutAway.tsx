import { useMutation, useQueryClient } from "@tanstack/react-query";
import { api, type Schemas, unwrap } from "@/api/client";
import { afterChange } from "@/api/queries";
import { Problem } from "./Feedback";

type Kind = Schemas["AwayIn"]["kind"];

export function usePutAway(production: number, onDone?: () => void) {
  const client = useQueryClient();
  return useMutation({
    mutationFn: (body: Schemas["AwayIn"]) =>
      unwrap(
        api.POST("/api/productions/{production_id}/away", {
          params: { path: { production_id: production } },
          body,
        }),
      ),
    onSuccess: () => {
      // First what shows it is closed: it would ask for what is no longer there.
      onDone?.();
      return afterChange(client);
    },
  });
}

/** Put something away: nothing is deleted, it comes back as it was, and undo takes it back. */
export function PutAway({
  production,
  kind,
  id,
  base,
  text = "Put away",
  onDone,
}: {
  production: number;
  kind: Kind;
  id: number;
  base?: number;
  text?: string;
  onDone?: () => void;
}) {
  const away = usePutAway(production, onDone);
  return (
    <>
      <button
        type="button"
        className="btn btn-xs"
        title="Nothing is deleted: it comes back from the production's sheet, or by undo"
        disabled={away.isPending}
        onClick={() => away.mutate({ kind, id, is_away: true, base: base ?? null })}
      >
        {text}
      </button>
      {away.isError && <Problem error={away.error} />}
    </>
  );
}
