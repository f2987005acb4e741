import { describe, expect, it } from "vitest";
import type { Log, LogMapping, Study } from "../api/client";
import {
  alike,
  becomes,
  fileStem,
  hasVerdictOfBroughtIn,
  LEAVE,
  measuredBefore,
  namedAfter,
  olderFirst,
  PASTED,
  positionsOf,
  proposedStretch,
  sittingsOf,
  stillMissing,
  withoutRepeats,
} from "./becoming";

const study = (...names: string[]) =>
  ({ variants: names.map((name) => ({ name })), baseline: 0 }) as unknown as Study;

describe("what a part of a log becomes", () => {
  it("is the variant it is named after, the longest name first", () => {
    expect(becomes(study("4", "4.1"), "loom 4.1, warm", false)).toBe("1");
    expect(becomes(study("4.1"), "nothing of it", false)).toBe("0");
    expect(becomes(study(), "4.1", true)).toBe("new:4.1");
    expect(becomes(study("4.1"), "4.1", true)).toBe("0");
  });

  it("is told by positions, with those of new variants", () => {
    expect(positionsOf(["1", LEAVE, "new:5.0"], { "new:5.0": 2 })).toEqual([1, -1, 2]);
  });
});

describe("a study of runs that were brought in", () => {
  const runs = (...of: [number, string][]) =>
    ({
      runs: of.map(([variant, reason]) => ({
        variant,
        acceptance_reason: reason,
        origin: "brought in",
        left_out: "",
        round: -1,
      })),
    }) as unknown as Study;

  it("has a verdict once two variants have two runs that count", () => {
    expect(hasVerdictOfBroughtIn(runs([0, "yes"], [0, "yes"], [1, "yes"], [1, ""]))).toBe(false);
    expect(hasVerdictOfBroughtIn(runs([0, "yes"], [0, "yes"], [1, "yes"], [1, "yes"]))).toBe(true);
    expect(hasVerdictOfBroughtIn(runs())).toBe(false);
  });
});

describe("files named after variants", () => {
  it("loses packing and endings, and keeps the numbers of a release", () => {
    expect(fileStem("loom-4.1.csv.gz")).toBe("loom-4.1");
    expect(fileStem("4.1")).toBe("4.1");
  });

  it("tells repeats from releases", () => {
    const files = ["loom-4.1-run1.csv", "loom-4.1-run2.csv", "loom-4.2-run1.csv"];
    expect(namedAfter(files)).toEqual({ program: "loom", variants: ["4.1", "4.1", "4.2"] });
    expect(namedAfter(["old_1.csv", "old_2.csv", "new_1.csv", "new_2.csv"]).variants).toEqual([
      "old",
      "old",
      "new",
      "new",
    ]);
    expect(namedAfter(["fast (1).csv", "fast (2).csv"]).variants).toEqual(["fast", "fast"]);
  });

  it("tells runs of one file from each other, and not from themselves", () => {
    expect(withoutRepeats(["4.1 0", "4.2 0", "4.1 1"])).toEqual(["4.1", "4.2", "4.1"]);
    expect(withoutRepeats(["4.1", "4.2", "4.1"])).toEqual(["4.1", "4.2", "4.1"]);
    expect(withoutRepeats(["", ""])).toEqual(["", ""]);
  });

  it("keeps numbers that tell the files apart", () => {
    expect(namedAfter(["loom-4.1.csv", "loom-4.2.csv"])).toEqual({
      program: "loom",
      variants: ["4.1", "4.2"],
    });
    expect(namedAfter(["driver 551.csv"]).variants).toEqual(["driver 551"]);
    expect(namedAfter(["driver 551.csv", "edition 7.csv"]).variants).toEqual([
      "driver 551",
      "edition 7",
    ]);
  });
});

describe("logs", () => {
  const mapping = (...names: string[]) =>
    ({
      kind: "separated",
      record: false,
      columns: names.map((name) => ({ name, role: "duration", unit: "s" })),
    }) as unknown as LogMapping;

  it("are read alike where their columns are the same", () => {
    expect(alike(mapping("t", "ms"), mapping("t", "ms"))).toBe(true);
    expect(alike(mapping("t", "ms"), mapping("t", "fps"))).toBe(false);
  });

  it("name what was measured by their only duration, else by their file", () => {
    const log = (name: string, ...columns: string[]) =>
      ({ name, mapping: mapping(...columns) }) as unknown as Log;
    expect(proposedStretch(log("x.csv", "Open (s)"))).toBe("Open");
    expect(proposedStretch(log("opening.csv", "Trial 1", "Trial 2"))).toBe("opening");
    expect(proposedStretch(log("opening.csv", "4.1"))).toBe("opening");
    // A pasted table without a name is more of the only thing that was measured before.
    expect(proposedStretch(log(PASTED, "duration [s]"), ["launch"])).toBe("launch");
    expect(proposedStretch(log(PASTED, "Save [s]"), ["launch"])).toBe("Save");
    expect(proposedStretch(log(PASTED, "duration [s]"), ["launch", "save"])).toBe("duration");
    expect(proposedStretch(log("saving.csv", "4.1"), ["launch"])).toBe("saving");
  });
});

describe("what is still to be said before it is kept", () => {
  const said = { kept: 2, variants: ["4.1", "4.2"], program: "Weftwright", stretch: "launch" };
  it("is the first that is missing, and nothing where all is said", () => {
    expect(stillMissing(said)).toBe("");
    expect(stillMissing({ ...said, program: null })).toBe("");
    expect(stillMissing({ ...said, program: " " })).toBe("name the program that they are of");
    expect(stillMissing({ ...said, variants: ["4.1", ""] })).toBe("name the new variants");
    expect(stillMissing({ ...said, kept: 0, program: "" })).toBe("choose what becomes a run");
    expect(stillMissing({ ...said, stretch: "" })).toBe("say what was measured");
  });
});

it("calls more of the same as before", () => {
  const answers = [{ stretch: ["launch", "launch"] }, { stretch: ["launch", "launch"] }];
  expect(measuredBefore({ answers } as unknown as Study)).toEqual(["launch"]);
  expect(measuredBefore({ answers: [{ stretch: ["Work", "save"] }] } as unknown as Study)).toEqual([
    "Work / save",
  ]);
});

it("puts runs that came in together together, by variant", () => {
  const run = (id: number, variant: number, started: string, acceptance_reason = "") => ({
    id,
    variant,
    started,
    acceptance_reason,
  });
  const runs = [
    run(4, 0, "b"),
    run(3, 1, "a", "all"),
    run(2, 0, "a", "all"),
    run(1, 1, "a", "all"),
  ];
  const sittings = sittingsOf(runs as unknown as Study["runs"]);
  expect(sittings.map((one) => [one.at, one.reason, one.variants])).toEqual([
    ["b", "", [[0, [4]]]],
    [
      "a",
      "all",
      [
        [0, [2]],
        [1, [3, 1]],
      ],
    ],
  ]);
});

it("begins with the older release, or with what was before", () => {
  expect(olderFirst(["new:4.10", "new:4.2.1", "new:4.2"])).toEqual([
    "new:4.2",
    "new:4.2.1",
    "new:4.10",
  ]);
  expect(olderFirst(["new:after", "new:before"])).toEqual(["new:before", "new:after"]);
  expect(olderFirst(["new:new driver", "new:old driver"])).toEqual([
    "new:old driver",
    "new:new driver",
  ]);
  expect(olderFirst(["new:loom", "new:4.2"])).toEqual(["new:loom", "new:4.2"]);
});
