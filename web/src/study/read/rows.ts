/** The board's rows as shown: grouped by step, named so that each can be told from its neighbours. */
import type { Row } from "../../api/client";
import { count } from "../../parts/text";

/** A metric of a stretch, whatever else is known of it. */
export type Named = Pick<Row, "metric" | "stretch" | "name">;

export interface Group<One extends Named> {
  step: string;
  rows: One[];
}

/** Rows by the step they belong to, in the order of the session. */
export function byStep<One extends Named>(rows: One[]): Group<One>[] {
  const groups = new Map<string, One[]>();
  for (const row of rows) {
    const step = row.stretch[0] ?? "";
    groups.set(step, [...(groups.get(step) ?? []), row]);
  }
  return [...groups].map(([step, inside]) => ({ step, rows: inside }));
}

/** Names a row in addresses: its metric and stretch. */
export function rowKey(row: Named): string {
  return [row.metric, ...row.stretch].join("~");
}

/** What a row is called within its group, and how far it is indented. */
export function rowName(row: Named): { name: string; of: string; depth: number } {
  const depth = Math.max(0, row.stretch.length - 2);
  if (row.metric === "duration") return { name: row.stretch.at(-1) ?? "", of: "", depth };
  const of = row.metric === "processor_seconds" && row.stretch.length > 1 ? row.stretch.at(-1) : "";
  return { name: row.name, of: of ?? "", depth };
}

/** Whether some candidate is clearly better or worse here. */
export function matters(row: Row): boolean {
  return row.differences.some((d) => d?.verdict === "ahead" || d?.verdict === "behind");
}

/** Metrics that say the fact of another one in another form, by the key of the row they echo. */
export function echoes(rows: Row[]): Map<string, Row[]> {
  const found = new Map<string, Row[]>();
  for (const row of rows) {
    if (!row.echo_of || !row.judged) continue;
    const lead = [row.echo_of, ...row.stretch].join("~");
    found.set(lead, [...(found.get(lead) ?? []), row]);
  }
  return found;
}

/** The echoes whose verdict on a shown candidate is another than that of their lead. */
export function differing(lead: Row, found: Row[], candidates: number[]): Row[] {
  return found.filter((echo) =>
    candidates.some((index) => {
      const own = echo.differences[index]?.verdict;
      return own !== undefined && own !== lead.differences[index]?.verdict;
    }),
  );
}

/** How the echoes of a row stand to it: `4 echoes, 2 not compared`, `3 echoes, 1 differs: evenness`. */
export function echoWords(found: Row[], others: Row[], candidates: number[]): string {
  const number = count(found.length, "echo", "echoes");
  if (others.length)
    return `${number}, ${others.length} ${others.length === 1 ? "differs" : "differ"}: ${others[0]?.name}`;
  const left = found.filter((row) => !candidates.some((index) => row.differences[index])).length;
  if (left) return `${number}, ${left} not compared`;
  return `${number} ${found.length === 1 ? "agrees" : "agree"}`;
}

/** The key of the row that an echo stands under; empty for any other row, and for none. */
export function leadOf(rows: Row[], key: string | null): string {
  const row = rows.find((one) => rowKey(one) === key);
  return row?.echo_of ? [row.echo_of, ...row.stretch].join("~") : "";
}

/** Whether a metric that would be counted under another is counted by itself. */
export function standsByChoice(row: Row, rows: Row[]): boolean {
  return (
    row.counted &&
    !row.deciding &&
    row.follows_from !== "" &&
    rows.some((one) => sameFact(row, one) && one !== row)
  );
}

/** Whether two metrics of one stretch say the same fact. */
function sameFact(one: Row, other: Row): boolean {
  return (
    one.judged &&
    other.judged &&
    one.stretch.join("~") === other.stretch.join("~") &&
    (one.follows_from || one.metric) === (other.follows_from || other.metric)
  );
}

/** In a sentence: whether a metric counts in what a variant is ahead or behind on, and why. */
export function whyCounted(row: Row, rows: Row[]): string {
  if (row.not_judged) return `Not judged: ${row.not_judged}.`;
  if (!row.judged)
    return row.can_count
      ? "Set aside in this study: shown, and not judged."
      : "Says something about the session or the machine: shown, and not judged.";
  const others = rows.filter((one) => one !== row && sameFact(row, one));
  if (row.deciding) return "Counted: the question is about it.";
  if (row.echo_of) {
    const lead = others.find((one) => one.metric === row.echo_of);
    return `Not counted: it says what ${lead?.name ?? row.echo_of} says, in another form.`;
  }
  const folded = others.filter((one) => one.echo_of === row.metric);
  if (folded.length)
    return `Counted once, for ${count(folded.length + 1, "metric")} that say the same in different forms.`;
  if (standsByChoice(row, rows)) return "Counted by itself, for somebody here chose so.";
  return "Counted: no other metric of this step says the same.";
}

/** Families in the order in which they are read, and what they are called. */
export const FAMILY_NAMES: Record<string, string> = {
  times: "Times",
  frames: "Frames",
  latency: "Latency",
  processor: "Processor and processes",
  graphics: "Graphics",
  memory: "Memory",
  energy: "Energy and heat",
  size: "Disk and network",
  reported: "Said by the program or the rig",
};
export const FAMILY_ORDER = Object.keys(FAMILY_NAMES);

/** Rows by their family; `step` holds its key. */
export function byFamily(rows: Row[]): Group<Row>[] {
  return FAMILY_ORDER.map((family) => ({
    step: family,
    rows: rows.filter((row) => row.family === family),
  })).filter((group) => group.rows.length > 0);
}

/** Whether a row needs its step named: `launch` in the step Launch needs none. */
export function inStep(row: Named): boolean {
  const { name, of } = rowName(row);
  return row.stretch.length > 1 && row.stretch[0]?.toLowerCase() !== (of || name).toLowerCase();
}
