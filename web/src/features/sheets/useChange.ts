import { useMutation, useQueryClient } from "@tanstack/react-query";
import { afterChange } from "@/api/queries";

/** A change of the production: when it is done, everything that was derived is asked for again. */
export function useChange<T>(change: (values: T) => Promise<unknown>, onDone: () => void) {
  const client = useQueryClient();
  return useMutation({
    mutationFn: change,
    onSuccess: () => {
      // First: were it done after the refetch, it could close the next sheet.
      onDone();
      return afterChange(client);
    },
    // Somebody was first: with what is there now one may save again and overrule it.
    onError: () => afterChange(client),
  });
}

/** The fields of a form that a person has changed: only these are sent. */
export function changedFields<T extends object>(before: T, now: T): Partial<T> {
  const names = (Object.keys(now) as (keyof T)[]).filter(
    (name) => JSON.stringify(before[name]) !== JSON.stringify(now[name]),
  );
  return Object.fromEntries(names.map((name) => [name, now[name]])) as Partial<T>;
}
