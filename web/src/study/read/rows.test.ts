import { expect, test } from "vitest";
import type { Row } from "../../api/client";
import { byStep, matters, rowKey, rowName } from "./rows";

const row = (metric: string, stretch: string[], verdicts: (string | null)[] = [null]): Row =>
  ({
    metric,
    name: metric.replaceAll("_", " "),
    stretch,
    differences: verdicts.map((verdict) => (verdict ? { verdict } : null)),
  }) as unknown as Row;

test("rows stand under their step, in the order of the session", () => {
  const rows = [
    row("duration", ["Open", "open"]),
    row("average_rate", ["Scroll", "scroll"]),
    row("duration", ["Open", "open", "read"]),
  ];
  expect(byStep(rows).map((group) => [group.step, group.rows.length])).toEqual([
    ["Open", 2],
    ["Scroll", 1],
  ]);
});

test("a timing is called by its name, parts are indented, others by their metric", () => {
  expect(rowName(row("duration", ["Open", "open"]))).toEqual({ name: "open", of: "", depth: 0 });
  expect(rowName(row("duration", ["Open", "open", "read"])).depth).toBe(1);
  expect(rowName(row("processor_seconds", ["Open", "open"]))).toEqual({
    name: "processor seconds",
    of: "open",
    depth: 0,
  });
  expect(rowName(row("peak_memory", ["Whole session"])).of).toBe("");
});

test("a row's key tells it from every other", () => {
  const keys = [
    row("duration", ["Open", "open"]),
    row("duration", ["Open", "open", "read"]),
    row("processor_seconds", ["Open", "open"]),
  ].map(rowKey);
  expect(new Set(keys).size).toBe(3);
});

test("what matters is what is clearly better or worse for some candidate", () => {
  expect(matters(row("duration", ["A"], [null, "level", "open"]))).toBe(false);
  expect(matters(row("duration", ["A"], [null, "open", "behind"]))).toBe(true);
  expect(matters(row("duration", ["A"], [null, "ahead"]))).toBe(true);
});
