import { describe, expect, it } from "vitest";
import type { Racer } from "../api/client";
import { filmTime, leadAt, placeAt, rowsOf, stepAt, stepsAhead } from "./place";
import told from "./places.json";

function racer(steps: [string, number, number, number | null][], knots: [number, number][]): Racer {
  const end = steps.at(-1)?.[2] ?? 0;
  return {
    run: 1,
    variant: 0,
    name: "4.1",
    label: "round 1",
    outcome: "finished",
    zero_s: 0,
    end_s: end,
    steps: steps.map(([name, start_s, end_s, match]) => ({
      name,
      start_s,
      end_s,
      match,
      lead_s: null,
    })),
    timings: [],
    knots: knots.map(([at_s, base_s]) => ({ at_s, base_s })),
    film: { began_s: -0.5, seconds: 6, width: 640, height: 400 },
    inputs: [],
    pictures: [],
  };
}

const BASE = racer(
  [
    ["Launch", 0, 2, 0],
    ["Weave", 2, 10, 1],
  ],
  [
    [0, 0],
    [10, 10],
  ],
);
const QUICK = racer(
  [
    ["Launch", 0, 1, 0],
    ["Tips", 1, 2, null],
    ["Weave", 2, 5, 1],
  ],
  [
    [0, 0],
    [1, 2],
    [2, 2],
    [5, 10],
  ],
);

describe("a race", () => {
  it("tells places between the core's knots, and none beyond the last", () => {
    expect(placeAt(QUICK, 0.5)).toBeCloseTo(1);
    expect(placeAt(QUICK, 1.5)).toBeCloseTo(2);
    expect(placeAt(QUICK, 3.5)).toBeCloseTo(6);
    expect(placeAt(QUICK, 7)).toBe(10);
    expect(placeAt(QUICK, -1)).toBe(-1);
  });

  it("takes the later of two knots at one instant", () => {
    const jump = racer(
      [["A", 0, 2, 0]],
      [
        [0, 0],
        [1, 1],
        [1, 3],
        [2, 4],
      ],
    );
    expect(placeAt(jump, 0.999)).toBeCloseTo(0.999);
    expect(placeAt(jump, 1)).toBe(3);
  });

  it("keeps the lead of whoever is done", () => {
    expect(leadAt(QUICK, 5)).toBe(5);
    expect(leadAt(QUICK, 9)).toBe(5);
    expect(leadAt(BASE, 7)).toBe(0);
  });

  it("counts steps that both have, and no step of one's own", () => {
    expect(stepAt(QUICK, 1.5)).toBe(1);
    expect(stepAt(QUICK, -0.1)).toBe(-1);
    expect(stepsAhead(QUICK, BASE, 1.5)).toBe(1);
    expect(stepsAhead(QUICK, BASE, 2)).toBe(0);
    expect(stepsAhead(QUICK, BASE, 5)).toBe(1);
  });

  it("lays the baseline in the middle", () => {
    expect(rowsOf([BASE, QUICK, QUICK], 0)).toEqual([1, 0, 2]);
    expect(rowsOf([BASE, QUICK], 0)).toEqual([0, 1]);
    expect(rowsOf([QUICK, BASE, QUICK, QUICK], 1)).toEqual([0, 1, 2, 3]);
  });

  it("says of place, lead and steps what the core says", () => {
    const [base, other] = told.racers as unknown as [Racer, Racer];
    for (const instant of told.instants) {
      expect(leadAt(other, instant.at_s)).toBeCloseTo(instant.lead_s, 6);
      expect(stepsAhead(other, base, instant.at_s)).toBe(instant.steps_ahead);
      expect(stepAt(other, instant.at_s)).toBe(instant.step);
    }
  });

  it("stands a film where the race is, within its ends", () => {
    expect(filmTime(BASE, 0)).toBe(0.5);
    expect(filmTime(BASE, -3)).toBe(0);
    expect(filmTime(BASE, 99)).toBeCloseTo(5.999);
  });
});
