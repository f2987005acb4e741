import { describe, expect, it } from "vitest";
import { restartOf, stepOf } from "./restart";

describe("a restart within a session", () => {
  const progress = { restarting_until: 1_800_000_000, restarting_by_hand: true };

  it("is told with who does it and until when it is waited for", () => {
    expect(restartOf({ state: "running", progress })).toEqual({
      until: new Date(1_800_000_000_000),
      byHand: true,
    });
    const byItself = { restarting_until: 1_800_000_000 };
    expect(restartOf({ state: "running", progress: byItself })?.byHand).toBe(false);
  });

  it("is none where the rig says nothing of it, or the run has ended", () => {
    expect(restartOf({ state: "running", progress: { step: "Open" } })).toBeNull();
    expect(restartOf({ state: "measured", progress })).toBeNull();
  });

  it("leaves the run in the step that asked for it, also for pages opened meanwhile", () => {
    const run = { state: "running" as const, progress: { ...progress, step: "Again" } };
    expect(stepOf(run, null)).toBe("Again");
    expect(stepOf(run, { step: "Open" })).toBe("Open");
    expect(stepOf({ state: "running", progress: { step: "Again" } }, null)).toBe(
      "is being prepared",
    );
    expect(stepOf(undefined, { step: "" })).toBe("starting");
  });
});
