/** Every question the interface asks the server, by the name of what is asked for. */
import { keepPreviousData, useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { api, got, type NewClaim } from "./client";

export const keys = {
  session: ["session"] as const,
  rigs: ["rigs"] as const,
  studies: ["studies"] as const,
  study: (id: number) => ["study", id] as const,
  board: (id: number) => ["board", id] as const,
  run: (id: number) => ["run", id] as const,
};

export function useSession() {
  return useQuery({
    queryKey: keys.session,
    queryFn: () => got(api.GET("/api/session")),
    staleTime: Number.POSITIVE_INFINITY,
    retry: false,
  });
}

export function useRigs() {
  return useQuery({
    queryKey: keys.rigs,
    queryFn: () => got(api.GET("/api/rigs")),
    refetchInterval: 10_000,
  });
}

export function useStudies() {
  return useQuery({ queryKey: keys.studies, queryFn: () => got(api.GET("/api/studies")) });
}

export function useStudy(id: number) {
  return useQuery({
    queryKey: keys.study(id),
    queryFn: () => got(api.GET("/api/studies/{study}", { params: { path: { study: id } } })),
  });
}

export function useBoard(id: number, baseline = 0) {
  return useQuery({
    queryKey: [...keys.board(id), "against", baseline],
    queryFn: () =>
      got(
        api.GET("/api/studies/{study}/board", {
          params: { path: { study: id }, query: { baseline: baseline || undefined } },
        }),
      ),
    placeholderData: keepPreviousData,
  });
}

export function useDistribution(id: number, stretch: string[], wanted: boolean) {
  return useQuery({
    queryKey: [...keys.board(id), "distribution", ...stretch],
    queryFn: () =>
      got(
        api.GET("/api/studies/{study}/distribution", {
          params: { path: { study: id }, query: { stretch } },
        }),
      ),
    enabled: wanted,
    staleTime: 60_000,
  });
}

export function useRun(id: number) {
  return useQuery({
    queryKey: keys.run(id),
    queryFn: () => got(api.GET("/api/runs/{run}", { params: { path: { run: id } } })),
  });
}

export function useTrace(id: number, from?: number, to?: number) {
  return useQuery({
    queryKey: [...keys.run(id), "trace", from, to],
    queryFn: () =>
      got(api.GET("/api/runs/{run}/trace", { params: { path: { run: id }, query: { from, to } } })),
    placeholderData: keepPreviousData,
    staleTime: 60_000,
  });
}

export function useStretch(id: number, from: number, to: number) {
  return useQuery({
    queryKey: [...keys.run(id), "stretch", from, to],
    queryFn: () =>
      got(
        api.GET("/api/runs/{run}/stretch", { params: { path: { run: id }, query: { from, to } } }),
      ),
    placeholderData: keepPreviousData,
    enabled: to > from,
    staleTime: 60_000,
  });
}

export function useMeasure(study: number) {
  const queries = useQueryClient();
  return useMutation({
    mutationFn: (count: number) =>
      got(
        api.POST("/api/studies/{study}/rounds", {
          params: { path: { study } },
          body: { count },
        }),
      ),
    onSettled: () => queries.invalidateQueries({ queryKey: keys.study(study) }),
  });
}

export function useStop(study: number) {
  const queries = useQueryClient();
  return useMutation({
    mutationFn: () => got(api.POST("/api/studies/{study}/stop", { params: { path: { study } } })),
    onSettled: () => queries.invalidateQueries({ queryKey: keys.study(study) }),
  });
}

export function useAbort(study: number) {
  const queries = useQueryClient();
  return useMutation({
    mutationFn: (run: number) =>
      got(api.POST("/api/runs/{run}/abort", { params: { path: { run } } })),
    onSettled: () => queries.invalidateQueries({ queryKey: keys.study(study) }),
  });
}

/** Claims belong to the board: whatever changes it judges them anew. */
const claimsKey = (study: number) => [...keys.board(study), "claims"] as const;

export function useClaims(study: number) {
  return useQuery({
    queryKey: claimsKey(study),
    queryFn: () => got(api.GET("/api/studies/{study}/claims", { params: { path: { study } } })),
  });
}

export function useNewClaim(study: number) {
  const queries = useQueryClient();
  return useMutation({
    mutationFn: (claim: NewClaim) =>
      got(api.POST("/api/studies/{study}/claims", { params: { path: { study } }, body: claim })),
    onSettled: () => queries.invalidateQueries({ queryKey: claimsKey(study) }),
  });
}

export function useTakeBackClaim(study: number) {
  const queries = useQueryClient();
  return useMutation({
    mutationFn: (claim: number) =>
      api.DELETE("/api/studies/{study}/claims/{claim}", { params: { path: { study, claim } } }),
    onSettled: () => queries.invalidateQueries({ queryKey: claimsKey(study) }),
  });
}
