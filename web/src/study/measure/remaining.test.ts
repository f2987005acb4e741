import { expect, test } from "vitest";
import type { RunSummary } from "../../api/client";
import {
  roundSeconds,
  runsBeingRead,
  runsLeft,
  secondsOf,
  stillNeeded,
  typicalSeconds,
} from "./remaining";

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

test("a run that was brought in took no time here", () => {
  const brought = { ...run(0, 3), origin: "brought in" } as RunSummary;
  expect(secondsOf(brought)).toBeNull();
  expect(secondsOf(run(0, 3))).toBe(3);
  expect(typicalSeconds([brought, run(0, 10)], 0)).toBe(10);
});

test("what waits or runs is left", () => {
  expect(runsLeft([run(0, 10), run(1, null)])).toHaveLength(1);
});

test("a run is being read from its end until it counts, or is set aside", () => {
  const ended = { ...run(0, 10), state: "measured", unread: "" } as RunSummary;
  const aside = { ...ended, unread: "its record breaks off" } as RunSummary;
  expect(runsBeingRead([run(0, 10), ended, aside, run(1, null)])).toEqual([ended]);
});

test("a round takes as long as one run of each variant", () => {
  expect(roundSeconds([run(0, 10), run(1, 14)], 2)).toBe(24);
  expect(roundSeconds([run(0, 10)], 2)).toBeNull();
});

const LOOKS = [5, 8, 12, 20];
const open = (rounds: number | null) => ({ verdict: "open", rounds_to_decide: rounds });

test("before the first look it is said when that is, and how long it takes", () => {
  expect(stillNeeded([], 2, LOOKS, 20)).toBe(
    "What decides is first judged after 5 rounds: 3 more, about 1\u00a0min.",
  );
});

test("what is open names the rounds up to the look that should decide it", () => {
  expect(stillNeeded([open(7), { verdict: "ahead" }], 5, LOOKS, 60)).toBe(
    "3 more rounds should decide what is open, about 3\u00a0min.",
  );
  expect(stillNeeded([open(7), open(11)], 5, LOOKS, null)).toBe(
    "7 more rounds should decide the 2 that are open.",
  );
  expect(stillNeeded([open(30)], 20, LOOKS, null)).toBe(
    "10 more rounds should decide what is open.",
  );
});

test("what no number of rounds decides is told from what nobody can know yet", () => {
  const near = { verdict: "open", rounds_to_decide: null, futility: "the runs vary" };
  const endless = {
    verdict: "open",
    rounds_to_decide: null,
    futility: "some readings never ended",
  };
  expect(stillNeeded([near], 12, LOOKS, 20)).toBe("One answer is open: the runs vary.");
  expect(stillNeeded([near, near, endless], 12, LOOKS, 20)).toBe(
    "3 answers are open: the runs vary; some readings never ended.",
  );
  expect(stillNeeded([near, open(null)], 12, LOOKS, 20)).toContain("nobody can say yet");
  expect(stillNeeded([near, open(20)], 12, LOOKS, null)).toContain("8 more rounds should decide");
});

test("what is known needs nothing, and what nobody can know says so", () => {
  expect(stillNeeded([{ verdict: "level" }], 8, LOOKS, 20)).toContain("no more rounds are needed");
  expect(stillNeeded([open(null)], 8, LOOKS, 20)).toContain("nobody can say yet how many");
  expect(stillNeeded([], 8, LOOKS, 20)).toBe("");
});
