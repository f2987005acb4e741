import { expect, test } from "vitest";
import { bestFirst } from "./goals";

const goals = [
  { name: "Is 5.0 ready? · Read", to: "/1" },
  { name: "Read the manual", to: "/2" },
  { name: "Is 5.0 ready? · Ask", to: "/3" },
];

test("every word must be there, in any order", () => {
  expect(bestFirst(goals, "read 5.0").map((goal) => goal.to)).toEqual(["/1", "/3"]);
  expect(bestFirst(goals, "ask ready").map((goal) => goal.to)).toEqual(["/3"]);
  expect(bestFirst(goals, "nothing")).toEqual([]);
});

test("what begins with the text comes first", () => {
  expect(bestFirst(goals, "read")[0]?.to).toBe("/2");
  expect(bestFirst(goals, "")).toHaveLength(3);
});
