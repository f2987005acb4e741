/** Runs beside one another: what they are laid together at, and the same stretch in each. */
import type { RunDetail } from "../api/client";
import { type Span, same, spanOf } from "./span";

/** The moment of a run that an alignment means (s), or null where the run has no such thing. */
export function anchor(run: RunDetail, align: string): number | null {
  const [kind, ...rest] = align.split(":");
  const name = rest.join(":");
  const steps = run.stretches.filter((stretch) => stretch.kind === "step");
  if (kind === "step") return steps.find((step) => step.path[0] === name)?.start_s ?? null;
  if (kind === "mark") return run.marks.find((mark) => mark.name === name)?.at_s ?? null;
  if (kind === "input") return run.first_inputs[Number(name)]?.at_s ?? null;
  return steps[0]?.start_s ?? 0;
}

/** By how much a run's time is moved to lie on the main run's axis, s. */
export function shiftOf(main: RunDetail, other: RunDetail, align: string): number {
  const there = anchor(main, align);
  const here = anchor(other, align);
  return there === null || here === null ? 0 : there - here;
}

/** What runs can be laid together at, that all of them have. */
export function alignments(runs: RunDetail[]): { value: string; name: string }[] {
  const [main] = runs;
  if (!main) return [];
  const steps = main.stretches.filter((stretch) => stretch.kind === "step");
  const known = [
    { value: "start", name: "the start" },
    ...steps.map((step) => ({ value: `step:${step.path[0]}`, name: `step “${step.path[0]}”` })),
    ...main.marks.map((mark) => ({ value: `mark:${mark.name}`, name: `mark “${mark.name}”` })),
  ];
  return known.filter(({ value }) => runs.every((run) => anchor(run, value) !== null));
}

/** Number of the last of a run's first inputs that is not after a moment. */
export function inputBefore(run: RunDetail, at: number): number | null {
  const after = run.first_inputs.findIndex((input) => input.at_s > at);
  const place = after === -1 ? run.first_inputs.length - 1 : after - 1;
  return place >= 0 && (after !== -1 || run.inputs === run.first_inputs.length) ? place : null;
}

/** The stretch of another run that answers to one chosen in the main run.
 *
 * A named stretch is found by its name, which turn of a loop by its number; any other by time.
 */
export function counterpart(main: RunDetail, other: RunDetail, chosen: Span, shift: number): Span {
  const named = main.stretches.find((stretch) => same(spanOf(stretch), chosen));
  if (named) {
    const alike = (run: RunDetail) =>
      run.stretches.filter(
        (stretch) => stretch.kind === named.kind && stretch.path.join("/") === named.path.join("/"),
      );
    const found = alike(other)[alike(main).indexOf(named)];
    if (found) return spanOf(found);
  }
  const from = Math.max(0, chosen.from - shift);
  return { from, to: Math.max(from + 1e-3, chosen.to - shift) };
}
