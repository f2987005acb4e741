/** In which order the sessions of a table stand: as they were added, or by one of its columns. */
import type { SessionTable, SetSession } from "../api/sessions";

/** `added`, `share`, or the position of a candidate whose gain sorts. */
export type SortBy = "added" | "share" | number;

export function sorted(sessions: SetSession[], by: SortBy, pinned: number[]): SetSession[] {
  const value = (one: SetSession) =>
    by === "share" ? (one.share ?? -1) : (one.differences[by as number]?.gain ?? -Infinity);
  const ordered =
    by === "added" ? [...sessions] : [...sessions].sort((a, b) => value(b) - value(a));
  return [
    ...ordered.filter((one) => pinned.includes(one.study)),
    ...ordered.filter((one) => !pinned.includes(one.study)),
  ];
}

/** The next thing to sort by: as added, by share, then each candidate in turn. */
export function nextSort(by: SortBy, candidates: number[]): SortBy {
  const all: SortBy[] = ["added", "share", ...candidates];
  return all[(all.indexOf(by) + 1) % all.length] ?? "added";
}

/** The variants at a place of a session: ties share it. */
export function atPlace(places: readonly number[] | null, place: number): number[] {
  return (places ?? []).flatMap((one, variant) => (one === place ? [variant] : []));
}

/** The table as rows for a spreadsheet: a line for each variant of each session, then the means. */
export function tableRows(table: SessionTable): (string | number)[][] {
  const rows: (string | number)[][] = [];
  for (const session of table.sessions)
    for (const [variant, name] of table.variants.entries()) {
      const difference = session.differences[variant];
      rows.push([
        session.title,
        session.share ?? "",
        session.label,
        name,
        session.runs[variant] ?? "",
        session.values[variant] ?? "",
        variant === table.baseline ? "baseline" : (difference?.verdict ?? ""),
        factor(difference?.gain),
        factor(difference?.low),
        factor(difference?.high),
        session.places?.[variant] ?? "",
      ]);
    }
  for (const mean of table.means)
    for (const one of mean.candidates)
      rows.push([
        `${mean.name}, ${mean.about}`, "", "", table.variants[one.candidate] ?? "", "", "",
        one.verdict, factor(one.gain), factor(one.low), factor(one.high), "",
      ]); // biome-ignore format: as many columns as above
  return rows;
}

export const TABLE_NAMES = [
  "session",
  "share of a day, %",
  "metric",
  "variant",
  "runs",
  "reading",
  "verdict",
  "times as good",
  "low",
  "high",
  "place",
];

function factor(gain: number | null | undefined): number | "" {
  return gain == null ? "" : Math.exp(gain);
}
