/** What the interface asks of reports: as they would go out, arranged, issued, withdrawn. */
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { api, type Schemas, unwrap } from "./client";
import { keys } from "./queries";

export type Report = Schemas["Report"];
export type ReportSection = Schemas["ReportSection"];
export type IssuedReport = Schemas["IssuedReport"];
export type Reference = Schemas["Reference"];
export type Arrangement = Schemas["Arrangement"];

export function useReport(study: number, wanted = true) {
  return useQuery({
    queryKey: keys.report(study),
    enabled: wanted,
    queryFn: () => unwrap(api.GET("/api/studies/{study}/report", { params: { path: { study } } })),
  });
}

export function useIssued(study: number, wanted = true) {
  return useQuery({
    queryKey: [...keys.report(study), "issued"],
    enabled: wanted,
    queryFn: () => unwrap(api.GET("/api/studies/{study}/reports", { params: { path: { study } } })),
  });
}

export function useIssuedReport(study: number, number: number | undefined) {
  return useQuery({
    queryKey: [...keys.report(study), "issued", number],
    enabled: number !== undefined,
    queryFn: () =>
      unwrap(
        api.GET("/api/studies/{study}/reports/{report}", {
          params: { path: { study, report: number ?? 0 } },
        }),
      ),
  });
}

/** A change whose answer is the report as it is now. */
function useReportChange<Asked>(study: number, send: (asked: Asked) => Promise<Report>) {
  const queries = useQueryClient();
  return useMutation({
    mutationFn: send,
    onSuccess: (report) => {
      queries.setQueryData(keys.report(study), report);
      queries.invalidateQueries({ queryKey: keys.study(study) });
    },
    onError: () => queries.invalidateQueries({ queryKey: keys.report(study) }),
  });
}

export function useArrange(study: number) {
  return useReportChange(study, (body: Arrangement) =>
    unwrap(api.PUT("/api/studies/{study}/report", { params: { path: { study } }, body })),
  );
}

export function useIssue(study: number) {
  return useReportChange(study, (restsOn: string) =>
    unwrap(
      api.POST("/api/studies/{study}/reports", {
        params: { path: { study } },
        body: { rests_on: restsOn },
      }),
    ),
  );
}

export function useWithdraw(study: number) {
  return useReportChange(study, (asked: { number: number; reason: string }) =>
    unwrap(
      api.POST("/api/studies/{study}/reports/{report}/withdraw", {
        params: { path: { study, report: asked.number } },
        body: { reason: asked.reason },
      }),
    ),
  );
}

/** Where a report is fetched as a file. */
export function fileAddress(study: number, kind: string, number?: number): string {
  const which = number === undefined ? "" : `&number=${number}`;
  return `/api/studies/${study}/report/file?kind=${kind}${which}`;
}

/** Where a figure of a report is drawn. */
export function figureAddress(
  study: number,
  asked: { key: string; shape: string; theme: string; kind: string },
  number?: number,
): string {
  const query = new URLSearchParams(asked);
  if (number !== undefined) query.set("number", String(number));
  return `/api/studies/${study}/figure?${query}`;
}

export type Gate = Schemas["Gate"];
export type BuildStart = Schemas["BuildStart"];

/** Builds under way, and rigs that are asked to start something, are looked at so often. */
const POLL_MS = 3000;
const ASKED_MS = 700;

const gatesKey = (study: number) => [...keys.study(study), "gates"];
const buildStartKey = (study: number) => [...keys.study(study), "build-start"];

/** What rigs start for every build that is held against a study. */
export function useBuildStart(study: number) {
  return useQuery({
    queryKey: buildStartKey(study),
    queryFn: () =>
      unwrap(api.GET("/api/studies/{study}/build-start", { params: { path: { study } } })),
    refetchInterval: (query) => (query.state.data?.on_rig.state === "asked" ? ASKED_MS : false),
  });
}

export function useSayBuildStart(study: number) {
  const queries = useQueryClient();
  return useMutation({
    mutationFn: (typed: string) =>
      unwrap(
        api.PUT("/api/studies/{study}/build-start", {
          params: { path: { study } },
          body: { typed },
        }),
      ),
    onSuccess: (kept) => queries.setQueryData(buildStartKey(study), kept),
  });
}

/** Hold a build against the baseline now, as a build server would. */
export function useAskOfBuild(study: number) {
  const queries = useQueryClient();
  return useMutation({
    mutationFn: (build: string) =>
      unwrap(
        api.POST("/api/studies/{study}/gates", {
          params: { path: { study } },
          body: { build } as Schemas["NewGate"], // the server knows its own tolerance and rounds
        }),
      ),
    onSettled: () => queries.invalidateQueries({ queryKey: gatesKey(study) }),
  });
}

/** Builds that were held against a study's baseline, the newest first. */
export function useGates(study: number, wanted: boolean) {
  return useQuery({
    queryKey: gatesKey(study),
    enabled: wanted,
    queryFn: () => unwrap(api.GET("/api/studies/{study}/gates", { params: { path: { study } } })),
    refetchInterval: (query) =>
      query.state.data?.some((gate) => gate.state !== "done") ? POLL_MS : false,
  });
}
