import { expect, test } from "vitest";
import { putUp } from "./putUp";

test("a claim says whether it came before the first run or after how many", () => {
  expect(putUp(0)).toBe("put up before the first run");
  expect(putUp(1)).toBe("put up after 1 run");
  expect(putUp(27)).toBe("put up after 27 runs");
});
