import { describe, expect, it } from "vitest";
import { baseFirst, gridColumn, gridRow, proposedLevels } from "./levels";

describe("levels of two factors", () => {
  it("are proposed by what names share", () => {
    expect(proposedLevels(["4.1", "4.2", "4.1 quick", "4.2 quick"])).toEqual([
      { first: "4.1", second: "usual" },
      { first: "4.2", second: "usual" },
      { first: "4.1", second: "quick" },
      { first: "4.2", second: "quick" },
    ]);
    expect(proposedLevels(["4.2 smooth", "4.2 quick tiles"])).toEqual([
      { first: "4.2", second: "smooth" },
      { first: "4.2", second: "quick tiles" },
    ]);
    expect(proposedLevels(["spring", "summer"])[1]).toEqual({ first: "summer", second: "usual" });
  });

  it("stand with the baseline's first, room between them", () => {
    expect(baseFirst(3, 1)).toEqual([1, 0, 2]);
    expect([gridRow(0), gridRow(1), gridColumn(1)]).toEqual([2, 4, 4]);
  });
});
