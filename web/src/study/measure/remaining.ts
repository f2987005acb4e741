/** How long runs take, from those that finished. */
import type { RunSummary, Study } from "../../api/client";
import { count, roughly } from "../../parts/text";

/** Runs that wait or are under way. */
export function runsLeft(runs: RunSummary[]): RunSummary[] {
  return runs.filter((run) => run.state === "queued" || run.state === "running");
}

/** How long a run took here, s; null where it has not ended, or was taken elsewhere. */
export function secondsOf(run: RunSummary): number | null {
  if (!run.started || !run.ended || run.origin === "brought in") return null;
  return (Date.parse(run.ended) - Date.parse(run.started)) / 1000;
}

/** Median length of a variant's finished runs in seconds, null where none has finished. */
export function typicalSeconds(runs: RunSummary[], variant: number): number | null {
  const lengths = runs
    .filter((run) => run.variant === variant && run.outcome === "finished")
    .flatMap((run) => secondsOf(run) ?? [])
    .sort((a, b) => a - b);
  return lengths[Math.floor(lengths.length / 2)] ?? null;
}

/** Warm rounds of which every run was measured to an end. */
export function wholeRounds(study: Study): number {
  const open = new Set(study.runs.filter((run) => run.ended === null).map((run) => run.round));
  const read = study.runs.filter((run) => run.state === "read" && !run.cold && run.round >= 0);
  return [...new Set(read.map((run) => run.round))].filter((round) => !open.has(round)).length;
}

/** Seconds that a round of all variants takes; null where one was never measured. */
export function roundSeconds(runs: RunSummary[], variants: number): number | null {
  let all = 0;
  for (let variant = 0; variant < variants; variant += 1) {
    const seconds = typicalSeconds(runs, variant);
    if (seconds === null) return null;
    all += seconds;
  }
  return variants ? all : null;
}

/** What an answer waits for: about how many rounds in all would decide it, or why none would. */
export interface Awaited {
  verdict: string;
  rounds_to_decide?: number | null;
  futility?: string;
}

/**
 * In a sentence: how many more rounds what decides needs, and how long they take.
 *
 * `done` warm rounds are complete; a plan looks after `looks` rounds, and concludes nothing between.
 */
export function stillNeeded(
  answers: Awaited[],
  done: number,
  looks: number[],
  seconds: number | null,
): string {
  const first = looks[0] ?? 0;
  const takes = (rounds: number) =>
    seconds === null ? "" : `, about ${roughly(rounds * seconds)}`;
  if (done < first && !answers.some((one) => one.verdict === "ahead" || one.verdict === "behind"))
    return `What decides is first judged after ${count(first, "round")}: ${first - done} more${takes(first - done)}.`;
  if (!answers.length) return "";
  const open = answers.filter((one) => one.verdict === "open");
  if (!open.length) return "What decides is known: no more rounds are needed for it.";
  const known = open.flatMap((one) => (one.rounds_to_decide ? [one.rounds_to_decide] : []));
  const stand = open.length === 1 ? "One answer is" : `${open.length} answers are`;
  if (open.every((one) => one.futility))
    return `${stand} open: ${[...new Set(open.map((one) => one.futility))].join("; ")}.`;
  if (!known.length)
    return `${stand} still open, and nobody can say yet how many rounds that takes.`;
  const wanted = Math.max(...known);
  const look =
    looks.find((rounds) => rounds >= wanted && rounds > done) ?? Math.max(wanted, done + 1);
  const more = look - done;
  return `${count(more, "more round")} should decide ${open.length === 1 ? "what is open" : `the ${known.length} that are open`}${takes(more)}.`;
}

/** Runs that ended and whose records are being read: until then no answer counts them. */
export const runsBeingRead = (runs: RunSummary[]): RunSummary[] =>
  runs.filter((run) => run.state === "measured" && !run.unread);
