/** What is asked of the server about how alike the runs of a study were. */
import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { api, got } from "./client";
import { keys, useChange } from "./queries";

/** The sheet belongs to the board: whatever changes its runs draws it up anew. */
export function useMatch(study: number) {
  return useQuery({
    queryKey: [...keys.board(study), "match"],
    queryFn: () => got(api.GET("/api/studies/{study}/match", { params: { path: { study } } })),
    placeholderData: keepPreviousData,
  });
}

export function useSettle(study: number) {
  return useChange(study, (body: { identity: string; reason: string }) =>
    got(api.POST("/api/studies/{study}/settlements", { params: { path: { study } }, body })),
  );
}

export function useUnsettle(study: number) {
  return useChange(study, (settlement: number) =>
    got(
      api.DELETE("/api/studies/{study}/settlements/{settlement}", {
        params: { path: { study, settlement } },
      }),
    ),
  );
}

export function useCheckToday(study: number) {
  return useChange(study, (body: { variant: number; runs: number }) =>
    got(api.POST("/api/studies/{study}/checks", { params: { path: { study } }, body })),
  );
}
