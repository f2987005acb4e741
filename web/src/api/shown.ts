/** What the interface asks the server about numbers that a program only showed. */
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { api, type Schemas, unwrap } from "./client";
import { keys } from "./queries";

export type ShownNumber = Schemas["ShownNumber"];

const shown = (study: number) => [...keys.board(study), "shown"] as const;

export function useShown(study: number) {
  return useQuery({
    queryKey: shown(study),
    queryFn: () => unwrap(api.GET("/api/studies/{study}/shown", { params: { path: { study } } })),
  });
}

/** Say what stands in a picture; null where nothing can be read there. */
export function useSettle(study: number) {
  const queries = useQueryClient();
  return useMutation({
    mutationFn: ({ number, value }: { number: number; value: number | null }) =>
      unwrap(
        api.PUT("/api/studies/{study}/shown/{shown}", {
          params: { path: { study, shown: number } },
          body: { value },
        }),
      ),
    onSuccess: (found) => queries.setQueryData(shown(study), found),
    onSettled: () => queries.invalidateQueries({ queryKey: keys.study(study) }),
  });
}
