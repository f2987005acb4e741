import { expect, test } from "vitest";
import { extent, telling } from "./parts";

const breakdown = (...changes: number[]) => ({
  change: changes.reduce((sum, value) => sum + value, 0),
  parts: changes.map((change) => ({ change }) as never),
});

test("a whole that comes from one part alone needs no breakdown", () => {
  expect(telling(breakdown(-0.4, 0, 0.001))).toBe(false);
  expect(telling(breakdown(-0.46, 0.04))).toBe(true);
  expect(telling(breakdown())).toBe(false);
});

test("bars of all candidates share the scale of the largest part", () => {
  expect(extent([breakdown(1, -3), breakdown(2)])).toBe(3);
  expect(extent([breakdown(0)])).toBeGreaterThan(0);
});
