import { describe, expect, it } from "vitest";
import type { Race, Racer } from "../api/client";
import { closest } from "../films/FilmLanes";
import { rate, uneven } from "../films/Films";
import { leadSentence, seconds } from "./LeadRule";
import { topsOf } from "./RacerLanes";

const racer = (name: string, ends: number, knots: [number, number][]): Racer => ({
  run: 1,
  variant: 0,
  name,
  label: "round 1",
  outcome: "finished",
  zero_s: 0,
  end_s: ends,
  steps: [{ name: "Weave", start_s: 0, end_s: ends, match: 0, lead_s: 0 }],
  timings: [],
  knots: knots.map(([at_s, base_s]) => ({ at_s, base_s })),
  film: null,
  inputs: [],
  pictures: [],
});

const race = {
  baseline: 0,
  racers: [
    racer("4.1", 10, [
      [0, 0],
      [10, 10],
    ]),
    racer("4.2", 8, [
      [0, 0],
      [8, 10],
    ]),
    racer("5.0", 12, [
      [0, 0],
      [12, 10],
    ]),
  ],
} as unknown as Race;

describe("the lead in words", () => {
  it("is level at the start, then ahead or behind, then done before or after", () => {
    expect(leadSentence(race, 0)).toBe("4.2 is level with 4.1; 5.0 is level with 4.1");
    expect(leadSentence(race, 4)).toBe("4.2 leads by 1.00\u00a0s; 5.0 trails by 0.67\u00a0s");
    expect(leadSentence(race, 9)).toContain("4.2 is done 2.00\u00a0s before 4.1 will be");
    expect(leadSentence(race, 12)).toBe(
      "4.2 was done 2.00\u00a0s before 4.1; 5.0 was done 2.00\u00a0s after 4.1",
    );
  });

  it("has a sign that is a minus and no hyphen", () => {
    expect(seconds(0.843)).toBe("+0.84\u00a0s");
    expect(seconds(-1.2)).toBe("\u22121.20\u00a0s");
  });
});

describe("scales of lanes", () => {
  it("leave one value far above all others out, and pauses between pictures", () => {
    const points = { at_s: [], low: [], mean: [], every: true };
    const high = [...Array(999).fill(16), 240, 900];
    const tops = topsOf([
      {
        frames: { ...points, high },
        counters: { "subject.resident": { ...points, high: [100, 120], unit: "MiB" } },
      } as never,
      undefined,
    ]);
    expect(tops.ms).toBe(20);
    expect(tops.mib).toBeCloseTo(150);
    expect(tops.cores).toBeNull(); // none has it: no lane is drawn
  });
});

describe("films from elsewhere", () => {
  const facts = {
    width: 1280,
    height: 800,
    frames: 90,
    seconds: 3,
    step_s: 1 / 30,
    uneven: 0,
    longest_gap_s: 1 / 30,
    new: 20,
    every_picture_new: false,
    noisy: false,
    bursts: 2,
    scenes: [0],
    onsets: 0,
  };

  it("are said to come evenly only where no gap is far longer than the others", () => {
    expect(rate(facts)).toBe("30 pictures a second");
    expect(uneven({ ...facts, longest_gap_s: 0.5 })).toBe(true);
    expect(rate({ ...facts, uneven: 0.2 })).toContain("unevenly");
    expect(rate({ ...facts, step_s: 1001 / 60_000 })).toBe("59.94 pictures a second");
  });

  it("are pointed at by the picture that is shown nearest", () => {
    expect(closest([0, 0.1, 0.5, 0.6], 0.28)).toBe(1);
    expect(closest([0, 0.1, 0.5, 0.6], 9)).toBe(3);
    expect(closest([0, 0.1], -4)).toBe(0);
  });
});
