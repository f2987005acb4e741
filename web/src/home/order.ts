/** In which order studies stand on Home. */
import type { StudySummary } from "../api/client";

export const ORDERS = {
  new: "newest first",
  needs: "needs a person",
  changed: "changed last",
} as const;
export type Order = keyof typeof ORDERS;
const NAMES = Object.keys(ORDERS) as Order[];

export function orderOf(asked: string | null): Order {
  return NAMES.find((name) => name === asked) ?? "new";
}

export function nextOrder(order: Order): Order {
  return NAMES[(NAMES.indexOf(order) + 1) % NAMES.length] as Order;
}

/** How much of a study waits for a person: what holds verdicts back before all else. */
function waiting(study: StudySummary): number {
  return 1000 * study.match.grave + study.match.open + study.troubles + study.unread;
}

/** Studies sorted; those that are alike stay newest first, as they are given. */
export function inOrder(studies: StudySummary[], order: Order): StudySummary[] {
  if (order === "new") return studies;
  const rank =
    order === "needs"
      ? waiting
      : (study: StudySummary) => (study.changed ? Date.parse(study.changed) : 0);
  return [...studies].sort((a, b) => rank(b) - rank(a));
}
