import { expect, test } from "vitest";
import type { Row } from "../../api/client";
import {
  byFamily,
  byStep,
  differing,
  echoes,
  echoWords,
  matters,
  rowKey,
  rowName,
  standsByChoice,
  whyCounted,
} from "./rows";

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

test("echoes stand under the metric they follow from, and say when they differ", () => {
  const lead = row("one_percent_low", ["Scroll", "scroll"], [null, "ahead", "open"]);
  const made = (metric: string, verdicts: (string | null)[]) => ({
    ...row(metric, ["Scroll", "scroll"], verdicts),
    echo_of: "one_percent_low",
    judged: true,
  });
  const same = made("p99_rate", [null, "ahead", "open"]);
  const other = made("p99_frame", [null, "ahead", "behind"]);
  const found = echoes([lead, same, other]);
  expect([...found.keys()]).toEqual([rowKey(lead)]);
  expect(differing(lead, [same, other], [1, 2])).toEqual([other]);
  expect(differing(lead, [same, other], [1])).toEqual([]);
  expect(echoWords([same, other], [other], [1, 2])).toBe("2 echoes, 1 differs: p99 frame");
  expect(echoWords([same], [], [1, 2])).toBe("1 echo agrees");
  const unread = made("p999_rate", [null, null, null]);
  expect(echoWords([same, unread], [], [1, 2])).toBe("2 echoes, 1 not compared");
});

test("families stand in one order, and only those that were read", () => {
  const of = (metric: string, family: string) => ({ ...row(metric, ["Go", "go"]), family }) as Row;
  const rows = [of("peak_memory", "memory"), of("duration", "times"), of("p99_frame", "frames")];
  expect(byFamily(rows).map((group) => group.step)).toEqual(["times", "frames", "memory"]);
});

test("each metric says whether it is counted, and why", () => {
  const made = (metric: string, more: Partial<Row>) => ({
    ...row(metric, ["Scroll", "scroll"]),
    judged: true,
    can_count: true,
    deciding: false,
    echo_of: "",
    follows_from: "",
    counted: true,
    ...more,
  });
  const lead = made("one_percent_low", {});
  const echo = made("p99_rate", {
    follows_from: "one_percent_low",
    echo_of: "one_percent_low",
    counted: false,
  });
  const apart = made("p99_frame", { follows_from: "one_percent_low" });
  const alone = made("average_rate", {});
  const rows = [lead, echo, apart, alone];
  expect(whyCounted(lead, rows)).toBe(
    "Counted once, for 2 metrics that say the same in different forms.",
  );
  expect(whyCounted(echo, rows)).toBe(
    "Not counted: it says what one percent low says, in another form.",
  );
  expect(whyCounted(apart, rows)).toContain("somebody here chose so");
  expect(whyCounted(alone, rows)).toBe("Counted: no other metric of this step says the same.");
  expect([apart, lead, echo, alone].map((one) => standsByChoice(one, rows))).toEqual([
    true,
    false,
    false,
    false,
  ]);
  expect(whyCounted({ ...alone, judged: false }, rows)).toContain("Set aside in this study");
  expect(whyCounted({ ...alone, deciding: true }, rows)).toContain("the question is about it");
});
