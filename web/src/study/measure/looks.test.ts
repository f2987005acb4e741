import { expect, test } from "vitest";
import { coldRoundsOf, lookTicks, roundName } from "./looks";

test("the rule reaches to the last look, or as far as was measured", () => {
  expect(lookTicks([5, 8, 12, 20], 3).last).toBe(20);
  expect(lookTicks([3], 7).last).toBe(7);
  expect(lookTicks([], 0)).toEqual({ last: 1, ticks: [0, 1] });
});

test("warm rounds are counted from 1, whatever went before", () => {
  expect(roundName(0, true, 1)).toBe("cold");
  expect(roundName(1, true, 2)).toBe("cold 2");
  expect(roundName(1, false, 1)).toBe("1");
  expect(roundName(0, false, 0)).toBe("1");
  expect(roundName(-2, false, 1)).toBe("a file");
});

test("cold rounds are counted once each", () => {
  const runs = [
    { round: 0, cold: true },
    { round: 0, cold: true },
    { round: 1, cold: false },
  ];
  expect(coldRoundsOf(runs)).toBe(1);
});
