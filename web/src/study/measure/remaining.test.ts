import { expect, test } from "vitest";
import type { RunSummary } from "../../api/client";
import { runsLeft, typicalSeconds } from "./remaining";

const run = (variant: number, seconds: number | null, outcome = "finished"): RunSummary =>
  ({
    variant,
    outcome: seconds === null ? "" : outcome,
    state: seconds === null ? "queued" : "read",
    started: seconds === null ? null : "2026-01-01T00:00:00Z",
    ended: seconds === null ? null : new Date(Date.UTC(2026, 0, 1, 0, 0, seconds)).toISOString(),
  }) as RunSummary;

test("a typical run is the median of those that finished", () => {
  const runs = [run(0, 10), run(0, 12), run(0, 50), run(0, 1, "crashed"), run(1, 99)];
  expect(typicalSeconds(runs, 0)).toBe(12);
  expect(typicalSeconds(runs, 2)).toBeNull();
});

test("what waits or runs is left", () => {
  expect(runsLeft([run(0, 10), run(1, null)])).toHaveLength(1);
});
