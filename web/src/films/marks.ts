/** Marks on a film: which timing is next, what a mark changes, what lies around a picture. */
import type { FilmCourse, FilmMark, FilmRegion } from "../api/footage";

/** So many new pictures are more than a click shows. */
const MANY = 4;

export const same = (one: string[], other: string[]) => one.join("\n") === other.join("\n");

/** The marks with one end of a timing set; the timing is added where there is none. */
export function withMark(
  marks: FilmMark[],
  path: string[],
  end: "start" | "end",
  picture: number | null,
  region: FilmRegion | null = null,
): FilmMark[] {
  const there = marks.find((mark) => same(mark.path, path));
  if (!there) return [...marks, { path, start: null, end: null, [end]: picture, region }];
  return marks.map((mark) => (mark === there ? { ...mark, [end]: picture, region } : mark));
}

/** The first timing whose start or end is missing, from one on; the same one where none is. */
export function nextOpen(paths: string[][], marks: FilmMark[], from: number): number {
  const order = paths.map((_, n) => (from + n) % paths.length);
  return order.find((n) => !whole(marks, paths[n] ?? [])) ?? from;
}

export function whole(marks: FilmMark[], path: string[]): boolean {
  const mark = marks.find((one) => same(one.path, path));
  return mark !== undefined && mark.start !== null && mark.end !== null;
}

/** The pictures that begin and end bursts of changes, in order. */
export function edges(course: FilmCourse): number[] {
  return [...new Set(course.bursts.flatMap((burst) => [burst.first, burst.last]))].sort(
    (a, b) => a - b,
  );
}

/** The next of some pictures after one, or the last before it; null where there is none. */
export function beyond(pictures: number[], at: number, way: 1 | -1): number | null {
  if (way > 0) return pictures.find((one) => one > at) ?? null;
  return pictures.findLast((one) => one < at) ?? null;
}

/**
 * What is proposed for the open end of a timing: where the next burst begins, and for its end where
 * the burst that it starts in ends. A burst of few new pictures, as a button shows a click, is only
 * what it starts with. A frame stretch (`frames`) ends with the last new picture.
 */
export function proposal(
  course: FilmCourse,
  mark: FilmMark | undefined,
  at: number,
  frames = false,
): { end: "start" | "end"; picture: number } | null {
  const start = mark?.start ?? null;
  if (start === null) {
    const burst = course.bursts.find((one) => one.first >= at);
    return burst ? { end: "start", picture: burst.first } : null;
  }
  if (mark?.end != null) return null;
  const around = course.bursts.find((one) => one.last > start);
  const drawn = course.new.filter((one) => around && one >= around.first && one <= around.last);
  if (around && (frames || (around.first <= start && drawn.length >= MANY)))
    return { end: "end", picture: around.last };
  const after = course.bursts.find((one) => one.first > start);
  return after ? { end: "end", picture: after.first } : null;
}
