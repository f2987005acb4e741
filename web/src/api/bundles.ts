/** Bundles: a study as one file, on its way out or in. */
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { bytes } from "../parts/text";
import { api, type Schemas, send, unwrap } from "./client";
import { keys } from "./queries";

export type Bundle = Schemas["Bundle"];

const POLL_MS = 1500;
const open = (bundles: Bundle[] | undefined) =>
  (bundles ?? []).some((one) => one.state === "waits" || one.state === "working");

/** Bundles made of a study, the newest first; asked again while one is being made. */
export function useBundlesOf(study: number) {
  return useQuery({
    queryKey: ["bundles", "of", study],
    queryFn: () => unwrap(api.GET("/api/studies/{study}/bundles", { params: { path: { study } } })),
    refetchInterval: (query) => (open(query.state.data) ? POLL_MS : false),
  });
}

export function useMakeBundle(study: number) {
  const queries = useQueryClient();
  return useMutation({
    mutationFn: () =>
      unwrap(api.POST("/api/studies/{study}/bundles", { params: { path: { study } } })),
    onSettled: () => queries.invalidateQueries({ queryKey: ["bundles", "of", study] }),
  });
}

/** Bundles that were brought, the newest first. */
export function useBundlesBrought(wanted: boolean) {
  return useQuery({
    queryKey: ["bundles", "brought"],
    enabled: wanted,
    queryFn: () => unwrap(api.GET("/api/bundles")),
    refetchInterval: (query) => (open(query.state.data) ? POLL_MS : false),
  });
}

export function useBringBundle() {
  const queries = useQueryClient();
  return useMutation({
    mutationFn: async (file: File) =>
      (await send("POST", `/api/bundles?name=${encodeURIComponent(file.name)}`, file)) as Bundle,
    onSettled: () => {
      queries.invalidateQueries({ queryKey: ["bundles", "brought"] });
      queries.invalidateQueries({ queryKey: keys.studies });
    },
  });
}

/** A study of the same variants with the same session, to be measured on a rig of one's own. */
export function useMeasureAgain() {
  const queries = useQueryClient();
  return useMutation({
    mutationFn: async (study: number) => {
      const { question } = await unwrap(
        api.GET("/api/studies/{study}", { params: { path: { study } } }),
      );
      const again = " (measured again)";
      const body = { like: study, question: question.slice(0, 200 - again.length) + again };
      return unwrap(api.POST("/api/studies", { body }));
    },
    onSettled: () => queries.invalidateQueries({ queryKey: keys.studies }),
  });
}

/** How far a bundle is, in words. */
export function howFar(bundle: Bundle): string {
  if (bundle.state === "waits") return "waits for its turn";
  if (bundle.state === "failed") return bundle.problem;
  if (bundle.state === "done") return bundle.way === "out" ? bytes(bundle.size) : "brought in";
  if (bundle.way === "out") return `${bundle.done} of ${bundle.total} runs written`;
  const share = bundle.total ? Math.floor((100 * bundle.done) / bundle.total) : 0;
  return share < 100 ? `${share}\u00a0% checked` : "checked; is read";
}
