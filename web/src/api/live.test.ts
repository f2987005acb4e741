import { expect, test } from "vitest";
import { follow, type Progress } from "./live";

const told = (elapsed: number, beats: [number, number, number][], seconds = 0, run = 5) => ({
  kind: "progress" as const,
  study: 1,
  run,
  progress: { elapsed_ns: elapsed * 1e9, step: "Open", beats, processor_seconds: seconds },
});

function all(list: ReturnType<typeof told>[]): Progress {
  const last = { current: null };
  return list.reduce<Progress | null>((now, one) => follow(now, one, last), null) as Progress;
}

test("beats that come twice are kept once, in order", () => {
  const now = all([
    told(1, [
      [1, 5, 9],
      [2, 6, 8],
    ]),
    told(1.5, [
      [2, 6, 8],
      [3, 4, 20],
    ]),
  ]);
  expect(now.beats.map((beat) => beat.longest)).toEqual([9, 8, 20]);
});

test("processor use is the growth of seconds over time", () => {
  const now = all([told(1, [], 0.5), told(2, [], 1.5), told(4, [], 2)]);
  expect(now.cores.map((core) => core.value)).toEqual([1, 0.25]);
});

test("another run starts afresh", () => {
  const now = all([told(9, [[1, 5, 9]], 3), told(1, [[2, 1, 7]], 0.2, 6)]);
  expect(now.run).toBe(6);
  expect(now.beats).toHaveLength(1);
  expect(now.cores).toEqual([]);
});

test("what is older than half a minute is let go", () => {
  const now = all([told(1, [[10, 5, 9]]), told(60, [[1190, 1, 7]])]);
  expect(now.beats).toHaveLength(1);
});

test("a word without progress changes nothing", () => {
  expect(follow(null, { kind: "run", run: 1 }, { current: null })).toBeNull();
});

test("the course is kept for the whole run, thinned, with its newest sample", () => {
  const many = Array.from({ length: 900 }, (_, number) => told(number + 1, []));
  const now = all(many);
  expect(now.course.length).toBeLessThanOrEqual(400);
  expect(now.course.length).toBeGreaterThan(150);
  expect(now.course.at(-1)?.at).toBe(900);
  expect(now.course[0]?.at).toBeLessThan(10);
});

test("the course of a run keeps its longest frames however long it is", () => {
  const words = Array.from({ length: 1500 }, (_, n) =>
    told(n + 1, [[20 * n, 3, n === 700 ? 900 : 16]], n / 2),
  );
  const now = all(words);
  expect(now.course.length).toBeLessThanOrEqual(400);
  expect(Math.max(...now.course.map((one) => one.longest ?? 0))).toBe(900);
  expect(now.course.at(-1)?.at).toBe(1500);
  expect(now.course.at(-1)?.cores).toBe(0.5);
});

test("steps are kept with the moment each began", () => {
  const words = [told(1, []), told(2, []), told(3, [])];
  if (words[2]) words[2].progress.step = "Scroll";
  expect(all(words).steps).toEqual([
    { name: "Open", at: 1 },
    { name: "Scroll", at: 3 },
  ]);
});
