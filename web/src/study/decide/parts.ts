/** What of the breakdowns is worth a place on the page. */
import type { Schemas } from "../../api/client";

type Breakdown = Pick<Schemas["Breakdown"], "change" | "parts">;

/** Whether more than one part moves: else the whole says it all. */
export function telling(one: Breakdown): boolean {
  const total = one.parts.reduce((sum, part) => sum + Math.abs(part.change), 0);
  return one.parts.filter((part) => Math.abs(part.change) > total * 0.02).length > 1;
}

/** The largest part of several breakdowns, so that their bars share one scale. */
export function extent(group: Breakdown[]): number {
  const sizes = group.flatMap((one) => one.parts.map((part) => Math.abs(part.change)));
  return Math.max(...sizes, 1e-12);
}
