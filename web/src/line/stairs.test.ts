import { describe, expect, it } from "vitest";
import type { MetricLine } from "../api/lines";
import { beside, changed, edgeOf, furthest, stairs } from "./stairs";

const point = (release: number, level: number) => ({
  release, gain: level, low: level, high: level, level, reading: 1, text: "1 s", sessions: 1,
}); // biome-ignore format: one line a point
const change = (release: number, earliest: number, latest: number) => ({
  release,
  earliest,
  latest,
  gain: 0.1,
  low: 0.08,
  high: 0.12,
  since: "",
  text: "",
  better: true,
});
const LINE: MetricLine = {
  metric: "duration",
  stretch: ["Open", "open"],
  label: "open",
  unit: "s",
  deciding: true,
  primary: true,
  on_logs: true,
  anchor: 3,
  headline: "",
  largest: 5,
  points: [point(0, -0.1), point(1, -0.1), point(3, 0), point(4, 0)],
  changes: [change(3, 2, 3)],
  apart: [],
  withheld: [],
  next: null,
  noise: 0.01,
};
const OTHER: MetricLine = { ...LINE, changes: [], points: [point(0, -0.3)] };

describe("a line of releases", () => {
  it("is stairs, each from one measured release to another", () => {
    expect(stairs(LINE)).toEqual([
      { first: 0, last: 1, level: -0.1 },
      { first: 3, last: 4, level: 0 },
    ]);
    expect(stairs(OTHER)).toHaveLength(1);
  });

  it("changes between the releases that were measured around it", () => {
    expect(edgeOf(LINE.changes[0] as never, LINE)).toBe(2);
  });

  it("reaches as far as its furthest point, and is never without a width", () => {
    expect(furthest(OTHER)).toBe(0.3);
    expect(furthest({ ...LINE, points: [point(0, 0)] })).toBe(0.05);
  });

  it("is shown beside others only where it changed", () => {
    expect(beside([LINE, OTHER], OTHER, 4)).toEqual([LINE]);
    expect(beside([LINE, OTHER], LINE, 4)).toEqual([]);
    expect(changed([LINE, OTHER]).same).toEqual([OTHER]);
  });
});
