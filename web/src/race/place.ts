/** Where racers are and who leads, at an instant of the race: what lies between the core's knots. */
import type { Racer } from "../api/client";
import { THIN } from "../parts/text";

/** Where the baseline was when a racer was where it is at an instant, s of the race. */
export function placeAt(racer: Racer, at: number): number {
  const { knots } = racer;
  const first = knots[0];
  const last = knots.at(-1);
  if (!first || !last) return at;
  if (at < first.at_s) return first.base_s + Math.min(0, at - first.at_s);
  let low = 0;
  let high = knots.length;
  while (low < high) {
    const middle = (low + high) >> 1;
    if ((knots[middle]?.at_s ?? 0) <= at) low = middle + 1;
    else high = middle;
  }
  const before = knots[low - 1];
  const after = knots[low];
  if (!before || !after) return last.base_s;
  const share = (at - before.at_s) / (after.at_s - before.at_s);
  return before.base_s + (after.base_s - before.base_s) * share;
}

/** How far a racer is ahead of the baseline, s; whoever is done keeps what they had. */
export function leadAt(racer: Racer, at: number): number {
  const own = Math.min(at, racer.end_s);
  return placeAt(racer, own) - own;
}

/** The step a racer is in, or was in last; -1 before the first. */
export function stepAt(racer: Racer, at: number): number {
  return racer.steps.findLastIndex((step) => step.start_s <= at);
}

/** What a timing took, in words: `launch took 0.57 s`. */
export function timed(timing: Racer["timings"][number]): string {
  const longer = timing.right_censored ? "longer than " : "";
  return `${timing.name} took ${longer}${(timing.end_s - timing.start_s).toFixed(2)}${THIN}s`;
}

/** The timing that a racer ended last within the step it is in, at an instant. */
export function timingAt(racer: Racer, at: number): Racer["timings"][number] | undefined {
  const step = racer.steps[stepAt(racer, at)];
  return racer.timings.findLast(
    (timing) => step && timing.start_s >= step.start_s && timing.end_s <= at,
  );
}

/** Steps that both have and that are ended, at an instant. */
function ended(racer: Racer, common: Set<number>, at: number): number {
  return racer.steps.filter(
    (step) => step.match !== null && common.has(step.match) && step.end_s <= at,
  ).length;
}

/** How many common steps a racer has ended more than the baseline. */
export function stepsAhead(racer: Racer, baseline: Racer, at: number): number {
  const common = new Set(racer.steps.flatMap((step) => (step.match === null ? [] : [step.match])));
  return ended(racer, common, at) - ended(baseline, common, at);
}

/** The rows of the course: the baseline in the middle, so that leads lie beside it. */
export function rowsOf(racers: Racer[], baseline: number): number[] {
  const others = racers.map((_, number) => number).filter((number) => number !== baseline);
  if (others.length < 2) return [baseline, ...others];
  const above = others.slice(0, Math.ceil(others.length / 3));
  return [...above, baseline, ...others.slice(above.length)];
}

/** What is wanted of a film at an instant: where it must stand, or null where it has not begun. */
export function filmTime(racer: Racer, at: number): number {
  const film = racer.film;
  if (!film) return 0;
  return Math.min(Math.max(0, at - film.began_s), Math.max(0, film.seconds - 0.001));
}
