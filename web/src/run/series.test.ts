import { expect, test } from "vitest";
import { nearbyTicks } from "../parts/ticks";
import { nearest } from "./nearest";
import { broken } from "./series";

test("a line breaks where nothing was drawn for a quarter of a second", () => {
  const found = broken([0, 0.1, 1, 1.1], [5, 6, 7, 8]);
  expect(found.values).toEqual([5, 6, null, 7, 8]);
  expect(found.at[2]).toBeCloseTo(0.55);
});

test("ticks are round and span the range", () => {
  expect(nearbyTicks(0, 10)).toEqual([0, 2.5, 5, 7.5, 10]);
  const ticks = nearbyTicks(0.62, 0.71);
  expect(ticks[0]).toBeLessThanOrEqual(0.62);
  expect(ticks.at(-1)).toBeGreaterThanOrEqual(0.71);
  expect(nearbyTicks(5, 5).length).toBeGreaterThan(1);
});

test("the nearest frame is found from both sides and beyond the ends", () => {
  const at = [1, 2, 4, 8];
  expect([0, 1, 3, 8, 9].map((value) => nearest(at, value))).toEqual([0, 0, 2, 3, 3]);
});
