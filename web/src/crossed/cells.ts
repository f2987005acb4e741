/** What the cells of two factors say together, and how one goes from one to the next. */
import type { CrossedCell } from "../api/crossing";

export const WORKS = ["works", "works with a remark", "cannot open", "does not start"];

/** `3 of 4 cells work, one with a remark; 4.1 quick cannot open.` */
export function inShort(cells: readonly CrossedCell[]): string {
  const measured = cells.filter((cell) => cell.state !== "not measured");
  if (!measured.length) return "Nothing is measured yet.";
  const remarks = measured.filter((cell) => cell.state === WORKS[1]).length;
  const works = measured.filter((cell) => cell.state === WORKS[0]).length + remarks;
  const broken = measured
    .filter((cell) => WORKS.indexOf(cell.state) > 1)
    .map((cell) => `${cell.variant} ${cell.state}`);
  const open = cells.length - measured.length;
  const parts = [
    `${works} of ${measured.length} measured cells work${remarks ? `, ${remarks} with a remark` : ""}`,
    ...broken,
    ...(open ? [`${open} not measured`] : []),
  ];
  return `${parts.join("; ")}.`;
}

/** The cell so many rows and columns on; the last one stays at the edge. */
export function cellBeside(
  from: { row: number; column: number },
  rows: number,
  columns: number,
  size: { rows: number; columns: number },
): { row: number; column: number } {
  const within = (value: number, most: number) => Math.min(Math.max(0, value), most - 1);
  return {
    row: within(from.row + rows, size.rows),
    column: within(from.column + columns, size.columns),
  };
}

/** Where a cell's picture is; `asOf` has a browser ask anew once it has changed. */
export function pictureOf(study: number, cell: CrossedCell, asOf: number): string {
  return `/api/studies/${study}/works/${cell.position}/picture?as-of=${asOf}`;
}
