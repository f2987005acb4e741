import { describe, expect, it } from "vitest";
import type { Report } from "../../api/report";
import { arrangementOf, begunReference, moved, placed, toggled, worded } from "./arrangement";

const section = (key: string, more: object = {}) => ({
  key,
  title: key,
  brief: "",
  fixed: false,
  usual: true,
  on: true,
  words: null,
  unknown: [],
  html: "x",
  ...more,
});
const report = {
  revision: 3,
  sections: [
    section("answer", { fixed: true }),
    section("own", { html: "" }),
    section("matters", { words: { text: "mine", by: "me" } }),
    section("all", { usual: false, on: false }),
    section("machine"),
  ],
} as unknown as Report;

describe("the arrangement of a report", () => {
  it("is what is sent back unchanged", () => {
    expect(arrangementOf(report)).toEqual({
      revision: 3,
      order: ["answer", "own", "matters", "all", "machine"],
      on: [],
      off: ["all"],
      words: { matters: "mine" },
    });
  });
  it("moves a section past the next one that is shown", () => {
    expect(moved(report, "machine", -1).order).toEqual([
      "answer",
      "own",
      "machine",
      "matters",
      "all",
    ]);
    expect(moved(report, "machine", 1).order).toEqual(arrangementOf(report).order);
  });
  it("puts a section before or behind another", () => {
    expect(placed(report, "machine", "answer", false).order[0]).toBe("machine");
    expect(placed(report, "answer", "machine", true).order.at(-1)).toBe("answer");
  });
  it("leaves out and puts back, but not what is fixed", () => {
    expect(toggled(report, "machine").off).toEqual(["all", "machine"]);
    expect(toggled(report, "all")).toMatchObject({ on: ["all"], off: [] });
    expect(toggled(report, "answer").off).toEqual(["all"]);
  });
  it("words a section and leaves the others' words", () => {
    expect(worded(report, "own", "new").words).toEqual({ matters: "mine", own: "new" });
  });
});

describe("a reference that is begun", () => {
  it("is what stands between # and the caret", () => {
    expect(begunReference("gives #Wea", 10)).toEqual({ from: 6, typed: "wea" });
    expect(begunReference("gives #", 7)).toEqual({ from: 6, typed: "" });
  });
  it("ends with a line, and is none once it is whole", () => {
    expect(begunReference("gives #{a | b | c} and", 22)).toBeNull();
    expect(begunReference("# title\nnext", 12)).toBeNull();
    expect(begunReference("plain", 5)).toBeNull();
  });
});
