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

/** Builds under way are asked about so often. */
const POLL_MS = 3000;

/** Builds that were held against a study's baseline, the newest first. */
export function useGates(study: number, wanted: boolean) {
  return useQuery({
    queryKey: [...keys.study(study), "gates"],
    enabled: wanted,
    queryFn: () => unwrap(api.GET("/api/studies/{study}/gates", { params: { path: { study } } })),
    refetchInterval: (query) =>
      query.state.data?.some((gate) => gate.state !== "done") ? POLL_MS : false,
  });
}
