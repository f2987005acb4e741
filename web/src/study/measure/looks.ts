/** The rounds' rule: how far it reaches and where it has ticks. */
export function lookTicks(looks: number[], done: number): { last: number; ticks: number[] } {
  const last = Math.max(looks.at(-1) ?? 1, done, 1);
  return { last, ticks: Array.from({ length: last + 1 }, (_, round) => round) };
}

/** What a round is called: cold ones by that word, warm ones counted from 1; those brought in
 * are of none. */
export function roundName(round: number, cold: boolean, coldRounds: number): string {
  if (round < 0) return "a file";
  if (!cold) return String(round - coldRounds + 1);
  return coldRounds > 1 ? `cold ${round + 1}` : "cold";
}

/** How many rounds of a study are kept apart as cold. */
export function coldRoundsOf(runs: { round: number; cold: boolean }[]): number {
  return new Set(runs.filter((run) => run.cold).map((run) => run.round)).size;
}
