/** What the interface asks the server about runs: records, traces, stretches, findings. */
import { keepPreviousData, useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { api, type NewFinding, put, unwrap } from "./client";
import { keys } from "./queries";

export function runQuery(id: number) {
  return {
    queryKey: keys.run(id),
    queryFn: () => unwrap(api.GET("/api/runs/{run}", { params: { path: { run: id } } })),
  };
}

export function useRun(id: number, wanted = true) {
  return useQuery({ ...runQuery(id), enabled: wanted });
}

/** A part of a run's trace as it is drawn. */
export function traceQuery(
  id: number,
  query: { from: number; to: number; points: number; counters: string },
) {
  return {
    queryKey: [...keys.run(id), "trace", query.from, query.to, query.points, query.counters],
    queryFn: () =>
      unwrap(api.GET("/api/runs/{run}/trace", { params: { path: { run: id }, query } })),
    placeholderData: keepPreviousData,
    staleTime: 60_000,
  };
}

/** Stretches beside one another, each as RUN:FROM:TO; the first is what the others are held to. */
export function useSideBySide(of: string[]) {
  return useQuery({
    queryKey: ["side-by-side", ...of],
    queryFn: () => unwrap(api.GET("/api/side-by-side", { params: { query: { of } } })),
    enabled: of.length > 0,
    placeholderData: keepPreviousData,
    staleTime: 60_000,
  });
}

export function useLaps(id: number, from: number, to: number, wanted: boolean) {
  return useQuery({
    queryKey: [...keys.run(id), "laps", from, to],
    queryFn: () =>
      unwrap(
        api.GET("/api/runs/{run}/laps", { params: { path: { run: id }, query: { from, to } } }),
      ),
    enabled: wanted && to > from,
    placeholderData: keepPreviousData,
    staleTime: 60_000,
  });
}

export function useStretch(id: number, from: number, to: number) {
  return useQuery({
    queryKey: [...keys.run(id), "stretch", from, to],
    queryFn: () =>
      unwrap(
        api.GET("/api/runs/{run}/stretch", { params: { path: { run: id }, query: { from, to } } }),
      ),
    placeholderData: keepPreviousData,
    enabled: to > from,
    staleTime: 60_000,
  });
}

export function useFindings(run: number) {
  return useQuery({
    queryKey: [...keys.run(run), "findings"],
    queryFn: () => unwrap(api.GET("/api/runs/{run}/findings", { params: { path: { run } } })),
  });
}

/** Pin a finding; its picture follows once it is kept. */
export function usePinFinding(run: number) {
  const queries = useQueryClient();
  return useMutation({
    mutationFn: async (given: { body: NewFinding; picture: Blob | null }) => {
      const made = await unwrap(
        api.POST("/api/runs/{run}/findings", { params: { path: { run } }, body: given.body }),
      );
      if (given.picture) await put(`/api/findings/${made.id}/picture`, given.picture);
      return made;
    },
    onSettled: () => queries.invalidateQueries({ queryKey: [...keys.run(run), "findings"] }),
  });
}

export function useWithdrawFinding(run: number) {
  const queries = useQueryClient();
  return useMutation({
    mutationFn: ({ finding, withdrawn }: { finding: number; withdrawn: boolean }) =>
      unwrap(
        api.PATCH("/api/findings/{finding}", {
          params: { path: { finding } },
          body: { withdrawn },
        }),
      ),
    onSettled: () => queries.invalidateQueries({ queryKey: [...keys.run(run), "findings"] }),
  });
}

/** The runs measured last over all studies, of one rig or one program. */
export function useLatestRuns(of: { rig?: string; subject?: number }) {
  return useQuery({
    queryKey: [...keys.studies, "latest", of.rig, of.subject],
    queryFn: () => unwrap(api.GET("/api/runs", { params: { query: of } })),
  });
}

/** Have the record of a run read again that was set aside. */
export function useReadAgain(run: number) {
  const queries = useQueryClient();
  return useMutation({
    mutationFn: () => unwrap(api.POST("/api/runs/{run}/read-again", { params: { path: { run } } })),
    onSettled: () => queries.invalidateQueries({ queryKey: keys.run(run) }),
  });
}
