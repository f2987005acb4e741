/** The rule as scale of differences: logarithmic, baseline in the middle, better to the right. */

/** What one rule shows: gains from −reach to reach, in natural logs. */
export interface RuleScale {
  reach: number;
  x: (gain: number) => number;
}

/** A scale over `width` px; gains beyond the reach stand at its end. */
export function ruleScale(width: number, reach: number, pad = 6): RuleScale {
  const half = width / 2 - pad;
  return {
    reach,
    x: (gain) => width / 2 + (Math.max(-reach, Math.min(reach, gain)) / reach) * half,
  };
}

const REACHES = [0.16, 0.28, 0.5, 0.75, 1.2, 1.9, 3];

/** The smallest of a few fixed reaches that holds nearly all gains. */
export function reachFor(gains: number[]): number {
  const sizes = gains
    .filter(Number.isFinite)
    .map(Math.abs)
    .sort((a, b) => a - b);
  const wanted = sizes[Math.floor(sizes.length * 0.92)] ?? 0;
  return REACHES.find((reach) => reach >= wanted * 1.05) ?? (REACHES.at(-1) as number);
}

/** Factors worth a label on a rule of this reach, with the words for them. */
export function ruleLabels(reach: number): { gain: number; text: string }[] {
  const factors: [number, string, string][] =
    reach > 1.5
      ? [
          [3, "⅓", "3 ×"],
          [10, "a tenth", "10 ×"],
        ]
      : reach > 0.8
        ? [
            [1.5, "⅔", "1.5 ×"],
            [2, "half", "2 ×"],
            [3, "⅓", "3 ×"],
          ]
        : reach > 0.4
          ? [
              [1.25, "⅘", "1.25 ×"],
              [1.5, "⅔", "1.5 ×"],
            ]
          : [[1.1, "0.91 ×", "1.1 ×"]];
  return factors
    .filter(([factor]) => Math.log(factor) < reach)
    .flatMap(([factor, worse, better]) => [
      { gain: -Math.log(factor), text: worse },
      { gain: Math.log(factor), text: better },
    ]);
}

/** Ticks of the rule's edge: every 10 %, longer at the labelled factors. */
export function ruleTicks(reach: number): { gain: number; long: boolean }[] {
  const step = reach > 1.5 ? Math.log(1.5) : reach > 0.8 ? Math.log(1.25) : Math.log(1.1);
  const ticks = [{ gain: 0, long: true }];
  for (let n = 1; n * step <= reach; n++)
    for (const side of [-1, 1]) ticks.push({ gain: side * n * step, long: n % 3 === 0 });
  return ticks;
}
