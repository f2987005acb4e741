/** What the interface asks the server about logs that are brought in. */
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { api, Failure, type Log, type LogMapping, type Schemas, unwrap } from "./client";
import { keys } from "./queries";
import { upload } from "./upload";

const key = (log: number) => ["log", log] as const;

export function useMappings() {
  return useQuery({ queryKey: ["mappings"], queryFn: () => unwrap(api.GET("/api/mappings")) });
}

export function useLogs(study: number) {
  return useQuery({
    queryKey: [...keys.study(study), "logs"],
    queryFn: () => unwrap(api.GET("/api/studies/{study}/logs", { params: { path: { study } } })),
    refetchOnMount: "always",
  });
}

/** A log; asked for again while the worker is at it. */
export function useLog(log: number) {
  return useQuery({
    queryKey: key(log),
    queryFn: () => unwrap(api.GET("/api/logs/{log}", { params: { path: { log } } })),
    enabled: log > 0,
    refetchInterval: (query) =>
      ["reading", "keeping"].includes(query.state.data?.state ?? "") ? 400 : false,
  });
}

/** Send a log; `told` hears how much of it has gone, from 0 to 1. */
export function bring(study: number, file: File, told: (share: number) => void): Promise<Log> {
  const name = encodeURIComponent(file.name);
  return upload<Log>(`/api/studies/${study}/logs?name=${name}`, file, told);
}

/** The first rows as a mapping understands them. */
export function usePreview(log: number, mapping: LogMapping) {
  return useQuery({
    queryKey: [...key(log), "look", JSON.stringify(mapping)],
    queryFn: () =>
      unwrap(api.POST("/api/logs/{log}/look", { params: { path: { log } }, body: { mapping } })),
    retry: false,
    staleTime: 60_000,
  });
}

function useChange<Body>(log: number, change: (body: Body) => Promise<Log>) {
  const queries = useQueryClient();
  return useMutation({
    mutationFn: change,
    onSuccess: (data) => queries.setQueryData(key(log), data),
    onSettled: () => queries.invalidateQueries({ queryKey: key(log) }),
  });
}

export function useReadThrough(log: number) {
  return useChange(log, (mapping: LogMapping) =>
    unwrap(api.POST("/api/logs/{log}/read", { params: { path: { log } }, body: { mapping } })),
  );
}

export function useKeepLog(log: number) {
  return useChange(log, (body: Schemas["Keep"]) =>
    unwrap(api.POST("/api/logs/{log}/keep", { params: { path: { log } }, body })),
  );
}

export function useThrowAway(study: number) {
  const queries = useQueryClient();
  return useMutation({
    mutationFn: async (log: number) => {
      const { response } = await api.DELETE("/api/logs/{log}", { params: { path: { log } } });
      if (!response.ok) throw new Failure(response.status, "It could not be thrown away.");
    },
    onSettled: () => queries.invalidateQueries({ queryKey: [...keys.study(study), "logs"] }),
  });
}

/** Let several runs that were brought in count, for one reason. */
export function useLetAllIn(study: number) {
  const queries = useQueryClient();
  return useMutation({
    mutationFn: (body: Schemas["LetIn"]) =>
      unwrap(api.POST("/api/studies/{study}/let-in", { params: { path: { study } }, body })),
    onSettled: (runs) =>
      Promise.all([
        ...(runs ?? []).map((run) => queries.invalidateQueries({ queryKey: keys.run(run.id) })),
        queries.invalidateQueries({ queryKey: keys.study(study) }),
        queries.invalidateQueries({ queryKey: keys.board(study) }),
      ]),
  });
}

/** Let a run that was brought in count among the measured ones. */
export function useLetIn(run: number, study: number) {
  const queries = useQueryClient();
  return useMutation({
    mutationFn: (reason: string) =>
      unwrap(api.POST("/api/runs/{run}/let-in", { params: { path: { run } }, body: { reason } })),
    onSettled: () =>
      Promise.all([
        queries.invalidateQueries({ queryKey: keys.run(run) }),
        queries.invalidateQueries({ queryKey: keys.study(study) }),
        queries.invalidateQueries({ queryKey: keys.board(study) }),
      ]),
  });
}
