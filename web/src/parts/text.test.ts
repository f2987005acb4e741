import { expect, test } from "vitest";
import { bytes, count, countWord, duration, significant, THIN } from "./text";

test("numbers have three significant digits and a true minus", () => {
  expect([0.07123, 6.844, 1310.4, 99.96, 9.996, 0, -2.5].map((v) => significant(v))).toEqual([
    "0.0712",
    "6.84",
    "1310",
    "100",
    "10.0",
    "0",
    "−2.50",
  ]);
  expect(significant(Number.NEGATIVE_INFINITY)).toBe("−∞");
});

test("lengths of time take the unit that fits", () => {
  expect(duration(0.4123)).toBe(`412${THIN}ms`);
  expect(duration(6.844)).toBe(`6.84${THIN}s`);
  expect(duration(192)).toBe(`3${THIN}min 12${THIN}s`);
  expect(duration(5.2 * 3600)).toBe(`5${THIN}h 12${THIN}min`);
});

test("counts agree in number", () => {
  expect(count(1, "study", "studies")).toBe("1 study");
  expect(count(4, "run")).toBe("4 runs");
  expect(countWord(2, "study", "studies")).toBe("Two studies");
});

test("a size is told in the unit that fits", () => {
  expect([10, 1075, 3 * 2 ** 20, 20 * 2 ** 30, 0].map(bytes)).toEqual([
    `10${THIN}B`,
    `1.05${THIN}KiB`,
    `3.00${THIN}MiB`,
    `20.0${THIN}GiB`,
    `0${THIN}B`,
  ]);
});
