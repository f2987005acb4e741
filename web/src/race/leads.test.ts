import { expect, test } from "vitest";
import type { Racer } from "../api/client";
import { THIN } from "../parts/text";
import { leadsOf } from "./Leads";

type Timing = Racer["timings"][number];

const timing = (end_s: number, base_end_s: number, changes: Partial<Timing> = {}): Timing => ({
  name: "launch",
  start_s: 0.1,
  end_s,
  right_censored: false,
  base_end_s,
  lead_s: base_end_s - end_s,
  ...changes,
});

function racer(end_s: number, lead_s: number, timings: Timing[]): Racer {
  const steps = [{ name: "Launch", start_s: 0, end_s, match: 0, lead_s }];
  return { steps, timings } as unknown as Racer;
}

const BASE = racer(3, 0, []);
const x = (at: number) => at * 100;

test("what is timed leads by itself where its step, which waits, leads by another amount", () => {
  expect(leadsOf(racer(2.9, 0.1, [timing(0.5, 0.9)]), BASE, x)).toEqual([
    { mine: 290, theirs: 300, words: `+0.10${THIN}s` },
    { mine: 50, theirs: 90, words: `launch +0.40${THIN}s` },
  ]);
});

test("a step that ends with what is timed says it once", () => {
  const found = leadsOf(racer(2.6, 0.4, [timing(0.5, 0.91)]), BASE, x);
  expect(found.map((lead) => lead.words)).toEqual([`+0.40${THIN}s`]);
});

test("no line without both ends, or from before the race began", () => {
  const cut = timing(0.5, 0.9, { lead_s: null, right_censored: true });
  const own = timing(0.5, 0, { lead_s: null, base_end_s: null });
  const before = timing(0.5, -0.2);
  expect(leadsOf(racer(3, 0, [cut, own, before]), BASE, x)).toEqual([]);
});

test("a timing gives way to a step's lead that needs the room", () => {
  const found = leadsOf(racer(2.9, 0.1, [timing(2.4, 2.8)]), BASE, x);
  expect(found.map((lead) => lead.words)).toEqual([`+0.10${THIN}s`]);
});
