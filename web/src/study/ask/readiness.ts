/** What of a question is said, what is proposed and may stand, and what is still missing. */
import type { Try } from "../../api/asking";
import type { Study } from "../../api/client";
import type { Graduation } from "../../parts/Sheet";

type Variant = Study["variants"][number];

export interface Readiness {
  missing: string[];
  proposed: string[];
  canWait: string[];
  /** Whether all of it was measured elsewhere: it is brought in, and nothing is started. */
  elsewhere: boolean;
  /** Variants that can be measured as things stand. */
  startable: Variant[];
  /** Variants that stand in the way: not allowed, or they ended or failed when tried. */
  failing: Variant[];
  /** Those of them that only ended well, as a command does. */
  ending: Variant[];
  parts: Record<"program" | "variants" | "session" | "files" | "plan", Graduation>;
}

/** Whether a try says that a variant cannot be measured. */
export function failed(one: Try | undefined): boolean {
  return (
    one?.state === "ended" && !["finished", "aborted"].includes(one.outcome) && !neverStill(one)
  );
}

/** Whether a variant showed a window when it was tried, and drew on until the time was over. */
export function neverStill(one: Try | undefined): boolean {
  return one?.outcome === "cut off" && secondsOf(one, "shown") !== undefined;
}

/** How long a timing of a try took; none where it did not come to its end. */
export function secondsOf(tried: Try, name: string): number | undefined {
  return tried.timings.find((one) => one.path.at(-1) === name && !one.right_censored)?.seconds;
}

/** Whether no rig starts a variant: what was measured of it is brought in. */
export function isElsewhere(variant: Variant): boolean {
  return variant.on_rig.state === "elsewhere";
}

/** Whether a rig starts a variant as it is wanted, as far as is known. */
export function allowed(variant: Variant): boolean {
  return ["allowed", "no rig"].includes(variant.on_rig.state) || variant.runs > 0;
}

export function readiness(study: Study, tries: Try[]): Readiness {
  const tried = new Map(tries.map((one) => [one.variant, one]));
  const started = study.variants.filter((one) => !isElsewhere(one));
  const elsewhere = study.variants.length > 0 && started.length === 0;
  const command = study.session?.nature === "command";
  const fails = (one: Try | undefined) => failed(one) && !(command && one?.ended_well);
  const startable = started.filter(
    (one) => allowed(one) && (one.runs > 0 || !fails(tried.get(one.position))),
  );
  const failing = started.filter((one) => !startable.includes(one));
  const missing: string[] = [];
  if (!study.subject) missing.push("the program");
  if (study.variants.length < 2)
    missing.push(study.variants.length ? "something to compare it with" : "two variants");
  const ending = failing.filter((one) => tried.get(one.position)?.ended_well);
  const without = failing.filter((one) => !ending.includes(one));
  if (without.length) missing.push(`a start for ${listed(without.map((one) => one.name))}`);
  if (ending.length)
    missing.push(`a session for ${listed(ending.map((one) => one.name))}, without a window`);
  const measured = study.runs.length > 0;
  const proposed: string[] = [];
  const launchOnly = study.session?.parts.length === 2 && !study.session.file;
  if (launchOnly && !measured && !elsewhere) proposed.push("the session");
  if (!measured && !elsewhere) proposed.push("the plan");
  const canWait = study.profiles ? ["what you expect"] : ["what you expect, and for whom"];
  return {
    missing,
    proposed,
    canWait,
    elsewhere,
    startable,
    failing,
    ending,
    parts: {
      program: study.subject ? "said" : "missing",
      variants: study.variants.length < 2 || failing.length ? "missing" : "said",
      session: launchOnly && !measured ? "proposed" : "said",
      files: study.script.fixtures.length ? "said" : "proposed",
      plan: measured ? "said" : "proposed",
    },
  };
}

/** In two or three words, for the notch. */
export function askedInShort(study: Study): string {
  const ready = readiness(study, []);
  if (study.variants.length < 2) return `${ready.missing.length} missing`;
  if (ready.failing.length) return `${ready.missing.length} missing`;
  return `${study.variants.length} variants`;
}

/** `4.1 and 4.2`, `4.1, 4.2 and 5.0-rc1`. */
export function listed(names: string[]): string {
  if (names.length < 2) return names.join("");
  return `${names.slice(0, -1).join(", ")} and ${names.at(-1)}`;
}

/** The words of a command, each with whether it stands in the baseline's too. */
export function differing(command: string, baseline: string): { word: string; same: boolean }[] {
  const known = new Set(baseline.split(" "));
  return command.split(" ").map((word) => ({ word, same: known.has(word) }));
}

/** The part of a package's version that its maker chose: 1:2.3-4+deb12u1 becomes 2.3. */
export function makersVersion(version: string): string {
  return version.replace(/^\d+:/, "").replace(/-[^-]*$/, "");
}

/** Least and most minutes that a plan takes, from seconds a run takes. */
export function planMinutes(
  seconds: number,
  variants: number,
  plan: { stop: string; rounds: number; cap: number; cold_rounds: number; looks_at: number[] },
): [number, number] {
  const least = plan.stop === "fixed" ? plan.rounds : (plan.looks_at[0] ?? plan.cap);
  const most = plan.stop === "fixed" ? plan.rounds : plan.cap;
  const minutes = (rounds: number) => ((rounds + plan.cold_rounds) * variants * seconds) / 60;
  return [minutes(least), minutes(most)];
}
