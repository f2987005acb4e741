import { expect, test } from "vitest";
import type { Board, Study } from "../api/client";
import { bestFirst, goalsInStudy, keysAsGoals } from "./goals";

const goals = [
  { kind: "page", name: "Is 5.0 ready? · Read", to: "/1" },
  { kind: "page", name: "Read the manual", to: "/2" },
  { kind: "page", name: "Is 5.0 ready? · Ask", to: "/3" },
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

test("a kind is a word as good as any, and what is named twice stands once", () => {
  const more = [...goals, { kind: "run", name: "Run 7, 4.1", to: "/runs/7" }];
  expect(bestFirst(more, "run").map((goal) => goal.to)).toEqual(["/runs/7"]);
  const act = () => undefined;
  const twice = [
    { kind: "act", name: "Measure another round", act },
    { kind: "act", name: "measure another round", act },
  ];
  expect(bestFirst(twice, "another")).toHaveLength(1);
});

test("what keys do can be found; what only walks is left to the keys", () => {
  const act = () => undefined;
  const groups = [
    {
      group: "Read",
      keys: [
        { keys: "j", does: "next metric", act },
        { keys: "f", does: "group by family", act },
      ],
    },
    { group: "Notches", keys: [{ keys: "g a", does: "Ask", act }] },
  ];
  expect(keysAsGoals(groups).map((goal) => goal.name)).toEqual(["Group by family"]);
});

test("a study's metrics, runs and script lines are found by their names", () => {
  const study = {
    id: 3,
    variants: [{ name: "4.1" }],
    runs: [
      { id: 7, variant: 0, round: 0, round_label: "cold round", state: "read" },
      { id: 8, variant: 0, round: 1, cold: false, state: "withdrawn" },
    ],
    script: { text: 'step "Open"\n\n  press Ctrl+O\n' },
  } as unknown as Study;
  const row = { metric: "p99_frame", name: "99th percentile frame", stretch: ["Scroll", "scroll"] };
  const board = {
    rows: [
      { ...row, judged: true },
      { ...row, judged: false },
    ],
  } as Board;
  const found = goalsInStudy(study, board);
  expect(found.map((goal) => [goal.kind, goal.name])).toEqual([
    ["metric", "99th percentile frame in Scroll"],
    ["run", "Run 7, 4.1, cold round"],
    ["script line", '1: step "Open"'],
    ["script line", "3: press Ctrl+O"],
  ]);
  expect(found.at(-1)?.to).toBe("/studies/3/script?line=3");
  expect(found[0]?.to).toContain("/studies/3/read?row=p99_frame~Scroll~scroll");
});
