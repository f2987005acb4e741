import { expect, test } from "vitest";
import type { StudySummary } from "../api/client";
import { inOrder, nextOrder, orderOf } from "./order";

const study = (id: number, grave: number, troubles: number, changed: string | null) =>
  ({
    id,
    match: { grave, open: grave },
    troubles,
    unread: 0,
    changed,
  }) as unknown as StudySummary;
const studies = [
  study(4, 0, 0, "2026-11-01T10:00:00Z"),
  study(3, 0, 7, null),
  study(2, 1, 0, "2026-11-03T10:00:00Z"),
  study(1, 0, 0, null),
];
const ids = (order: Parameters<typeof inOrder>[1]) => inOrder(studies, order).map((s) => s.id);

test("studies stand newest first, as they are given", () => {
  expect(ids("new")).toEqual([4, 3, 2, 1]);
});

test("what holds verdicts back comes before runs that do not count", () => {
  expect(ids("needs")).toEqual([2, 3, 4, 1]);
});

test("what changed last comes first, and what never had a verdict last", () => {
  expect(ids("changed")).toEqual([2, 4, 3, 1]);
});

test("an unknown order is newest first, and each order has a next", () => {
  expect(orderOf("by colour")).toBe("new");
  expect(nextOrder(nextOrder(nextOrder("new")))).toBe("new");
});
