import { expect, test } from "vitest";
import { placeOf, withPlace } from "./places";

const MAIN = { title: "Weftwright", x: 10, y: 30, width: 900, height: 600 };
const DIALOG = { title: "Save as", x: 200, y: 200, width: 200, height: 100 };

test("a region counts from the corner of the window it lies in", () => {
  expect(placeOf({ x1: 130, y1: 90, x2: 430, y2: 290 }, [MAIN])).toBe("region 120,60 300x200");
  expect(placeOf({ x1: 430, y1: 290, x2: 130, y2: 90 }, [MAIN])).toBe("region 120,60 300x200");
});

test("a short drag is a point, one in a smaller window names it", () => {
  expect(placeOf({ x1: 130, y1: 90, x2: 132, y2: 91 }, [MAIN])).toBe("120,60");
  expect(placeOf({ x1: 210, y1: 220, x2: 210, y2: 220 }, [MAIN, DIALOG])).toBe(
    '10,20 in "Save as"',
  );
});

test("a region ends at the edge of its window; beside all windows there is none", () => {
  expect(placeOf({ x1: 800, y1: 90, x2: 1200, y2: 700 }, [MAIN])).toBe("region 790,60 110x540");
  expect(placeOf({ x1: 2, y1: 2, x2: 5, y2: 5 }, [MAIN])).toBeNull();
});

const TEXT = `session "S"
  fixture draft = "a.weft"
  every run
    clear cache

step "One"
  start
`;

test("a place goes into the head, before what every run needs", () => {
  expect(withPlace(TEXT, "cloth", "1,2").split("\n")[2]).toBe("  place cloth = 1,2");
  expect(withPlace('session "S"', "cloth", "1,2")).toBe('session "S"\n  place cloth = 1,2');
});

test("a place of the same name is replaced", () => {
  const once = withPlace(TEXT, "cloth", "1,2");
  expect(withPlace(once, "cloth", "3,4")).toBe(once.replace("1,2", "3,4"));
});
