import { useMutation, useQueryClient } from "@tanstack/react-query";

/** Every change in the shop can touch every piece. */
export function useShopChange<T>(run: (body: T) => Promise<unknown>) {
  const client = useQueryClient();
  return useMutation({ mutationFn: run, onSettled: () => client.invalidateQueries() });
}
