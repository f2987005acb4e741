import { describe, expect, it } from "vitest";
import type { SessionTable, SetSession } from "../api/sessions";
import { atPlace, nextSort, sorted, TABLE_NAMES, tableRows } from "./order";

const NONE: SetSession["differences"][number] = {
  verdict: "",
  gain: null,
  low: null,
  high: null,
  text: "",
  change: "",
  band: null,
  single: false,
};

const session = (study: number, share: number | null, gain: number | null): SetSession => ({
  study,
  title: `Session ${study}`,
  share,
  label: "open",
  readings: ["2 s", "1 s"],
  values: [2, 1],
  runs: [8, 8],
  differences: [NONE, { ...NONE, verdict: "ahead", gain, low: gain, high: gain }],
  places: [2, 1],
  unranked: "",
  steadiness: null,
});
const ALL = [session(1, 10, 0.2), session(2, null, 0.7), session(3, 60, null)];

describe("a table of sessions", () => {
  it("stands as added, by share or by a candidate, what is pinned first", () => {
    const order = (by: "added" | "share" | number, pinned: number[] = []) =>
      sorted(ALL, by, pinned).map((one) => one.study);
    expect(order("added")).toEqual([1, 2, 3]);
    expect(order("share")).toEqual([3, 1, 2]);
    expect(order(1)).toEqual([2, 1, 3]);
    expect(order(1, [3])).toEqual([3, 2, 1]);
  });

  it("is sorted by one after the other", () => {
    expect(nextSort("added", [1])).toBe("share");
    expect(nextSort("share", [1])).toBe(1);
    expect(nextSort(1, [1])).toBe("added");
  });

  it("lets ties share a place", () => {
    expect(atPlace([2, 1, 1], 1)).toEqual([1, 2]);
    expect(atPlace(null, 1)).toEqual([]);
  });

  it("is taken along with a line for each variant, and for each mean", () => {
    const table = {
      variants: ["4.1", "4.2"],
      baseline: 0,
      sessions: ALL.slice(0, 1),
      means: [
        {
          kind: "these",
          name: "Geometric mean",
          about: "of these",
          candidates: [
            {
              candidate: 1,
              verdict: "ahead",
              gain: Math.log(2),
              low: 0,
              high: 1,
              text: "",
              why: "",
            },
          ],
        },
      ],
    } as unknown as SessionTable;
    const rows = tableRows(table);
    expect(rows).toHaveLength(3);
    expect(rows.every((row) => row.length === TABLE_NAMES.length)).toBe(true);
    expect(rows[0]?.slice(3, 7)).toEqual(["4.1", 8, 2, "baseline"]);
    expect(rows[1]?.[7]).toBeCloseTo(Math.exp(0.2));
    expect(rows[2]?.[7]).toBeCloseTo(2);
  });
});
