import { describe, expect, it } from "vitest";
import { typedNumbers } from "./typed";

const NAMES = ["4.1", "5.0-rc1"];

describe("numbers from a sheet", () => {
  it("are a line a variant, with its repeats", () => {
    expect(typedNumbers("4.1, 1240, 1251.5\n\n5.0-RC1;2040", NAMES)).toEqual({
      numbers: [
        { variant: 0, value: 1240 },
        { variant: 0, value: 1251.5 },
        { variant: 1, value: 2040 },
      ],
      problems: [],
    });
    expect(typedNumbers("4.1\t7\t8", NAMES).numbers).toHaveLength(2);
  });

  it("come from a file with a line of names and quotes too", () => {
    const file = 'variant,score\r\n"4.1",1240\r\n4.1,1251\r\n"5.0-rc1",2040\r\n';
    expect(typedNumbers(file, NAMES)).toEqual({
      numbers: [
        { variant: 0, value: 1240 },
        { variant: 0, value: 1251 },
        { variant: 1, value: 2040 },
      ],
      problems: [],
    });
    expect(typedNumbers("4.2, 7\n4.1, 1", NAMES).problems).toHaveLength(1);
  });

  it("say what cannot be read, line by line", () => {
    const { numbers, problems } = typedNumbers("4.2, 7\n4.1\n4.1, many", NAMES);
    expect(numbers).toEqual([]);
    expect(problems).toEqual([
      "line 1: no variant is called “4.2”",
      "line 2: no number after 4.1",
      "line 3: “many” is no number; write decimals with a dot",
    ]);
  });
});
