/** Every question the interface asks the server, by the name of what is asked for. */
import { keepPreviousData, useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import {
  api,
  type Changes,
  type NewClaim,
  type NewHandRun,
  type PlanValues,
  type ProfileValues,
  type Rehearsal,
  type RemoteInput,
  type Term,
  unwrap,
} from "./client";

export const keys = {
  session: ["session"] as const,
  rigs: ["rigs"] as const,
  studies: ["studies"] as const,
  study: (id: number) => ["study", id] as const,
  board: (id: number) => ["board", id] as const,
  report: (id: number) => ["board", id, "report"] as const,
  run: (id: number) => ["run", id] as const,
};

export function useSession() {
  return useQuery({
    queryKey: keys.session,
    queryFn: () => unwrap(api.GET("/api/session")),
    staleTime: Number.POSITIVE_INFINITY,
    retry: false,
  });
}

/** The rigs; a guest, who sees one study only, has none. */
export function useRigs() {
  const session = useSession();
  return useQuery({
    queryKey: keys.rigs,
    queryFn: () => unwrap(api.GET("/api/rigs")),
    refetchInterval: 10_000,
    enabled: session.isSuccess && session.data.study == null,
  });
}

/** Let a machine join; the answer holds its token and the command to run there. */
export function useInvite() {
  const queries = useQueryClient();
  return useMutation({
    mutationFn: (name: string) => unwrap(api.POST("/api/rigs", { body: { name } })),
    onSettled: () => queries.invalidateQueries({ queryKey: keys.rigs }),
  });
}

export function useConfirm() {
  const queries = useQueryClient();
  return useMutation({
    mutationFn: (body: { name: string; text: string }) =>
      unwrap(
        api.POST("/api/rigs/{name}/confirmations", {
          params: { path: { name: body.name } },
          body: { text: body.text, confirmed: true },
        }),
      ),
    onSettled: () => queries.invalidateQueries({ queryKey: keys.rigs }),
  });
}

export function useRigChange() {
  const queries = useQueryClient();
  return useMutation({
    mutationFn: ({ name, ...body }: { name: string; paused?: boolean; revoked?: boolean }) =>
      unwrap(api.PATCH("/api/rigs/{name}", { params: { path: { name } }, body })),
    onSettled: () => queries.invalidateQueries({ queryKey: keys.rigs }),
  });
}

export function useStudies() {
  return useQuery({ queryKey: keys.studies, queryFn: () => unwrap(api.GET("/api/studies")) });
}

export function useStudy(id: number, wanted = true) {
  return useQuery({
    queryKey: keys.study(id),
    enabled: wanted,
    queryFn: () => unwrap(api.GET("/api/studies/{study}", { params: { path: { study: id } } })),
  });
}

/** The board against a variant; against the study's own baseline where none is named. */
export function useBoard(id: number, baseline?: number, wanted = true) {
  return useQuery({
    queryKey: [...keys.board(id), "against", baseline],
    enabled: wanted,
    queryFn: () =>
      unwrap(
        api.GET("/api/studies/{study}/board", {
          params: { path: { study: id }, query: { baseline } },
        }),
      ),
    placeholderData: keepPreviousData,
  });
}

export function useDistribution(id: number, stretch: string[], wanted: boolean) {
  return useQuery({
    queryKey: [...keys.board(id), "distribution", ...stretch],
    queryFn: () =>
      unwrap(
        api.GET("/api/studies/{study}/distribution", {
          params: { path: { study: id }, query: { stretch } },
        }),
      ),
    enabled: wanted,
    staleTime: 60_000,
  });
}

/** A request that changes something of a study; all that is shown of it is fetched anew. */
export function useChange<Asked, Answer>(study: number, send: (asked: Asked) => Promise<Answer>) {
  const queries = useQueryClient();
  return useMutation({
    mutationFn: send,
    onSettled: () =>
      Promise.all(
        [keys.study(study), keys.board(study), keys.studies].map((queryKey) =>
          queries.invalidateQueries({ queryKey }),
        ),
      ),
  });
}

export function useMeasure(study: number) {
  return useChange(study, (count: number) =>
    unwrap(
      api.POST("/api/studies/{study}/rounds", { params: { path: { study } }, body: { count } }),
    ),
  );
}

export function useStop(study: number) {
  return useChange(study, (letRunEnd: boolean) =>
    unwrap(
      api.POST("/api/studies/{study}/stop", {
        params: { path: { study }, query: { let_run_end: letRunEnd } },
      }),
    ),
  );
}

export function useAbort(study: number) {
  return useChange(study, (run: number) =>
    unwrap(api.POST("/api/runs/{run}/abort", { params: { path: { run } } })),
  );
}

export function useLeaveOut(study: number) {
  return useChange(study, ({ run, reason }: { run: number; reason: string }) =>
    unwrap(api.POST("/api/runs/{run}/left-out", { params: { path: { run } }, body: { reason } })),
  );
}

export function useTakeBackIn(study: number) {
  return useChange(study, (run: number) =>
    unwrap(api.DELETE("/api/runs/{run}/left-out", { params: { path: { run } } })),
  );
}

export function useRepeat(study: number) {
  return useChange(study, ({ run, reason }: { run: number; reason: string }) =>
    unwrap(api.POST("/api/runs/{run}/repeat", { params: { path: { run } }, body: { reason } })),
  );
}

/** The plan belongs to the study: whatever changes its runs moves it on. */
export function usePlan(study: number, wanted = true) {
  return useQuery({
    queryKey: [...keys.study(study), "plan"],
    enabled: wanted,
    queryFn: () => unwrap(api.GET("/api/studies/{study}/plan", { params: { path: { study } } })),
    placeholderData: keepPreviousData,
  });
}

export function useChangePlan(study: number) {
  return useChange(study, (body: Partial<PlanValues>) =>
    unwrap(api.PATCH("/api/studies/{study}/plan", { params: { path: { study } }, body })),
  );
}

export function useStartPlan(study: number) {
  return useChange(study, () =>
    unwrap(api.POST("/api/studies/{study}/plan/start", { params: { path: { study } } })),
  );
}

export function useAskChange(study: number) {
  return useChange(study, (body: Changes) =>
    unwrap(api.POST("/api/studies/{study}/ask", { params: { path: { study } }, body })),
  );
}

export function useAddVariant(study: number) {
  return useChange(study, (variant: number) =>
    unwrap(
      api.POST("/api/studies/{study}/variants", { params: { path: { study } }, body: { variant } }),
    ),
  );
}

export function useTakeOutVariant(study: number) {
  return useChange(study, (position: number) =>
    unwrap(
      api.DELETE("/api/studies/{study}/variants/{position}", {
        params: { path: { study, position } },
      }),
    ),
  );
}

export function useTags(study: number) {
  return useChange(study, ({ position, tags }: { position: number; tags: string[] }) =>
    unwrap(
      api.PUT("/api/studies/{study}/variants/{position}", {
        params: { path: { study, position } },
        body: { tags },
      }),
    ),
  );
}

export function useTerm(study: number) {
  return useChange(study, (body: Term) =>
    unwrap(api.PUT("/api/studies/{study}/terms", { params: { path: { study } }, body })),
  );
}

/** Profiles and the decision belong to the board: whatever changes it weighs them anew. */
export function useProfiles(study: number) {
  return useQuery({
    queryKey: [...keys.board(study), "profiles"],
    queryFn: () =>
      unwrap(api.GET("/api/studies/{study}/profiles", { params: { path: { study } } })),
  });
}

export function useKeepProfile(study: number) {
  return useChange(study, ({ id, body }: { id?: number; body: ProfileValues }) =>
    id === undefined
      ? unwrap(api.POST("/api/studies/{study}/profiles", { params: { path: { study } }, body }))
      : unwrap(
          api.PUT("/api/studies/{study}/profiles/{profile}", {
            params: { path: { study, profile: id } },
            body,
          }),
        ),
  );
}

export function useForgetProfile(study: number) {
  return useChange(study, (profile: number) =>
    api.DELETE("/api/studies/{study}/profiles/{profile}", { params: { path: { study, profile } } }),
  );
}

export function useDecision(study: number, baseline?: number) {
  return useQuery({
    queryKey: [...keys.board(study), "decision", baseline],
    queryFn: () =>
      unwrap(
        api.GET("/api/studies/{study}/decision", {
          params: { path: { study }, query: { baseline } },
        }),
      ),
    placeholderData: keepPreviousData,
  });
}

export function useKeepScript(study: number) {
  return useChange(study, (text: string) =>
    unwrap(api.PUT("/api/studies/{study}/script", { params: { path: { study } }, body: { text } })),
  );
}

export function useScriptVersions(study: number, wanted: boolean) {
  return useQuery({
    queryKey: [...keys.study(study), "scripts"],
    queryFn: () => unwrap(api.GET("/api/studies/{study}/scripts", { params: { path: { study } } })),
    enabled: wanted,
  });
}

const REHEARSAL_MS = 600;
/** A program that somebody works with through its picture is looked at more often. */
const DRAFTING_MS = 200;

/** The newest rehearsal, asked for often while it plays. */
export function useRehearsal(study: number) {
  return useQuery({
    queryKey: ["rehearsal", study],
    queryFn: async () => {
      const answer = await api.GET("/api/studies/{study}/rehearsals", {
        params: { path: { study } },
      });
      return answer.response.status === 204 ? null : unwrap(Promise.resolve(answer));
    },
    refetchInterval: (query) =>
      query.state.data && query.state.data.state !== "ended"
        ? query.state.data.kind === "draft"
          ? DRAFTING_MS
          : REHEARSAL_MS
        : false,
  });
}

export function useRehearse(study: number) {
  const queries = useQueryClient();
  return useMutation({
    mutationFn: (body: {
      kind: Rehearsal["kind"];
      variant: number;
      text: string;
      step_by_step: boolean;
    }) =>
      unwrap(api.POST("/api/studies/{study}/rehearsals", { params: { path: { study } }, body })),
    onSettled: () => queries.invalidateQueries({ queryKey: ["rehearsal", study] }),
  });
}

export function useStopRehearsal(study: number) {
  const queries = useQueryClient();
  return useMutation({
    mutationFn: (rehearsal: number) =>
      unwrap(api.POST("/api/rehearsals/{rehearsal}/stop", { params: { path: { rehearsal } } })),
    onSettled: () => queries.invalidateQueries({ queryKey: ["rehearsal", study] }),
  });
}

export function useStepRehearsal(study: number) {
  const queries = useQueryClient();
  return useMutation({
    mutationFn: (rehearsal: number) =>
      unwrap(api.POST("/api/rehearsals/{rehearsal}/step", { params: { path: { rehearsal } } })),
    onSettled: () => queries.invalidateQueries({ queryKey: ["rehearsal", study] }),
  });
}

/** What a person does on the picture of a program that is being drafted from. */
export function useHands() {
  return useMutation({
    scope: { id: "hands" }, // one after the other: keys keep their order
    mutationFn: ({ rehearsal, hands }: { rehearsal: number; hands: RemoteInput[] }) =>
      unwrap(
        api.POST("/api/rehearsals/{rehearsal}/hands", {
          params: { path: { rehearsal } },
          body: { hands },
        }),
      ),
  });
}

/** What is wrong with a script; asked while it is typed. */
export function checkScript(text: string) {
  return unwrap(api.POST("/api/scripts/check", { body: { text } }));
}

/** The same script in its one layout. */
export function layoutScript(text: string) {
  return unwrap(api.POST("/api/scripts/layout", { body: { text } }));
}

export function useNewStudy() {
  const queries = useQueryClient();
  return useMutation({
    mutationFn: (body: { like: number; question: string }) =>
      unwrap(api.POST("/api/studies", { body })),
    onSettled: () => queries.invalidateQueries({ queryKey: keys.studies }),
  });
}

/** Claims belong to the board: whatever changes it judges them anew. */
const claimsKey = (study: number) => [...keys.board(study), "claims"] as const;

export function useClaims(study: number) {
  return useQuery({
    queryKey: claimsKey(study),
    queryFn: () => unwrap(api.GET("/api/studies/{study}/claims", { params: { path: { study } } })),
  });
}

/** What claims may be about: what was read, or what the session will time. */
export function useClaimable(study: number) {
  return useQuery({
    queryKey: [...keys.board(study), "claimable"],
    queryFn: () =>
      unwrap(api.GET("/api/studies/{study}/claimable", { params: { path: { study } } })),
  });
}

export function useNewClaim(study: number) {
  const queries = useQueryClient();
  return useMutation({
    mutationFn: (claim: NewClaim) =>
      unwrap(api.POST("/api/studies/{study}/claims", { params: { path: { study } }, body: claim })),
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

/** What is timed by hand next: the steps, and whose turn it is. */
export function useByHand(study: number) {
  return useQuery({
    queryKey: [...keys.study(study), "by-hand"],
    queryFn: () => unwrap(api.GET("/api/studies/{study}/by-hand", { params: { path: { study } } })),
  });
}

export function useKeepHandRun(study: number) {
  const queries = useQueryClient();
  return useMutation({
    mutationFn: (body: NewHandRun) =>
      unwrap(api.POST("/api/studies/{study}/by-hand", { params: { path: { study } }, body })),
    onSettled: () => queries.invalidateQueries({ queryKey: keys.study(study) }),
  });
}
