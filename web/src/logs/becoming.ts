/** What parts of a log become: runs of variants that are there, or of new ones named after them. */
import type { Log, Study } from "../api/client";

export const LEAVE = "leave";

/** What a part is first taken for: the variant it is named after, a new one, or the baseline. */
export function becomes(study: Study, name: string, open: boolean): string {
  const fitting = study.variants
    .map((variant, index) => ({ index, name: variant.name.toLowerCase() }))
    .filter((one) => one.name && name.toLowerCase().includes(one.name))
    .sort((a, b) => b.name.length - a.name.length);
  if (fitting[0]) return String(fitting[0].index);
  return open ? `new:${name}` : String(study.baseline);
}

/** Positions of variants by part, −1 for one that is left; `made` holds those of new variants. */
export function positionsOf(choices: string[], made: Record<string, number>): number[] {
  return choices.map((one) => (one === LEAVE ? -1 : (made[one] ?? Number(one))));
}

/** The name of a file without its endings. */
export function fileStem(name: string): string {
  return name.replace(/\.(?:gz|zst)$/i, "").replace(/\.[a-z]{1,7}$/i, "") || name;
}

/** What was measured, as the log itself names it. */
export function proposedStretch(log: Log): string {
  const columns = log.mapping.columns.filter((one) => one.role === "duration");
  const bare = (columns[0]?.name ?? "").replace(/\s*[[(][^\])]*[\])]\s*$/, "").trim();
  return columns.length === 1 && /[a-z]{2}/i.test(bare) ? bare : fileStem(log.name);
}
