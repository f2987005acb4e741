import { describe, expect, it } from "vitest";
import type { Try } from "../../api/asking";
import type { Study } from "../../api/client";
import {
  askedInShort,
  differing,
  listed,
  makersVersion,
  neverStill,
  planMinutes,
  readiness,
} from "./readiness";
import { commandName, matching } from "./WaysIn";

type Variant = Study["variants"][number];

const variant = (position: number, state: Variant["on_rig"]["state"] = "allowed"): Variant => ({
  id: position,
  name: `4.${position}`,
  program: "weftwright",
  command: `weftwright --release 4.${position}`,
  start: {},
  on_rig: { state, detail: "", line: "" },
  runs: 0,
  state: "",
  tags: [],
  position,
});

const study = (variants: Variant[], more: Partial<Study> = {}) =>
  ({
    subject: "Weftwright",
    variants,
    runs: [],
    profiles: 0,
    session: { parts: ["launch", "close"], file: "", by_keys: false, nature: "still" },
    script: { fixtures: [] },
    ...more,
  }) as unknown as Study;

const tried = (position: number, outcome: string) =>
  ({ variant: position, state: "ended", outcome }) as Try;

describe("what is missing of a question", () => {
  it("begins with everything", () => {
    const ready = readiness(study([], { subject: "" }), []);
    expect(ready.missing).toEqual(["the program", "two variants"]);
    expect(ready.parts.program).toBe("missing");
    expect(askedInShort(study([], { subject: "" }))).toBe("2 missing");
  });

  it("is nothing once two variants can be started; the rest is proposed", () => {
    const ready = readiness(study([variant(0), variant(1)]), []);
    expect(ready.missing).toEqual([]);
    expect(ready.proposed).toEqual(["the session", "the plan"]);
    expect(ready.startable.map((one) => one.name)).toEqual(["4.0", "4.1"]);
  });

  it("asks for no start of what was measured elsewhere", () => {
    const away = { ...variant(0, "elsewhere"), command: "" };
    const whole = readiness(study([away, { ...away, position: 1 }]), []);
    expect([whole.elsewhere, whole.missing, whole.proposed, whole.startable]).toEqual([
      true,
      [],
      [],
      [],
    ]);
    const mixed = readiness(study([away, variant(1)]), []);
    expect([mixed.elsewhere, mixed.missing]).toEqual([false, []]);
    expect(mixed.startable.map((one) => one.name)).toEqual(["4.1"]);
    expect(readiness(study([]), []).elsewhere).toBe(false);
  });

  it("names a variant that may not be started, or ended when it was tried", () => {
    const three = study([variant(0), variant(1, "refused"), variant(2)]);
    const ready = readiness(three, [tried(0, "finished"), tried(2, "crashed")]);
    expect(ready.failing.map((one) => one.name)).toEqual(["4.1", "4.2"]);
    expect(ready.missing).toEqual(["a start for 4.1 and 4.2"]);
  });

  it("can measure what was shown and drew on and on, but not what showed nothing", () => {
    const timings = [{ path: ["Start", "shown"], seconds: 0.4, right_censored: false }];
    const moving = { ...tried(0, "cut off"), timings } as unknown as Try;
    const silent = { ...tried(1, "cut off"), timings: [] } as unknown as Try;
    expect([neverStill(moving), neverStill(silent)]).toEqual([true, false]);
    const ready = readiness(study([variant(0), variant(1)]), [moving, silent]);
    expect(ready.startable.map((one) => one.name)).toEqual(["4.0"]);
  });

  it("can measure a command that ended well, once the session waits for its end", () => {
    const ended = { ...tried(0, "crashed"), ended_well: true } as unknown as Try;
    const two = [variant(0), variant(1)];
    expect(readiness(study(two), [ended]).missing).toEqual(["a session for 4.0, without a window"]);
    const session = { parts: ["launch"], file: "", by_keys: false, nature: "command" } as const;
    const ready = readiness(study(two, { session } as unknown as Partial<Study>), [ended]);
    expect([ready.missing, ready.proposed]).toEqual([[], ["the plan"]]);
  });

  it("trusts what was measured more than a try", () => {
    const known = { ...variant(1, "differs"), runs: 4 };
    expect(readiness(study([variant(0), known]), [tried(1, "crashed")]).failing).toEqual([]);
  });
});

describe("words of the sheet", () => {
  it("lists names as a person would", () => {
    expect(listed(["a"])).toBe("a");
    expect(listed(["a", "b", "c"])).toBe("a, b and c");
  });

  it("tells which words of a command differ", () => {
    const words = differing("weft --x=2 a", "weft --x=1 a");
    expect(words.filter((one) => !one.same).map((one) => one.word)).toEqual(["--x=2"]);
  });

  it("leaves out what a distribution adds to a version", () => {
    expect(makersVersion("1:2.3.1-4+deb12u1")).toBe("2.3.1");
    expect(makersVersion("0.9")).toBe("0.9");
  });

  it("calls a command by its program, whatever is set before it", () => {
    expect(commandName("LANG=C /opt/weft/bin/weftwright --a=b")).toBe("weftwright");
    expect(commandName("")).toBe("");
  });

  it("finds programs by name first", () => {
    const made = (name: string, command: string) => ({
      id: name,
      name,
      command: [command],
      icon: "",
      package: "",
      version: "",
    });
    const found = matching([made("Sweft", "sweft"), made("Weft", "x"), made("Other", "y")], "weft");
    expect(found.map((one) => one.name)).toEqual(["Weft", "Sweft"]);
  });

  it("says how long a plan takes at least and at most", () => {
    const plan = { stop: "decided", rounds: 8, cap: 20, cold_rounds: 1, looks_at: [5, 8, 12, 20] };
    expect(planMinutes(10, 2, plan)).toEqual([2, 7]);
  });
});
