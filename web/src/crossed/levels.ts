/** Levels of two factors as the names of variants propose them, and where cells stand on the page. */

export interface Levels {
  first: string;
  second: string;
}

/** What names such as `4.2` and `4.2 quick` say: the part they share, and what comes after it. */
export function proposedLevels(names: string[]): Levels[] {
  const first = names.map((name) => {
    const shared = names.filter((other) => name.startsWith(`${other} `));
    return shared.sort((a, b) => b.length - a.length)[0] ?? null;
  });
  return names.map((name, n) => {
    const base = first[n];
    if (base) return { first: base, second: name.slice(base.length + 1) };
    const [head = name, ...rest] = name.split(" ");
    const cut =
      rest.length > 0 && names.some((other) => other !== name && other.startsWith(`${head} `));
    return cut ? { first: head, second: rest.join(" ") } : { first: name, second: "usual" };
  });
}

/** Rows of the page from top to bottom: a row of cells, then what lies between it and the next. */
export function gridRow(row: number): number {
  return 2 + 2 * row;
}

/** Columns of the page: the levels' names, then cells with what lies between them. */
export function gridColumn(column: number): number {
  return 2 + 2 * column;
}

/** The levels in the order of the page: the baseline's first. */
export function baseFirst(count: number, base: number): number[] {
  return [base, ...Array.from({ length: count }, (_, n) => n).filter((n) => n !== base)];
}
