import { expect, test } from "vitest";
import { nearbyTicks } from "../parts/ticks";
import { nearest } from "./nearest";
import { broken, farBeyond } from "./series";

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

test("a long first frame is left out of the scale, and counted", () => {
  const steady = Array.from({ length: 50 }, (_, n) => 15 + (n % 7));
  expect(farBeyond([1240, ...steady, 1240])).toEqual({ count: 1, most: 1240, from: 1240 });
  expect(farBeyond([1240, 900, ...steady])).toEqual({ count: 2, most: 1240, from: 900 });
  expect(farBeyond(steady)).toBeNull();
  expect(farBeyond([...steady, 50])).toBeNull();
  expect(farBeyond([...steady, ...[400, 410, 420, 430, 440, 450]])).toBeNull();
  expect(farBeyond([])).toBeNull();
});
