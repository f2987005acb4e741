/** Numbers as people keep them in a sheet: a line a variant, its name first, then its numbers. */

export interface Typed {
  numbers: { variant: number; value: number }[];
  /** What is wrong, by line; empty where all can be read. */
  problems: string[];
}

/**
 * Read lines such as `4.1, 1240, 1251` or `"4.2";2040`; tabs, semicolons and commas part. A first
 * line of names, as files have one, is passed over.
 */
export function typedNumbers(text: string, variants: string[]): Typed {
  const numbers: Typed["numbers"] = [];
  const problems: string[] = [];
  const lines = text.split("\n").map((line) => line.trim());
  for (const [n, line] of lines.entries()) {
    if (!line) continue;
    const [name = "", ...values] = line.split(/[\t;]|,(?=\s|[^\s])/).map(unquoted);
    const variant = variants.findIndex((one) => one.toLowerCase() === name.toLowerCase());
    if (variant < 0 && n === 0 && !values.some((one) => one && Number.isFinite(Number(one))))
      continue;
    if (variant < 0) problems.push(`line ${n + 1}: no variant is called “${name}”`);
    else if (!values.some((one) => one !== ""))
      problems.push(`line ${n + 1}: no number after ${name}`);
    else
      for (const value of values.filter((one) => one !== ""))
        if (Number.isFinite(Number(value))) numbers.push({ variant, value: Number(value) });
        else problems.push(`line ${n + 1}: “${value}” is no number; write decimals with a dot`);
  }
  return { numbers, problems };
}

function unquoted(cell: string): string {
  return cell.trim().replace(/^"(.*)"$/, "$1");
}
