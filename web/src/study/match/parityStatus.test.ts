import { describe, expect, it } from "vitest";
import { inASentence, inShort } from "./parityStatus";

const none = { runs: 16, found: 0, open: 0, grave: 0, waived: 0 };

describe("how a sheet stands", () => {
  it("names the gravest first", () => {
    expect(inShort({ ...none, open: 3, grave: 1 })).toBe("1 held back");
    expect(inShort({ ...none, open: 3 })).toBe("3 to settle");
    expect(inShort({ ...none, waived: 2 })).toBe("2 settled");
    expect(inShort(none)).toBe("alike");
    expect(inShort({ ...none, runs: 0 })).toBe("nothing yet");
  });

  it("says what follows from it", () => {
    expect(inASentence({ ...none, open: 1, grave: 1 })).toContain("held back until");
    expect(inASentence({ ...none, open: 1 })).toContain("1 difference between the runs needs");
    expect(inASentence({ ...none, open: 2 })).toContain("2 differences between the runs need");
    expect(inASentence(none)).toContain("as far as is known");
  });
});
