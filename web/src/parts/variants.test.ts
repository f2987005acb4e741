import { expect, test } from "vitest";
import { variantColour, variantShape } from "./variants";

test("eight variants differ in colour and in shape", () => {
  const indices = Array.from({ length: 8 }, (_, index) => index);
  expect(new Set(indices.map(variantColour)).size).toBe(8);
  expect(new Set(indices.map((index) => variantShape(index))).size).toBe(8);
});

test("the baseline is the first: ink and square", () => {
  expect(variantColour(0)).toBe("var(--v0)");
  expect(variantShape(0, 4)).toBe("M-4,-4h8v8h-8z");
});
