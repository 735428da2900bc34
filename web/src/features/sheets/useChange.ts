import { useMutation, useQueryClient } from "@tanstack/react-query";

/** A change of the production: when it is done, everything that was derived is asked for again. */
export function useChange<T>(change: (values: T) => Promise<unknown>, onDone: () => void) {
  const client = useQueryClient();
  return useMutation({
    mutationFn: change,
    onSuccess: () => {
      // First: were it done after the refetch, it could close the next sheet.
      onDone();
      return client.invalidateQueries();
    },
  });
}
