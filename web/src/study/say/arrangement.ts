/** How a report is arranged: moving, leaving out and putting back sections, as what is sent. */
import type { Arrangement, Report } from "../../api/report";

/** What is kept of a report as it is shown. */
export function arrangementOf(report: Report): Arrangement {
  const { sections } = report;
  return {
    revision: report.revision,
    order: sections.map((section) => section.key),
    on: sections.filter((one) => one.on && !one.usual).map((one) => one.key),
    off: sections.filter((one) => !one.on).map((one) => one.key),
    words: Object.fromEntries(
      sections.flatMap((one) => (one.words ? [[one.key, one.words.text]] : [])),
    ),
  };
}

/** The same with a section at another place among those that are shown; `by` is −1 or 1. */
export function moved(report: Report, key: string, by: number): Arrangement {
  const shown = report.sections.filter((one) => one.on && (one.html || one.key === key));
  const from = shown.findIndex((one) => one.key === key);
  const other = shown[from + by];
  if (!other) return arrangementOf(report);
  return placed(report, key, other.key, by > 0);
}

/** The same with a section before or behind another one. */
export function placed(report: Report, key: string, at: string, behind: boolean): Arrangement {
  const arrangement = arrangementOf(report);
  const order = arrangement.order.filter((one) => one !== key);
  const place = order.indexOf(at) + (behind ? 1 : 0);
  order.splice(place, 0, key);
  return { ...arrangement, order };
}

/** The same with a section left out or put back. */
export function toggled(report: Report, key: string): Arrangement {
  const sections = report.sections.map((one) =>
    one.key === key && !one.fixed ? { ...one, on: !one.on } : one,
  );
  return arrangementOf({ ...report, sections });
}

/** The same with other words at a section. */
export function worded(report: Report, key: string, text: string): Arrangement {
  const arrangement = arrangementOf(report);
  return { ...arrangement, words: { ...arrangement.words, [key]: text } };
}

/** What was begun with # before the caret, to be completed; null where nothing was. */
export function begunReference(
  text: string,
  caret: number,
): { from: number; typed: string } | null {
  const before = text.slice(0, caret);
  const found = /#([^#{}\n]*)$/.exec(before);
  return found ? { from: caret - found[0].length, typed: (found[1] ?? "").toLowerCase() } : null;
}
