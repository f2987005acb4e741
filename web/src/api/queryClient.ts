/** What has been asked of the server and is kept; whoever is signed out meanwhile is told at once. */
import { MutationCache, QueryCache, QueryClient } from "@tanstack/react-query";
import { Failure } from "./client";
import { keys } from "./queries";

/** A client whose refused requests have it looked up anew who is signed in. */
export function makeQueryClient(): QueryClient {
  const lookAgain = (error: Error, asked: readonly unknown[] = []) => {
    const isSession = asked[0] === keys.session[0];
    if (error instanceof Failure && error.status === 401 && !isSession)
      client.invalidateQueries({ queryKey: keys.session });
  };
  const client: QueryClient = new QueryClient({
    queryCache: new QueryCache({ onError: (error, query) => lookAgain(error, query.queryKey) }),
    mutationCache: new MutationCache({ onError: (error) => lookAgain(error) }),
    defaultOptions: {
      queries: { staleTime: 5_000, retry: onceMore, refetchOnWindowFocus: false },
    },
  });
  return client;
}

/** What failed is asked for once more, but not what was refused: the answer would be the same. */
export function onceMore(failures: number, error: Error): boolean {
  const refused = error instanceof Failure && [401, 403, 404].includes(error.status);
  return failures < 1 && !refused;
}
