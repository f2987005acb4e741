/** Where a figure of the Decide notch leads: to its row under Read, with the same baseline. */
import type { Decision, Study } from "../../api/client";

export function readLink(
  study: Study,
  decision: Decision,
  place: { metric: string; stretch: string[] },
): string {
  const asked = new URLSearchParams({ row: [place.metric, ...place.stretch].join("~") });
  if (decision.baseline !== study.baseline) asked.set("baseline", String(decision.baseline));
  return `/studies/${study.id}/read?${asked}`;
}
