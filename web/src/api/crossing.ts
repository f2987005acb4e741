/** What the interface asks the server about crossed factors. */
import { keepPreviousData, useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { api, put, type Schemas, unwrap } from "./client";
import { keys } from "./queries";

export type Crossing = Schemas["Crossing"];
export type CrossedCell = Schemas["CrossedCell"];
export type CrossedEffect = Schemas["CrossedEffect"];
export type CrossedMetric = Schemas["CrossedMetric"];
export type CrossedWhole = Schemas["CrossedWhole"];
export type CrossingValues = Schemas["CrossingValues"];

const crossing = (study: number) => [...keys.board(study), "crossing"] as const;

export function useCrossing(study: number, metric: string, stretch: string[]) {
  return useQuery({
    queryKey: [...crossing(study), metric, ...stretch],
    queryFn: () =>
      unwrap(
        api.GET("/api/studies/{study}/crossing", {
          params: { path: { study }, query: metric ? { metric, stretch } : {} },
        }),
      ),
    placeholderData: keepPreviousData,
  });
}

export function useCross(study: number) {
  const queries = useQueryClient();
  return useMutation({
    mutationFn: (body: CrossingValues) =>
      unwrap(api.PUT("/api/studies/{study}/crossing", { params: { path: { study } }, body })),
    onSettled: () => queries.invalidateQueries({ queryKey: crossing(study) }),
  });
}

/** The picture beside a person's word on whether a variant works; null takes it away. */
export function useWorksPicture(study: number) {
  const queries = useQueryClient();
  return useMutation({
    mutationFn: async (given: { position: number; picture: Blob | null }) => {
      const { position, picture } = given;
      if (picture) await put(`/api/studies/${study}/works/${position}/picture`, picture);
      else
        await unwrap(
          api.DELETE("/api/studies/{study}/works/{position}/picture", {
            params: { path: { study, position } },
          }),
        );
    },
    onSettled: () => queries.invalidateQueries({ queryKey: crossing(study) }),
  });
}
