import { expect, test } from "vitest";
import { numberTyped } from "./typed";

test("a number is read as people type it", () => {
  expect(["2040", " 1,234.5 ", "3,5", "12 345", "−4.1", ".5"].map(numberTyped)).toEqual([
    2040, 1234.5, 3.5, 12345, -4.1, 0.5,
  ]);
});

test("what is no number is none", () => {
  expect(["", "many", "1e5", "1,2,3", "4.1.2"].map(numberTyped)).toEqual([
    null,
    null,
    null,
    null,
    null,
  ]);
});
