import { describe, expect, it } from "vitest";
import { inASentence, inShort } from "./standing";

const none = { runs: 16, found: 0, unsettled: 0, grave: 0, settled: 0 };

describe("how a sheet stands", () => {
  it("names the gravest first", () => {
    expect(inShort({ ...none, unsettled: 3, grave: 1 })).toBe("1 held back");
    expect(inShort({ ...none, unsettled: 3 })).toBe("3 to settle");
    expect(inShort({ ...none, settled: 2 })).toBe("2 settled");
    expect(inShort(none)).toBe("alike");
    expect(inShort({ ...none, runs: 0 })).toBe("nothing yet");
  });

  it("says what follows from it", () => {
    expect(inASentence({ ...none, unsettled: 1, grave: 1 })).toContain("held back until");
    expect(inASentence({ ...none, unsettled: 1 })).toContain("1 difference between the runs needs");
    expect(inASentence({ ...none, unsettled: 2 })).toContain("2 differences between the runs need");
    expect(inASentence(none)).toContain("as far as is known");
  });
});
