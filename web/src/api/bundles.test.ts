import { expect, test } from "vitest";
import { type Bundle, howFar } from "./bundles";

const bundle = (more: Partial<Bundle>) =>
  ({ way: "out", state: "working", done: 0, total: 0, size: 0, problem: "", ...more }) as Bundle;

test("a bundle says how far it is", () => {
  expect(howFar(bundle({ state: "waits" }))).toBe("waits for its turn");
  expect(howFar(bundle({ done: 3, total: 27 }))).toBe("3 of 27 runs written");
  expect(howFar(bundle({ way: "in", done: 1, total: 3 }))).toBe("33\u00a0% checked");
  expect(howFar(bundle({ way: "in", done: 3, total: 3 }))).toBe("checked; is read");
  expect(howFar(bundle({ state: "done", size: 5 * 2 ** 20 }))).toBe("5.00\u00a0MiB");
  expect(howFar(bundle({ state: "failed", problem: "it is damaged" }))).toBe("it is damaged");
});
