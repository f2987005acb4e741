import { expect, test } from "vitest";
import { tally } from "./StudyAnswers";

const family = (ahead: number, behind: number, level: number, open: number) => ({
  variant: 1,
  family: "times" as const,
  ahead,
  behind,
  level,
  open,
});

test("all metrics of a candidate stand in one line, without what there is none of", () => {
  expect(tally([family(2, 0, 1, 0), family(1, 0, 3, 1)])).toBe(
    "8 metrics: 3 ahead, 4 level, 1 open",
  );
  expect(tally([family(0, 1, 0, 0)])).toBe("1 metric: 1 behind");
  expect(tally([])).toBe("");
});
