/** What the interface asks the server about whole jobs: what a difference comes to over them. */
import { keepPreviousData, useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import type { JobAsked } from "../job/jobs";
import { api, type Schemas, unwrap } from "./client";
import { keys } from "./queries";

export type JobAnswer = Schemas["JobAnswer"];
export type KeptJob = Schemas["KeptJob"];

const kept = (study: number) => [...keys.board(study), "jobs"] as const;

export function useJob(study: number, job: JobAsked) {
  return useQuery({
    queryKey: [...keys.board(study), "job", JSON.stringify(job)],
    queryFn: () =>
      unwrap(
        api.GET("/api/studies/{study}/job", {
          params: { path: { study }, query: { job: JSON.stringify(job) } },
        }),
      ),
    placeholderData: keepPreviousData,
    retry: false,
  });
}

/** The jobs that were kept with a study's set. */
export function useKeptJobs(study: number) {
  return useQuery({
    queryKey: kept(study),
    queryFn: () => unwrap(api.GET("/api/studies/{study}/jobs", { params: { path: { study } } })),
  });
}

/** Keep a job, or let a kept one go. */
export function useKeepJob(study: number) {
  const queries = useQueryClient();
  return useMutation({
    mutationFn: async (act: { keep: JobAsked } | { letGo: number }) => {
      if ("keep" in act)
        await unwrap(
          api.POST("/api/studies/{study}/jobs", { params: { path: { study } }, body: act.keep }),
        );
      else
        await unwrap(
          api.DELETE("/api/studies/{study}/jobs/{job}", {
            params: { path: { study, job: act.letGo } },
          }),
        );
    },
    onSettled: () =>
      Promise.all([
        queries.invalidateQueries({ queryKey: kept(study) }),
        queries.invalidateQueries({ queryKey: keys.report(study) }),
      ]),
  });
}
