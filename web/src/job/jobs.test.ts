import { describe, expect, it } from "vitest";
import { firstJob, jobFrom, sameJob, typed } from "./jobs";

describe("a job", () => {
  it("begins with ten items a day of each session", () => {
    const job = firstJob([{ study: 4, title: "Open" }], 1);
    expect(job.kinds).toEqual([{ name: "Open", sessions: [4], items: 10, affected: 100 }]);
  });

  it("is held by the address, and nothing else in it is taken for one", () => {
    const job = firstJob([{ study: 4, title: "Open" }], 1);
    expect(jobFrom(JSON.stringify(job))).toEqual(job);
    for (const odd of [null, "", "{", "7", '{"kinds":7}']) expect(jobFrom(odd)).toBeNull();
  });

  it("is the same where it asks the same, whatever is left unsaid", () => {
    const { whole, threshold, ...rest } = firstJob([{ study: 4, title: "Open" }], 1);
    expect(sameJob({ ...rest, whole, threshold }, rest)).toBe(true);
    expect(sameJob({ ...rest, candidate: 2 }, rest)).toBe(false);
    expect(sameJob({ ...rest, kinds: [] }, rest)).toBe(false);
  });

  it("takes numbers as people type them", () => {
    expect(typed("2,5")).toBe(2.5);
    expect([typed(""), typed("-1"), typed("many")]).toEqual([null, null, null]);
  });
});
