import { expect, test } from "vitest";
import { claimAmount } from "./claimAmount";

test("each way of saying it becomes its bound", () => {
  expect(claimAmount("at least", 20, "less")).toEqual({ side: "at most", amount: -20 });
  expect(claimAmount("at least", 20, "more")).toEqual({ side: "at least", amount: 20 });
  expect(claimAmount("no more than", 5, "more")).toEqual({ side: "at most", amount: 5 });
  expect(claimAmount("no more than", 5, "less")).toEqual({ side: "at least", amount: -5 });
});
