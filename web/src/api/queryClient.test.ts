import { afterEach, expect, test, vi } from "vitest";
import { Failure } from "./client";
import { keys } from "./queries";
import { makeQueryClient, onceMore } from "./queryClient";

const refused = (status: number) => () => Promise.reject(new Failure(status, "no"));

afterEach(() => vi.restoreAllMocks());

/** A client that holds who is signed in, and how often that was looked up since. */
async function signedIn() {
  const client = makeQueryClient();
  const session = vi.fn(() => Promise.resolve({ name: "ida" }));
  await client.prefetchQuery({ queryKey: keys.session, queryFn: session });
  const invalid = () => client.getQueryState(keys.session)?.isInvalidated;
  return { client, session, invalid };
}

test("a request that is refused for want of a session has it looked up who is signed in", async () => {
  const { client, invalid } = await signedIn();
  expect(invalid()).toBe(false);
  await client.prefetchQuery({ queryKey: ["studies"], queryFn: refused(401) });
  expect(invalid()).toBe(true);
});

test("so has a change that is refused", async () => {
  const { client, invalid } = await signedIn();
  const change = client.getMutationCache().build(client, { mutationFn: refused(401) });
  await expect(change.execute(undefined)).rejects.toThrow("no");
  expect(invalid()).toBe(true);
});

test("other failures say nothing of who is signed in", async () => {
  const { client, invalid } = await signedIn();
  for (const status of [0, 403, 404, 500])
    await client.prefetchQuery({ queryKey: [status], queryFn: refused(status), retry: false });
  expect(invalid()).toBe(false);
});

test("a stranger's own look-up does not ask again for ever", async () => {
  const client = makeQueryClient();
  const again = vi.spyOn(client, "invalidateQueries");
  const asked = vi.fn(refused(401));
  await client.prefetchQuery({ queryKey: keys.session, queryFn: asked });
  expect(asked).toHaveBeenCalledTimes(1);
  expect(again).not.toHaveBeenCalled();
});

test("what failed is asked for once more, what was refused is not", () => {
  expect(onceMore(0, new Failure(500, "failed"))).toBe(true);
  expect(onceMore(0, new Failure(0, "away"))).toBe(true);
  expect(onceMore(1, new Failure(500, "failed"))).toBe(false);
  for (const status of [401, 403, 404]) expect(onceMore(0, new Failure(status, "no"))).toBe(false);
});
