/** A job as the page asks for it: kept in the address, so that a link holds it. */

export interface JobKind {
  name: string;
  /** Studies of the set that measured such items. */
  sessions: number[];
  items: number;
  /** Percent of the items. */
  affected: number;
}

export interface JobAsked {
  candidate: number;
  metric: string;
  period: string;
  kinds: JobKind[];
  /** What all work of the period takes, s; 0 where nobody said. */
  whole: number;
  /** A change of less does not matter, s; 0 where nobody said. */
  threshold: number;
}

export const PERIODS = ["a day", "a week", "the whole job"];

/** The job to begin with: ten items a day of each session, all affected. */
export function firstJob(
  sessions: { study: number; title: string }[],
  candidate: number,
): JobAsked {
  return {
    candidate,
    metric: "",
    period: "a day",
    kinds: sessions.map((one) => ({
      name: one.title,
      sessions: [one.study],
      items: 10,
      affected: 100,
    })),
    whole: 0,
    threshold: 0,
  };
}

/** The job that an address holds; null where it holds none that can be understood. */
export function jobFrom(text: string | null): JobAsked | null {
  if (!text) return null;
  try {
    const found = JSON.parse(text) as JobAsked;
    return Array.isArray(found.kinds) && typeof found.candidate === "number" ? found : null;
  } catch {
    return null;
  }
}

/** Whether two jobs ask the same; what one leaves unsaid is as usual. */
export function sameJob(one: Partial<JobAsked>, other: Partial<JobAsked>): boolean {
  const said = (job: Partial<JobAsked>) => [
    job.candidate,
    job.metric ?? "",
    job.period ?? "a day",
    job.whole ?? 0,
    job.threshold ?? 0,
    (job.kinds ?? []).map((kind) => [kind.name, kind.items, kind.affected ?? 100, kind.sessions]),
  ];
  return JSON.stringify(said(one)) === JSON.stringify(said(other));
}

/** A number that somebody typed: at least 0, null where it is none. */
export function typed(text: string): number | null {
  const value = Number(text.trim().replace(",", "."));
  return text.trim() !== "" && Number.isFinite(value) && value >= 0 ? value : null;
}
