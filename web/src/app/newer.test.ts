import { expect, test, vi } from "vitest";
import { loadAnewWhereOld } from "./newer";

/** A window that notes how often it was loaded anew. */
function made() {
  const kept = new Map<string, string>();
  let listener: (event: Event) => void = () => undefined;
  const reload = vi.fn();
  const window = {
    addEventListener: (_: string, one: (event: Event) => void) => {
      listener = one;
    },
    location: { reload } as unknown as Location,
    sessionStorage: {
      getItem: (key: string) => kept.get(key) ?? null,
      setItem: (key: string, value: string) => kept.set(key, value),
    } as unknown as Storage,
  } as unknown as Window;
  const fail = () => {
    const event = new Event("vite:preloadError", { cancelable: true });
    listener(event);
    return event.defaultPrevented;
  };
  return { window, reload, fail };
}

test("a part that is gone has the page loaded anew, once", () => {
  const { window, reload, fail } = made();
  let at = 1_000_000;
  loadAnewWhereOld(window, () => at);
  expect(fail()).toBe(true);
  expect(reload).toHaveBeenCalledTimes(1);
  at += 5_000;
  expect(fail()).toBe(false);
  expect(reload).toHaveBeenCalledTimes(1);
});

test("another time later it is tried again", () => {
  const { window, reload, fail } = made();
  let at = 1_000_000;
  loadAnewWhereOld(window, () => at);
  fail();
  at += 60_000;
  expect(fail()).toBe(true);
  expect(reload).toHaveBeenCalledTimes(2);
});
