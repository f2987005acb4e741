/** What parts of logs become: runs of variants that are there, or of new ones named after them. */
import type { Log, LogMapping, Study } from "../api/client";
import { releaseNames } from "../study/ask/releaseName";

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

const NUMBERED_RELEASE = /v?(\d+(?:\.\d+)+)/i;
const WAS_BEFORE =
  /\b(?:old|before|baseline|reference|control|previous|without|off|alt|vorher|avant|antes)\b/i;

/** New variants in the order that a reader expects: the older release, or what was before, first. */
export function olderFirst(names: string[]): string[] {
  const releases = names.map((name) => NUMBERED_RELEASE.exec(name)?.[1] ?? "");
  const { compare } = new Intl.Collator("en", { numeric: true });
  const rank = (name: string) => (WAS_BEFORE.test(name) ? 0 : 1);
  const by = releases.every(Boolean)
    ? (a: number, b: number) => compare(releases[a] ?? "", releases[b] ?? "")
    : (a: number, b: number) => rank(names[a] ?? "") - rank(names[b] ?? "");
  return names
    .map((_, place) => place)
    .sort(by)
    .map((place) => names[place] ?? "");
}

/** The name of a file without its endings. */
export function fileStem(name: string): string {
  return name.replace(/\.(?:gz|zst)$/i, "").replace(/\.(?:[a-z]{1,7}|mp4|m4v)$/i, "") || name;
}

const WORDS = "run|trial|take|try|round|no|nr|lauf|messung|essai|prueba";
/** The number of a repeat at the end of a name: `-run3`, ` (2)`, `_04`. */
const REPEAT = new RegExp(`(?:[-_ ]*(?:${WORDS})[-_ ]*#?\\d+|[-_ ]+[(#]?\\d+\\)?)$`, "i");

export interface Named {
  /** The program that the names begin with; empty where they do not tell. */
  program: string;
  /** By file, the variant that it is named after. */
  variants: string[];
}

/** Names without the numbers of repeats: `old 1` and `old 2` are both `old`. */
export function withoutRepeats(names: string[]): string[] {
  const bare = names.map((name) => name.replace(REPEAT, "") || name);
  return new Set(bare).size < new Set(names).size ? bare : names;
}

/** Files named after what they were taken of: `loom-4.1-run2.csv` is one of `4.1`, of loom. */
export function namedAfter(files: string[]): Named {
  const names = withoutRepeats(files.map(fileStem));
  const distinct = [...new Set(names)];
  const { program, releases } = releaseNames(distinct);
  return {
    program,
    variants: names.map((name) => releases[distinct.indexOf(name)] ?? name),
  };
}

/** What a table is called that was pasted: its file says nothing of it. */
export const PASTED = "pasted table.txt";

/** Names of columns that say nothing of what was timed. */
const GENERIC =
  /^(?:durations?|(?:wall )?time|seconds|results?|values?|elapsed|took|dauer|zeit|temps|durée|tiempo|tijd|czas|время)$/i;

/** What was measured, as the log itself names it; one that does not, as what was before. */
export function proposedStretch(log: Log, before: string[] = []): string {
  const columns = log.mapping.columns.filter((one) => one.role === "duration");
  const bare = (columns[0]?.name ?? "").replace(/\s*[[(][^\])]*[\])]\s*$/, "").trim();
  const named = columns.length === 1 && /[a-z]{2}/i.test(bare);
  const nameless = (!named || GENERIC.test(bare)) && log.name === PASTED;
  return (nameless && before.length === 1 && before[0]) || (named ? bare : fileStem(log.name));
}

/** What has been measured in a study so far, as step / name: more of it is called the same. */
export function measuredBefore(study: Study): string[] {
  const named = study.answers.map((answer) => [...new Set(answer.stretch)].join(" / "));
  return [...new Set(named)].filter(Boolean);
}

/** A verdict needs so many runs a side. */
const FEWEST_RUNS = 2;

/** Whether runs that were let in before have a verdict: those of now are a look of their own then. */
export function hasVerdictOfBroughtIn(study: Study): boolean {
  if (study.runs.some((run) => run.origin === "measured" && run.round >= 0 && !run.left_out))
    return false; // rounds make the interval
  const counts = new Map<number, number>();
  for (const run of study.runs)
    if (run.origin === "brought in" && run.acceptance_reason && !run.left_out)
      counts.set(run.variant, (counts.get(run.variant) ?? 0) + 1);
  return [...counts.values()].filter((many) => many >= FEWEST_RUNS).length > 1;
}

/** Said where more is let in once there is a verdict. */
export const A_LOOK_OF_ITS_OWN =
  "There is a verdict already: what is let in now is another look at it, and its intervals become wider for that. " +
  "Bring the rest in at once.";

/** Whether one log can be read as another is: the same kind, with the same columns. */
export function alike(one: LogMapping, other: LogMapping): boolean {
  const columns = (mapping: LogMapping) => mapping.columns.map((column) => column.name).join("\n");
  return one.kind === other.kind && one.record === other.record && columns(one) === columns(other);
}

/** What is to be said yet before parts can be kept; empty where nothing is. */
export function stillMissing(said: {
  kept: number;
  variants: string[];
  /** Null where it is known. */
  program: string | null;
  stretch: string;
}): string {
  if (said.kept === 0) return "choose what becomes a run";
  if (said.variants.some((name) => !name.trim())) return "name the new variants";
  if (said.program !== null && !said.program.trim()) return "name the program that they are of";
  return said.stretch.trim() ? "" : "say what was measured";
}

interface Sitting {
  key: string;
  at: string;
  reason: string;
  /** Runs by variant, in the order of the study. */
  variants: [number, number[]][];
}

/** Runs that were brought in at once, the last first: they say the same but for their variant. */
export function sittingsOf(runs: Study["runs"]): Sitting[] {
  const found = new Map<string, { at: string; reason: string; runs: Study["runs"] }>();
  for (const run of runs) {
    const at = run.started ?? run.ended ?? "";
    const key = `${at} ${run.acceptance_reason}`;
    const sitting = found.get(key) ?? { at, reason: run.acceptance_reason, runs: [] };
    sitting.runs.push(run);
    found.set(key, sitting);
  }
  return [...found].map(([key, { at, reason, runs: some }]) => ({
    key,
    at,
    reason,
    variants: [...new Set(some.map((run) => run.variant))]
      .sort((one, other) => one - other)
      .map((variant): [number, number[]] => [
        variant,
        some.filter((run) => run.variant === variant).map((run) => run.id),
      ]),
  }));
}
