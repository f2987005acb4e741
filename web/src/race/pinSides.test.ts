import { expect, test } from "vitest";
import { GAP, pinSides } from "./pinSides";

const pin = (at: number, left: boolean, width = 170) => ({ at, width, left });

test("labels that do not meet stand where they would stand alone", () => {
  expect(pinSides([pin(616, true), pin(900, false)], 1232)).toEqual([true, false]);
  expect(pinSides([pin(616, true)], 1232)).toEqual([true]);
});

test("a baseline just ahead makes room for who trails it", () => {
  expect(pinSides([pin(616, true), pin(510, true)], 1232)).toEqual([false, true]);
});

test("of two that lead by nearly as much one stands to the left", () => {
  const [base, first, second] = pinSides([pin(616, true), pin(860, false), pin(880, false)], 1232);
  expect([base, first, second]).toEqual([true, true, false]);
});

test("no label goes beyond the edge", () => {
  expect(pinSides([pin(1200, false)], 1232)).toEqual([true]);
  expect(pinSides([pin(GAP, true)], 1232)).toEqual([false]);
});
