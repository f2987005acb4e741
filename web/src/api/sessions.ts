/** What the interface asks the server about sets of sessions. */
import { keepPreviousData, useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { api, type Schemas, unwrap } from "./client";
import { keys } from "./queries";

export type SessionTable = Schemas["SessionTable"];
export type SetSession = Schemas["SetSession"];

const table = (study: number) => [...keys.board(study), "sessions"] as const;

export function useSessionTable(study: number, metric: string) {
  return useQuery({
    queryKey: [...table(study), metric],
    queryFn: () =>
      unwrap(
        api.GET("/api/studies/{study}/sessions", {
          params: { path: { study }, query: metric ? { metric } : {} },
        }),
      ),
    placeholderData: keepPreviousData,
  });
}

/** Keep numbers that were typed in as readings of variants. */
export function useTypeIn(study: number) {
  const queries = useQueryClient();
  return useMutation({
    mutationFn: (body: Schemas["TypedNumbers"]) =>
      unwrap(api.POST("/api/studies/{study}/numbers", { params: { path: { study } }, body })),
    onSettled: () => queries.invalidateQueries({ queryKey: keys.study(study) }),
  });
}

/** Add a session to a study's set, a new one or another study; its number. */
export function useAddSession(study: number) {
  const queries = useQueryClient();
  return useMutation({
    mutationFn: (other: number | null) =>
      unwrap(
        api.POST("/api/studies/{study}/sessions", {
          params: { path: { study } },
          body: other === null ? {} : { study: other },
        }),
      ),
    onSettled: () =>
      Promise.all([
        queries.invalidateQueries({ queryKey: keys.study(study) }),
        queries.invalidateQueries({ queryKey: keys.studies }),
        queries.invalidateQueries({ queryKey: table(study) }),
      ]),
  });
}

export function useSetShare(study: number) {
  const queries = useQueryClient();
  return useMutation({
    mutationFn: ({ part, share }: { part: number; share: number | null }) =>
      unwrap(
        api.PATCH("/api/studies/{study}/sessions/{part}", {
          params: { path: { study, part } },
          body: { share },
        }),
      ),
    onSettled: () => queries.invalidateQueries({ queryKey: table(study) }),
  });
}

export function useTakeOutOfSet(study: number) {
  const queries = useQueryClient();
  return useMutation({
    mutationFn: (part: number) =>
      unwrap(
        api.DELETE("/api/studies/{study}/sessions/{part}", { params: { path: { study, part } } }),
      ),
    onSettled: () =>
      Promise.all([
        queries.invalidateQueries({ queryKey: keys.studies }),
        queries.invalidateQueries({ queryKey: keys.study(study) }),
        queries.invalidateQueries({ queryKey: table(study) }),
      ]),
  });
}
