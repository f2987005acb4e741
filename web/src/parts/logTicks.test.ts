import { expect, test } from "vitest";
import { logTicks } from "./logTicks";

test("ticks are round and few", () => {
  expect(logTicks(0.08, 0.6)).toEqual([0.1, 0.2, 0.5]);
  expect(logTicks(0.008, 9)).toEqual([0.01, 0.1, 1]);
  expect(logTicks(1, 1e12).length).toBeLessThanOrEqual(7);
});
