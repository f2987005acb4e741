/** A stopwatch with splits: what has been pressed, and what that makes of the steps. */

export interface Split {
  step: string;
  start_s: number;
  end_s: number;
  reached: boolean;
}

/** Instants of the presses, ms of one clock; the first starts the session. */
export type Presses = number[];

/** The step that is under way, −1 before the first press, the number of steps once all are done. */
export function underWay(presses: Presses): number {
  return presses.length - 1;
}

/** The splits that have ended, in s since the first press. */
export function splitsOf(presses: Presses, steps: string[]): Split[] {
  const first = presses[0] ?? 0;
  return presses.slice(1).map((at, n) => ({
    step: steps[n] ?? "",
    start_s: ((presses[n] as number) - first) / 1000,
    end_s: (at - first) / 1000,
    reached: true,
  }));
}

/** The splits of a session given up at a moment: the step under way was never reached. */
export function cutOff(presses: Presses, steps: string[], at: number): Split[] {
  const first = presses[0] ?? at;
  const open = presses.at(-1) ?? at;
  const step = steps[underWay(presses)];
  if (step === undefined || at <= open) return splitsOf(presses, steps);
  return [
    ...splitsOf(presses, steps),
    { step, start_s: (open - first) / 1000, end_s: (at - first) / 1000, reached: false },
  ];
}

/** Reactions quicker than this were guesses, slower ones came while one looked elsewhere. */
export const QUICKEST_MS = 100;
export const SLOWEST_MS = 1500;

export interface Spread {
  spread_ms: number;
  middle_ms: number;
  trials: number;
}

/** Standard deviation and mean of reactions, ms; null below five that count. */
export function spreadOf(reactions: number[]): Spread | null {
  const counted = reactions.filter((ms) => ms >= QUICKEST_MS && ms <= SLOWEST_MS);
  if (counted.length < 5) return null;
  const mean = counted.reduce((sum, ms) => sum + ms, 0) / counted.length;
  const squares = counted.reduce((sum, ms) => sum + (ms - mean) ** 2, 0);
  const spread = Math.sqrt(squares / (counted.length - 1));
  return { spread_ms: Math.max(1, spread), middle_ms: mean, trials: counted.length };
}

/** Half-width (95 %) of a duration between two presses, s. */
export function plusMinus(spread: Spread): number {
  return (1.96 * Math.SQRT2 * spread.spread_ms) / 1000;
}
