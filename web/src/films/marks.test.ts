import { describe, expect, it } from "vitest";
import type { FilmCourse } from "../api/footage";
import { beyond, edges, nextOpen, proposal, whole, withMark } from "./marks";

const COURSE: FilmCourse = {
  at_s: [0, 1, 2, 3, 4, 5, 6, 7, 8, 9],
  new: [0, 2, 3, 6, 8],
  share: [],
  bursts: [
    { first: 2, last: 3 },
    { first: 6, last: 8 },
  ],
};
const OPEN = ["Open", "open"];

describe("marks on a film", () => {
  it("are set one end after the other and leave the others alone", () => {
    const one = withMark([], OPEN, "start", 2);
    expect(one).toEqual([{ path: OPEN, start: 2, end: null, region: null }]);
    expect(whole(one, OPEN)).toBe(false);
    const both = withMark(one, OPEN, "end", 6);
    expect(whole(both, OPEN)).toBe(true);
    expect(withMark(both, ["Save", "save"], "end", 9)).toHaveLength(2);
    expect(one).toEqual([{ path: OPEN, start: 2, end: null, region: null }]);
  });

  it("go on with the next timing that is open", () => {
    const paths = [OPEN, ["Save", "save"], ["Close", "close"]];
    const done = withMark(withMark([], OPEN, "start", 1), OPEN, "end", 2);
    expect(nextOpen(paths, done, 0)).toBe(1);
    expect(nextOpen(paths, [], 2)).toBe(2);
    expect(nextOpen([OPEN], done, 0)).toBe(0);
  });

  it("are proposed where changes begin: first a start, then an end after it", () => {
    expect(proposal(COURSE, undefined, 0)).toEqual({ end: "start", picture: 2 });
    const begun = { path: OPEN, start: 2, end: null };
    expect(proposal(COURSE, begun, 5)).toEqual({ end: "end", picture: 6 });
    expect(proposal(COURSE, { ...begun, end: 6 }, 0)).toBeNull();
    expect(proposal(COURSE, undefined, 9)).toBeNull();
  });

  it("are proposed to end with the changes that they start with, where those are many", () => {
    const course = {
      ...COURSE,
      new: [2, 3, 4, 5, 9],
      bursts: [
        { first: 2, last: 5 },
        { first: 9, last: 9 },
      ],
    };
    const begun = { path: OPEN, start: 2, end: null };
    expect(proposal(course, begun, 2)).toEqual({ end: "end", picture: 5 });
    const short = { ...course, new: [2, 5, 9] };
    expect(proposal(short, begun, 2)).toEqual({ end: "end", picture: 9 });
  });

  it("of frames are proposed from the first new picture of a burst to its last", () => {
    expect(proposal(COURSE, { path: OPEN, start: 6, end: null }, 6, true)).toEqual({
      end: "end",
      picture: 8,
    });
    const region = { name: "cloth", x: 0, y: 0, width: 32, height: 32 };
    expect(withMark([], OPEN, "start", 6, region)[0]?.region).toBe(region);
  });

  it("lie between edges that are stepped to", () => {
    expect(edges(COURSE)).toEqual([2, 3, 6, 8]);
    expect(beyond(edges(COURSE), 3, 1)).toBe(6);
    expect(beyond(edges(COURSE), 6, -1)).toBe(3);
    expect(beyond(COURSE.new, 8, 1)).toBeNull();
  });
});
