/** What the interface asks the server about races. */
import { keepPreviousData, useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { api, type Schemas, unwrap } from "./client";
import { keys } from "./queries";

export function useRace(study: number, runs: string, at: string) {
  return useQuery({
    queryKey: [...keys.study(study), "race", runs, at],
    queryFn: () =>
      unwrap(
        api.GET("/api/studies/{study}/race", {
          params: { path: { study }, query: { ...(runs && { runs }), ...(at && { at }) } },
        }),
      ),
    placeholderData: keepPreviousData,
    staleTime: 30_000,
    retry: false,
  });
}

export type RaceFilm = Schemas["RaceFilm"];
const POLL_MS = 1500;
const drawn = (films: RaceFilm[] | undefined) =>
  (films ?? []).some((one) => one.state === "waits" || one.state === "working");

/** Films of a study's races, the newest first; asked again while one is being drawn. */
export function useRaceFilms(study: number, wanted: boolean) {
  return useQuery({
    queryKey: [...keys.study(study), "race films"],
    enabled: wanted,
    queryFn: () =>
      unwrap(api.GET("/api/studies/{study}/race/films", { params: { path: { study } } })),
    refetchInterval: (query) => (drawn(query.state.data) ? POLL_MS : false),
  });
}

export function useDrawRace(study: number) {
  const queries = useQueryClient();
  return useMutation({
    mutationFn: (body: { runs: number[]; at: string }) =>
      unwrap(api.POST("/api/studies/{study}/race/films", { params: { path: { study } }, body })),
    onSettled: () => queries.invalidateQueries({ queryKey: [...keys.study(study), "race films"] }),
  });
}

/** Queue one run of each variant that is filmed. */
export function useFilm(study: number) {
  const queries = useQueryClient();
  return useMutation({
    mutationFn: () =>
      unwrap(api.POST("/api/studies/{study}/films", { params: { path: { study } } })),
    onSettled: () => queries.invalidateQueries({ queryKey: keys.study(study) }),
  });
}
