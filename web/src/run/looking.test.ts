// @vitest-environment jsdom
import { expect, test } from "vitest";
import type { RunDetail } from "../api/client";
import { alignments, counterpart, inputBefore, shiftOf } from "./aligned";
import { csvOf, svgOf } from "./copies";
import { changed, lanesFrom, lanesTo, moved } from "./lanes";
import type { Lane } from "./series";
import { fetched, panned, zoomed } from "./span";

test("what is fetched holds the view and is the same while one pans a little", () => {
  for (const [from, width] of [
    [0, 10],
    [3.3, 0.7],
    [1000, 64],
    [12.5, 0.001],
  ] as const) {
    const view = { from, to: from + width };
    const got = fetched(view, 36_000);
    expect(got.from).toBeLessThanOrEqual(view.from);
    expect(got.to).toBeGreaterThanOrEqual(view.to);
    expect(got.to - got.from).toBeLessThanOrEqual(8 * width);
  }
  expect(fetched({ from: 100, to: 110 }, 500)).toEqual(fetched({ from: 100.5, to: 110.5 }, 500));
  expect(fetched({ from: 0, to: 18 }, 17)).toEqual({ from: 0, to: 18 });
});

test("zooming keeps the moment under the pointer where it is", () => {
  const view = zoomed({ from: 10, to: 20 }, 12, 0.5, 100);
  expect((12 - view.from) / (view.to - view.from)).toBeCloseTo(0.2);
  expect(view.to - view.from).toBeCloseTo(5);
  expect(panned({ from: 1, to: 3 }, -2)).toEqual({ from: 0, to: 2 });
});

test("lanes stand in the address only as far as they are not as usual", () => {
  const usual = lanesFrom(null);
  expect(lanesTo(usual)).toBeNull();
  const other = moved(changed(usual, "frames", { height: 220 }), "memory", -1, [
    "frames",
    "processor",
    "memory",
  ]);
  const text = lanesTo(other);
  expect(text).toMatch(/^frames\.220,memory,processor,-latency/);
  expect(lanesFrom(text)).toEqual(other);
  expect(lanesFrom("-memory,nonsense,memory.9999,frames.1")[0]).toMatchObject({
    id: "memory",
    folded: true,
  });
});

const run = (id: number, begins: number): RunDetail =>
  ({
    run: { id },
    inputs: 2,
    first_inputs: [
      { at_s: begins + 1, what: "press x" },
      { at_s: begins + 2, what: "press y" },
    ],
    marks: [{ at_s: begins + 1.5, name: "half" }],
    stretches: [
      { kind: "step", path: ["Open"], start_s: begins, end_s: begins + 1 },
      { kind: "step", path: ["Go"], start_s: begins + 1, end_s: begins + 3 },
      { kind: "lap", path: ["Go", "lap"], start_s: begins + 1, end_s: begins + 2 },
      { kind: "lap", path: ["Go", "lap"], start_s: begins + 2, end_s: begins + 3 },
    ],
  }) as unknown as RunDetail;

test("runs are laid together at a step, a mark or an input", () => {
  const [a, b] = [run(1, 0), run(2, 0.4)];
  for (const align of ["start", "step:Go", "mark:half", "input:1"])
    expect(shiftOf(a, b, align)).toBeCloseTo(-0.4);
  expect(shiftOf(a, b, "step:unheard")).toBe(0);
  expect(alignments([a, b]).map((one) => one.value)).toEqual([
    "start",
    "step:Open",
    "step:Go",
    "mark:half",
  ]);
  expect(inputBefore(a, 1.2)).toBe(0);
  expect(inputBefore(a, 0.5)).toBeNull();
  expect(inputBefore(a, 9)).toBe(1);
});

test("a named stretch is found in another run by name and turn, any other by time", () => {
  const [a, b] = [run(1, 0), run(2, 0.4)];
  expect(counterpart(a, b, { from: 2, to: 3 }, -0.4)).toEqual({ from: 2.4, to: 3.4 });
  expect(counterpart(a, b, { from: 0.5, to: 0.7 }, -0.4).from).toBeCloseTo(0.9);
});

const lane: Lane = {
  id: "frames",
  name: "frame <time>",
  hint: "",
  unit: "ms",
  beyond: null,
  top: 20,
  gaps: [],
  series: [
    { name: "least", at: [1, 2], values: [0, 0], colour: "#000", width: 0, style: "floor" },
    { name: "every", at: [1, 2], values: [8, 12], colour: "#000", width: 1, style: "band" },
    { name: "mean", at: [1, 2, 3], values: [8, null, 9], colour: "#000", width: 1, style: "line" },
  ],
};
const drawing = {
  title: "run 1",
  lanes: [lane],
  heights: [100],
  view: { from: 0, to: 2.5 },
  ticks: [0, 1, 2],
};

test("a copy holds what is in view, with units, and no markup from names", () => {
  const csv = csvOf(drawing);
  expect(csv.split("\n")).toHaveLength(5);
  expect(csv).toContain('"frame <time>","every","ms",2.000000,12');
  const svg = svgOf(drawing);
  expect(svg).toContain("frame &lt;time&gt;, ms");
  expect(svg).not.toContain("<time>");
  expect(svg).toContain("2 s</text>");
});
