/** What is asked of the server about how alike the runs of a study were. */
import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { api, unwrap } from "./client";
import { keys, useChange } from "./queries";

/** The sheet belongs to the board: whatever changes its runs draws it up anew. */
export function useMatch(study: number) {
  return useQuery({
    queryKey: [...keys.board(study), "match"],
    queryFn: () => unwrap(api.GET("/api/studies/{study}/match", { params: { path: { study } } })),
    placeholderData: keepPreviousData,
  });
}

export function useSettle(study: number) {
  return useChange(study, (body: { identity: string; reason: string }) =>
    unwrap(api.POST("/api/studies/{study}/waivers", { params: { path: { study } }, body })),
  );
}

export function useUnsettle(study: number) {
  return useChange(study, (waiver: number) =>
    unwrap(
      api.DELETE("/api/studies/{study}/waivers/{waiver}", {
        params: { path: { study, waiver } },
      }),
    ),
  );
}

export function useCheckToday(study: number) {
  return useChange(study, (body: { variant: number; runs: number }) =>
    unwrap(api.POST("/api/studies/{study}/checks", { params: { path: { study } }, body })),
  );
}
