/** How long runs take, from those that finished. */
import type { RunSummary } from "../../api/client";

/** Runs that wait or are under way. */
export function runsLeft(runs: RunSummary[]): RunSummary[] {
  return runs.filter((run) => run.state === "queued" || run.state === "running");
}

/** Median length of a variant's finished runs in seconds, null where none has finished. */
export function typicalSeconds(runs: RunSummary[], variant: number): number | null {
  const lengths = runs
    .filter((run) => run.variant === variant && run.outcome === "finished")
    .flatMap((run) =>
      run.started && run.ended ? [(Date.parse(run.ended) - Date.parse(run.started)) / 1000] : [],
    )
    .sort((a, b) => a - b);
  return lengths[Math.floor(lengths.length / 2)] ?? null;
}
