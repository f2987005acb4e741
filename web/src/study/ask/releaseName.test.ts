import { describe, expect, it } from "vitest";
import { releaseName, releaseNames } from "./releaseName";

describe("releaseName", () => {
  it.each([
    ["weftwright-4.2", "weftwright", "4.2"],
    ["weftwright_v5.0-rc1", "weftwright", "5.0-rc1"],
    ["Weft-Wright-4.2.1-x86_64.AppImage", "Weft-Wright", "4.2.1"],
    ["weftwright 4.2", "weftwright", "4.2"],
    ["weftwright", "weftwright", ""],
    ["weftwright.sh", "weftwright", ""],
    ["loom3.11", "loom3.11", ""],
    ["loom-2", "loom-2", ""],
    ["-4.2", "-4.2", ""],
    ["", "", ""],
  ])("takes %s apart", (name, program, release) => {
    expect(releaseName(name)).toEqual({ program, release });
  });
});

describe("releaseNames", () => {
  it("calls releases of one program by their numbers", () => {
    expect(releaseNames(["weftwright-4.2", "weftwright-5.0"])).toEqual({
      program: "weftwright",
      releases: ["4.2", "5.0"],
    });
  });
  it("keeps two builds of one release apart", () => {
    const names = ["weft-4.2-x86_64", "weft-4.2-arm64"];
    expect(releaseNames(names)).toEqual({ program: "", releases: names });
  });
  it("leaves names of several programs as they are", () => {
    const names = ["weftwright-4.2", "loom-5.0"];
    expect(releaseNames(names)).toEqual({ program: "", releases: names });
    expect(releaseNames(["weftwright-4.2", "weftwright"]).releases[1]).toBe("weftwright");
  });
});
