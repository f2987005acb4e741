/** What the interface asks the server about logs that are brought in. */
import { useMutation, useQueries, useQuery, useQueryClient } from "@tanstack/react-query";
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

/** Logs, in the order asked for; asked for again while the worker is at them. */
export function useLogsOf(logs: number[]) {
  return useQueries({
    queries: logs.map((log) => ({
      queryKey: key(log),
      queryFn: () => unwrap(api.GET("/api/logs/{log}", { params: { path: { log } } })),
      refetchInterval: (query: { state: { data?: Log } }) =>
        ["reading", "keeping"].includes(query.state.data?.state ?? "") ? 400 : false,
    })),
    combine: (results) => ({
      data: results.every((one) => one.data) ? results.flatMap((one) => one.data ?? []) : undefined,
      error: results.find((one) => one.error)?.error ?? null,
    }),
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

/** Do the same with several logs, one after another; those done before one fails stay done. */
function useEach<Body>(change: (log: number, body: Body) => Promise<Log>) {
  const queries = useQueryClient();
  return useMutation({
    mutationFn: async (asked: [log: number, body: Body][]) => {
      for (const [log, body] of asked) queries.setQueryData(key(log), await change(log, body));
    },
    onSettled: (_, __, asked) =>
      Promise.all(
        asked.map(([log]) => queries.invalidateQueries({ queryKey: key(log), exact: true })),
      ),
  });
}

export function useReadThrough() {
  return useEach((log, mapping: LogMapping) =>
    unwrap(api.POST("/api/logs/{log}/read", { params: { path: { log } }, body: { mapping } })),
  );
}

export function useKeepLogs() {
  return useEach((log, body: Schemas["Keep"]) =>
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

/** Let runs that were brought in count among the measured ones, for one reason. */
export function useLetIn(study: number) {
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
