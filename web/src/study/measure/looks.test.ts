import { expect, test } from "vitest";
import { lookTicks } from "./looks";

test("the rule reaches to the last look, or as far as was measured", () => {
  expect(lookTicks([5, 8, 12, 20], 3).last).toBe(20);
  expect(lookTicks([3], 7).last).toBe(7);
  expect(lookTicks([], 0)).toEqual({ last: 1, ticks: [0, 1] });
});
