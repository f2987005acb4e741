/** A line of releases as stairs: stretches of one level, and the changes between them. */
import type { LineChange, MetricLine } from "../api/lines";

/** Releases from `first` to `last` (by number, measured ones at both ends) at one level. */
export interface Stair {
  first: number;
  last: number;
  level: number;
}

/** The stretches between a metric's changes, oldest first. */
export function stairs(metric: MetricLine): Stair[] {
  const starts = new Set(metric.changes.map((change) => change.release));
  const found: Stair[] = [];
  for (const point of metric.points) {
    const last = found.at(-1);
    if (!last || starts.has(point.release))
      found.push({ first: point.release, last: point.release, level: point.level });
    else last.last = point.release;
  }
  return found;
}

/** Where a change is drawn, in releases from the oldest: between those it separates. */
export function edgeOf(change: LineChange, metric: MetricLine): number {
  const before = metric.points.findLast((point) => point.release < change.release);
  return ((before?.release ?? change.release - 1) + change.release) / 2;
}

/** The furthest that anything of a metric lies from the anchor. */
export function furthest(metric: MetricLine): number {
  const sizes = metric.points.flatMap((point) => [Math.abs(point.gain), Math.abs(point.level)]);
  return Math.max(0.05, ...sizes.filter(Number.isFinite));
}

/** The metrics worth a column of their own beside the chosen one: those that changed. */
export function beside(metrics: MetricLine[], chosen: MetricLine, most: number): MetricLine[] {
  return metrics
    .filter((one) => one !== chosen && one.changes.length > 0)
    .sort((a, b) => Number(b.primary) - Number(a.primary) || b.largest - a.largest)
    .slice(0, most);
}

/** What the changes of all metrics say in a few words: `9 of 47 metrics changed`. */
export function changed(metrics: MetricLine[]): { changed: MetricLine[]; same: MetricLine[] } {
  return {
    changed: metrics.filter((one) => one.changes.length > 0),
    same: metrics.filter((one) => one.changes.length === 0),
  };
}
