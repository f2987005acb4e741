import { expect, test } from "vitest";
import { LANES, lanesFrom, OF_SENSORS, ownName } from "./lanes";

const KNOWN = [
  "subject.processor",
  "subject.bytes_sent",
  "subject.graphics.gfx",
  "subject.graphics.dec",
  "subject.graphics_dedicated",
  "graphics.busy",
  "graphics.memory_used",
  "gpu.busy",
  "energy.processor",
  "energy.battery",
  "heat.processor",
  "heat.throttled_count",
  "clock.mean",
  "own.fan",
];

const lanesOf = (name: string) =>
  LANES.filter((lane) => lane.counters([name]).length > 0).map((lane) => lane.id);

test("each counter is drawn in one lane, and what no lane knows in the last", () => {
  expect(KNOWN.map((name) => lanesOf(name).join())).toEqual([
    "processor",
    "network",
    "graphics",
    "graphics",
    "graphicsmemory",
    "graphics",
    "graphicsmemory",
    "graphics",
    "power",
    "power",
    "heat",
    "", // counted, and said on Match
    "clock",
    "own1",
  ]);
});

test("counters of a rig's owner have a lane each, in order, and the seventh is with the others", () => {
  const own = Array.from({ length: 7 }, (_, n) => `own.level_${n}`);
  const lane = (id: string) => LANES.find((one) => one.id === id)?.counters(own);
  expect(lane("own1")).toEqual(["own.level_0"]);
  expect(lane("own6")).toEqual(["own.level_5"]);
  expect(lane("other")).toEqual(["own.level_6"]);
  expect(ownName("own.level_0")).toBe("level 0");
  expect(lanesFrom("own2.80")[0]).toEqual({ id: "own2", folded: false, height: 80 });
});

test("lanes of sensors are lanes", () => {
  expect(OF_SENSORS.every((id) => LANES.some((lane) => lane.id === id))).toBe(true);
});
