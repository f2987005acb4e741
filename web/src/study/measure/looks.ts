/** The rounds' rule: how far it reaches and where it has ticks. */
export function lookTicks(looks: number[], done: number): { last: number; ticks: number[] } {
  const last = Math.max(looks.at(-1) ?? 1, done, 1);
  return { last, ticks: Array.from({ length: last + 1 }, (_, round) => round) };
}
