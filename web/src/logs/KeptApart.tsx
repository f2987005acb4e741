/** Runs that were brought in and are kept apart, let in together for one reason. */
import type { RunSummary, Study } from "../api/client";
import { count } from "../parts/text";
import { A_LOOK_OF_ITS_OWN, hasVerdictOfBroughtIn } from "./becoming";
import { LetIn } from "./LetIn";

/** Whether a run was brought in and nobody has let it in yet. */
export function isKeptApart(run: RunSummary): boolean {
  return run.origin === "brought in" && !run.acceptance_reason && Boolean(run.ended);
}

/** All of a study's, or those of them that are named. */
export function KeptApart(props: { study: Study; among?: number[] }) {
  const { among } = props;
  const runs = props.study.runs.filter(
    (run) => isKeptApart(run) && (among === undefined || among.includes(run.id)),
  );
  if (!runs.length) return null;
  const one = runs.length === 1;
  return (
    <section aria-label="not let in yet" className="mt-2">
      <p className="text-ink-2">
        {count(runs.length, "run")} brought in {one ? "is" : "are"} kept apart from the measured
        runs, and in no comparison.
      </p>
      {hasVerdictOfBroughtIn(props.study) && <p className="text-ink-2">{A_LOOK_OF_ITS_OWN}</p>}
      <LetIn study={props.study.id} runs={runs.map((run) => run.id)} />
    </section>
  );
}
