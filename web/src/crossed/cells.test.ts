import { describe, expect, it } from "vitest";
import type { CrossedCell } from "../api/crossing";
import { cellBeside, inShort } from "./cells";

const cell = (state: string, variant = "4.1"): CrossedCell => ({
  row: 0,
  column: 0,
  position: 0,
  variant,
  state,
  note: "",
  by: "",
  run: null,
  picture: false,
});

describe("what works with what, in short", () => {
  it("counts what works and names what does not", () => {
    const cells = [
      cell("works"),
      cell("works with a remark"),
      cell("cannot open", "4.2 quick"),
      cell("not measured"),
    ];
    expect(inShort(cells)).toBe(
      "2 of 3 measured cells work, 1 with a remark; 4.2 quick cannot open; 1 not measured.",
    );
  });
  it("says where nothing is measured", () => {
    expect(inShort([cell("not measured")])).toBe("Nothing is measured yet.");
  });
});

describe("the next cell", () => {
  const size = { rows: 2, columns: 3 };
  it("lies beside, and never beyond the edge", () => {
    expect(cellBeside({ row: 0, column: 1 }, 1, 0, size)).toEqual({ row: 1, column: 1 });
    expect(cellBeside({ row: 1, column: 2 }, 1, 1, size)).toEqual({ row: 1, column: 2 });
    expect(cellBeside({ row: 0, column: 0 }, -1, -1, size)).toEqual({ row: 0, column: 0 });
  });
});
