import { expect, test } from "vitest";
import { choices, helpFor } from "./reference";

const TEXT = `session "S"
  fixture draft = "a.weft"
  set gap = 50ms
  place cloth = 1,2

step "One"
  start
`;
const words = (line: string, text = TEXT + line) => choices(line, text).map((c) => c.word);

test("a line begins with a statement, in the head with what belongs there", () => {
  expect(words("  pr")).toContain("press");
  expect(words("  fi", 'session "S"\n  fi')).toEqual([
    "fixture",
    "set",
    "place",
    "fact",
    "ladder",
    "every",
  ]);
  expect(words("st")).toContain("step");
});

test("conditions, places, values and states stand where they may", () => {
  expect(words("  until ")).toContain("picture");
  expect(words("  click at ")).toEqual(["cloth"]);
  expect(words('  type "{')).toEqual(["draft", "gap"]);
  expect(words('  until window "W" is ')).toEqual(["shown", "gone", "steady"]);
  expect(words("  press Ctrl+")).toContain("Enter");
  expect(words('  type "hello')).toEqual([]);
});

test("windows come from the last rehearsal, pictures from the fixtures", () => {
  const seen = choices('  until window "We', TEXT, ["Weftwright", "Weftwright", "Save as"]);
  expect(seen.map((one) => one.word)).toEqual(["Weftwright", "Save as"]);
  expect(words('  until picture looks like "')).toEqual(["a.weft"]);
  expect(words("  until picture ")).toEqual(["is", "looks", "at", "except"]);
});

test("below `every run` stands what a run needs", () => {
  const head = 'session "S"\n  every run\n    re';
  expect(choices("    re", head).map((one) => one.word)).toContain("require");
});

test("names of timings are offered again", () => {
  expect(words("  time ", `${TEXT}  time open\n    press a\n`)).toEqual(["open"]);
});

test("every word has its help", () => {
  expect(helpFor("until")?.says).toContain("became true");
  expect(helpFor("nothing")).toBeUndefined();
});
