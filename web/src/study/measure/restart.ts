/** What a run's progress says of a restart of its machine. */
import type { RunSummary } from "../../api/client";

export interface Restart {
  /** Until when its rig may be away before the session is cut off. */
  until: Date;
  /** A person switches the machine off and on. */
  byHand: boolean;
}

export function restartOf(run: Pick<RunSummary, "state" | "progress">): Restart | null {
  const { restarting_until: until, restarting_by_hand: byHand } = run.progress;
  if (run.state !== "running" || typeof until !== "number") return null;
  return { until: new Date(until * 1000), byHand: byHand === true };
}

/** Where a run is, in a word or two: in a step, in one that goes on after a restart, or before all. */
export function stepOf(
  run: Pick<RunSummary, "state" | "progress"> | undefined,
  live: { step: string } | null,
): string {
  if (live) return live.step || "starting";
  const kept = run && restartOf(run) ? run.progress.step : null;
  return typeof kept === "string" && kept ? kept : "is being prepared";
}
