/** Who is let in, and how: signing in, members, invitations, tokens, share links, the audit list. */
import { useInfiniteQuery, useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { api, Failure, reasonOf, type Schemas, unwrap } from "./client";
import { keys, useSession } from "./queries";

export type Role = Schemas["Member"]["role"];

/** Whoever is signed in may change things; guests and readers may only look. */
export function useMayChange(): boolean {
  const role = useSession().data?.role;
  return role === "owner" || role === "tester";
}

/** Owners look after people, and say what rigs start. */
export function useIsOwner(): boolean {
  return useSession().data?.role === "owner";
}

/** An answer without content. Throws Failure where it is refused. */
async function done(answer: Promise<{ error?: unknown; response: Response }>): Promise<null> {
  let settled: { error?: unknown; response: Response };
  try {
    settled = await answer;
  } catch {
    throw new Failure(0, "The server cannot be reached. Nothing was changed.");
  }
  if (!settled.response.ok)
    throw new Failure(settled.response.status, reasonOf(settled.response.status, settled.error));
  return null;
}

/** A request after which everything is asked for anew: somebody else is signed in. */
function useEntry<Asked, Answer>(send: (asked: Asked) => Promise<Answer>) {
  const queries = useQueryClient();
  return useMutation({ mutationFn: send, onSuccess: () => queries.resetQueries() });
}

export function useSignIn() {
  return useEntry((body: { name: string; password: string }) =>
    done(api.POST("/api/sign-in", { body })),
  );
}

export function useSignOut() {
  return useEntry(() => done(api.POST("/api/session/sign-out")));
}

export function useInvited(token: string) {
  return useQuery({
    queryKey: ["join", token],
    queryFn: () => unwrap(api.GET("/api/join/{token}", { params: { path: { token } } })),
    retry: false,
  });
}

export function useJoin(token: string) {
  return useEntry((body: { name: string; password: string }) =>
    unwrap(api.POST("/api/join/{token}", { params: { path: { token } }, body })),
  );
}

export function usePassword() {
  const queries = useQueryClient();
  return useMutation({
    mutationFn: (body: { old: string; new: string }) =>
      unwrap(api.PUT("/api/session/password", { body })),
    onSuccess: () => queries.invalidateQueries({ queryKey: keys.session }),
  });
}

const people = ["people"] as const;

export function useMembers() {
  return useQuery({
    queryKey: [...people, "members"],
    queryFn: () => unwrap(api.GET("/api/members")),
  });
}

export function useInvitations() {
  return useQuery({
    queryKey: [...people, "invitations"],
    queryFn: () => unwrap(api.GET("/api/invitations")),
  });
}

export function useTokens() {
  return useQuery({
    queryKey: [...people, "tokens"],
    queryFn: () => unwrap(api.GET("/api/tokens")),
  });
}

export function useAudit() {
  return useInfiniteQuery({
    queryKey: [...people, "audit"],
    queryFn: ({ pageParam }) =>
      unwrap(api.GET("/api/audit", { params: { query: { before: pageParam } } })),
    initialPageParam: undefined as number | undefined,
    getNextPageParam: (page) => (page.length === 100 ? page.at(-1)?.id : undefined),
  });
}

/** A change of who may come in; all that is shown of it is fetched anew. */
function useChange<Asked, Answer>(send: (asked: Asked) => Promise<Answer>) {
  const queries = useQueryClient();
  return useMutation({
    mutationFn: send,
    onSettled: () => queries.invalidateQueries({ queryKey: people }),
  });
}

export function useRole() {
  return useChange(({ member, role }: { member: number; role: Role }) =>
    unwrap(api.PATCH("/api/members/{member}", { params: { path: { member } }, body: { role } })),
  );
}

export function useTakeOut() {
  return useChange((member: number) =>
    done(api.DELETE("/api/members/{member}", { params: { path: { member } } })),
  );
}

export function useLetBack() {
  return useChange((member: number) =>
    unwrap(api.POST("/api/members/{member}/back", { params: { path: { member } } })),
  );
}

export function useWayIn() {
  return useChange((member: number) =>
    unwrap(api.POST("/api/members/{member}/way-in", { params: { path: { member } } })),
  );
}

export function useInvitePerson() {
  return useChange((body: { whom: string; role: Role }) =>
    unwrap(api.POST("/api/invitations", { body })),
  );
}

export function useUninvite() {
  return useChange((invitation: number) =>
    done(api.DELETE("/api/invitations/{invitation}", { params: { path: { invitation } } })),
  );
}

export function useMakeToken() {
  return useChange((body: { name: string; scope: Schemas["NewToken"]["scope"] }) =>
    unwrap(api.POST("/api/tokens", { body })),
  );
}

export function useRevokeToken() {
  return useChange((token: number) =>
    done(api.DELETE("/api/tokens/{token}", { params: { path: { token } } })),
  );
}

export function useShares(study: number) {
  return useQuery({
    queryKey: [...people, "shares", study],
    queryFn: () => unwrap(api.GET("/api/studies/{study}/shares", { params: { path: { study } } })),
  });
}

export function useShare(study: number) {
  return useChange((body: { whom: string; days: number; names: boolean }) =>
    unwrap(api.POST("/api/studies/{study}/shares", { params: { path: { study } }, body })),
  );
}

export function useUnshare(study: number) {
  return useChange((share: number) =>
    done(api.DELETE("/api/studies/{study}/shares/{share}", { params: { path: { study, share } } })),
  );
}

/** Addresses of other programs; what they were told last comes in while the page is open. */
export function useWebhooks() {
  return useQuery({
    queryKey: [...people, "webhooks"],
    queryFn: () => unwrap(api.GET("/api/webhooks")),
    refetchInterval: 5_000,
  });
}

export function useMakeWebhook() {
  return useChange((url: string) => unwrap(api.POST("/api/webhooks", { body: { url } })));
}

export function useDropWebhook() {
  return useChange((webhook: number) =>
    done(api.DELETE("/api/webhooks/{webhook}", { params: { path: { webhook } } })),
  );
}

export function useTryWebhook() {
  return useChange((webhook: number) =>
    unwrap(api.POST("/api/webhooks/{webhook}/try", { params: { path: { webhook } } })),
  );
}

export function useStorage() {
  return useQuery({
    queryKey: [...people, "storage"],
    queryFn: () => unwrap(api.GET("/api/storage")),
  });
}

export function useFilmLimit() {
  return useChange((film_bytes_limit: number) =>
    unwrap(api.PATCH("/api/storage", { body: { film_bytes_limit } })),
  );
}

export function useThrowFilmAway() {
  return useChange((run: number) =>
    done(api.DELETE("/api/runs/{run}/film", { params: { path: { run } } })),
  );
}
