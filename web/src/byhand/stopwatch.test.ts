import { expect, test } from "vitest";
import { cutOff, plusMinus, splitsOf, spreadOf, underWay } from "./stopwatch";

const STEPS = ["Open", "Scroll", "Weave"];

test("each press ends a step and begins the next", () => {
  expect(underWay([])).toBe(-1);
  expect(splitsOf([1000], STEPS)).toEqual([]);
  expect(splitsOf([1000, 3500, 4000], STEPS)).toEqual([
    { step: "Open", start_s: 0, end_s: 2.5, reached: true },
    { step: "Scroll", start_s: 2.5, end_s: 3, reached: true },
  ]);
  expect(underWay([1, 2, 3, 4])).toBe(STEPS.length);
});

test("a session given up keeps the open step as one that was never reached", () => {
  const splits = cutOff([0, 2000], STEPS, 9000);
  expect(splits.at(-1)).toEqual({ step: "Scroll", start_s: 2, end_s: 9, reached: false });
  expect(cutOff([0, 1, 2, 3], STEPS, 9)).toHaveLength(3);
});

test("the spread is that of reactions, not of guesses and not of absences", () => {
  expect(spreadOf([200, 220, 240, 260])).toBeNull();
  const found = spreadOf([200, 220, 240, 260, 280, 20, 4000]);
  expect(found?.trials).toBe(5);
  expect(found?.middle_ms).toBe(240);
  expect(found?.spread_ms).toBeCloseTo(31.62, 1);
  expect(plusMinus({ spread_ms: 40, middle_ms: 0, trials: 9 })).toBeCloseTo(0.1109, 3);
});
