/** From a question to what can be measured: the program, its variants, trying them, the session. */
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { api, type Schemas, unwrap } from "./client";
import { keys, useChange } from "./queries";

export type Application = Schemas["Application"];
export type Try = Schemas["Try"];
export type Part = Schemas["SessionParts"]["parts"][number];
export type Shelved = Schemas["Shelved"];

const TRY_MS = 700;
const ERRAND_MS = 500;
const shelf = ["shelf"] as const;

/** Desktop programs installed on a rig; none while no rig is known. */
export function useApplications(rig: string | undefined) {
  return useQuery({
    queryKey: [...keys.rigs, rig, "applications"],
    queryFn: () =>
      unwrap(api.GET("/api/rigs/{name}/applications", { params: { path: { name: rig ?? "" } } })),
    enabled: rig !== undefined,
    staleTime: 30_000,
  });
}

/** A new question, of which nothing else is known yet. */
export function useAsk() {
  const queries = useQueryClient();
  return useMutation({
    mutationFn: (question: string) => unwrap(api.POST("/api/studies", { body: { question } })),
    onSettled: () => queries.invalidateQueries({ queryKey: keys.studies }),
  });
}

export function useProgramOfStudy(study: number) {
  return useChange(study, (body: { name: string; maker?: string }) =>
    unwrap(api.PUT("/api/studies/{study}/program", { params: { path: { study } }, body })),
  );
}

export interface WantedVariant {
  name: string;
  /** Name of the program, where the question has none yet. */
  program?: string;
  start?: Schemas["Start"];
  typed?: string;
  /** No rig starts it: it is measured elsewhere. */
  elsewhere?: boolean;
}

export function useNewVariant(study: number) {
  return useChange(study, (body: WantedVariant) =>
    unwrap(api.POST("/api/studies/{study}/new-variant", { params: { path: { study } }, body })),
  );
}

export function useChangeVariant(study: number) {
  return useChange(
    study,
    ({
      position,
      ...body
    }: {
      position: number;
      name?: string;
      typed?: string;
      start?: Schemas["Start"];
    }) =>
      unwrap(
        api.PATCH("/api/studies/{study}/variants/{position}/start", {
          params: { path: { study, position } },
          body,
        }),
      ),
  );
}

export function useAllowVariant(study: number) {
  return useChange(study, (position: number) =>
    unwrap(
      api.POST("/api/studies/{study}/variants/{position}/allow", {
        params: { path: { study, position } },
      }),
    ),
  );
}

export function useSessionParts(study: number) {
  return useChange(study, (body: Schemas["SessionParts"]) =>
    unwrap(api.PUT("/api/studies/{study}/session", { params: { path: { study } }, body })),
  );
}

const tries = (study: number) => ["tries", study] as const;

/** How trying each variant went; asked for often while one is being tried. */
export function useTries(study: number) {
  return useQuery({
    queryKey: tries(study),
    queryFn: () => unwrap(api.GET("/api/studies/{study}/tries", { params: { path: { study } } })),
    refetchInterval: (query) =>
      query.state.data?.some((one) => one.state !== "ended") ? TRY_MS : false,
  });
}

export function useTry(study: number) {
  const queries = useQueryClient();
  return useMutation({
    mutationFn: (variants: number[] | undefined) =>
      unwrap(
        api.POST("/api/studies/{study}/tries", {
          params: { path: { study } },
          body: variants ? { variants } : {},
        }),
      ),
    onSettled: () => queries.invalidateQueries({ queryKey: tries(study) }),
  });
}

/** End a rehearsal and keep the home it leaves, for later runs to begin with. */
export function useKeepState(rehearsal: number) {
  const queries = useQueryClient();
  return useMutation({
    mutationFn: (keep_for: "variant" | "all") =>
      unwrap(
        api.POST("/api/rehearsals/{rehearsal}/keep-state", {
          params: { path: { rehearsal } },
          body: { keep_for },
        }),
      ),
    onSettled: () => queries.invalidateQueries({ queryKey: ["rehearsal"] }),
  });
}

export function useStartEmpty(study: number) {
  return useChange(study, (position: number) =>
    unwrap(
      api.DELETE("/api/studies/{study}/variants/{position}/state", {
        params: { path: { study, position } },
      }),
    ),
  );
}

export interface Release {
  name: string;
  programs: string[];
}

/** Ask a rig which releases lie side by side in a folder; waits for its answer. */
export function useReleases(rig: string) {
  return useMutation({
    mutationFn: async (folder: string): Promise<Release[]> => {
      const path = { name: rig };
      let errand = await unwrap(
        api.POST("/api/rigs/{name}/releases", { params: { path }, body: { folder } }),
      );
      while (errand.state === "waits" || errand.state === "taken") {
        await new Promise((done) => setTimeout(done, ERRAND_MS));
        errand = await unwrap(
          api.GET("/api/rigs/{name}/errands/{errand}", {
            params: { path: { ...path, errand: errand.id } },
          }),
        );
      }
      if (errand.state === "refused") throw new Error(`${rig}: ${errand.detail}`);
      return (errand.answer.releases as Release[]) ?? [];
    },
  });
}

/** What is put away or deleted. */
export function useShelf() {
  return useQuery({ queryKey: shelf, queryFn: () => unwrap(api.GET("/api/shelf")) });
}

/** Everything is asked for anew: what comes and goes stands in many lists. */
function useMoved<Asked, Answer>(send: (asked: Asked) => Promise<Answer>) {
  const queries = useQueryClient();
  return useMutation({ mutationFn: send, onSettled: () => queries.invalidateQueries() });
}

export type ShelfState = Shelved["state"];

/** Put something away, delete it, or bring it back. */
export function useMove() {
  return useMoved(({ kind, id, state }: { kind: Shelved["kind"]; id: number; state: ShelfState }) =>
    unwrap(
      api.PUT("/api/shelf/{kind}/{number}", {
        params: { path: { kind, number: id } },
        body: { state },
      }),
    ),
  );
}

/** Lose something that was deleted for good. */
export function usePurge() {
  return useMoved(({ kind, id }: { kind: Shelved["kind"]; id: number }) =>
    api.DELETE("/api/shelf/{kind}/{number}", { params: { path: { kind, number: id } } }),
  );
}

export function useDemonstration() {
  return useMoved((state: "active" | "archived") =>
    unwrap(api.PUT("/api/demonstration", { body: { state } })),
  );
}
