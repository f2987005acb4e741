import { expect, test } from "vitest";
import { reachFor, ruleLabels, ruleScale, ruleTicks } from "./scale";

test("the baseline stands in the middle, better lies to the right", () => {
  const scale = ruleScale(200, Math.log(2));
  expect(scale.x(0)).toBe(100);
  expect(scale.x(Math.log(1.5))).toBeGreaterThan(100);
  expect(scale.x(-Math.log(1.5)) + scale.x(Math.log(1.5))).toBeCloseTo(200);
});

test("what lies beyond the reach stands at the end", () => {
  const scale = ruleScale(200, 0.5);
  expect(scale.x(9)).toBe(scale.x(0.5));
  expect(scale.x(Number.NEGATIVE_INFINITY)).toBe(scale.x(-0.5));
});

test("the reach fits nearly all gains and one outlier does not stretch it", () => {
  const gains = [...Array.from({ length: 30 }, () => 0.1), 2.9];
  expect(reachFor(gains)).toBe(0.16);
  expect(reachFor([])).toBe(0.16);
  expect(reachFor([Number.NaN, 0.4])).toBe(0.5);
});

test("labels and ticks lie on the rule, mirrored", () => {
  for (const reach of [0.16, 0.5, 1.2, 3]) {
    const labels = ruleLabels(reach).map((label) => label.gain);
    expect(labels.length).toBeGreaterThan(0);
    expect(labels.reduce((sum, gain) => sum + gain, 0)).toBeCloseTo(0);
    expect(Math.max(...ruleTicks(reach).map((tick) => Math.abs(tick.gain)))).toBeLessThanOrEqual(
      reach + 1e-9,
    );
  }
});
