import { expect, it } from "vitest";
import type { Rig } from "../api/client";
import { apart, known } from "./apart";

const rig = (name: string, facts: Record<string, string>): Rig => ({
  name,
  state: "idle",
  agent_version: "1",
  confirmed: [],
  paused: false,
  local: false,
  programs_from: "file" as const,
  background_cpu_share: null,
  run: null,
  last_seen: null,
  known: Object.entries(facts).map(([fact, value]) => ({ name: fact, value })),
});

it("names the facts in which rigs differ, in their order", () => {
  const rigs = [
    rig("loft", { processor: "A", cores: "2", kernel: "6.1" }),
    rig("cellar", { processor: "A", cores: "4", kernel: "6.8" }),
  ];
  expect(apart(rigs)).toEqual(["cores", "kernel"]);
});

it("takes what one does not tell for no difference", () => {
  const rigs = [rig("loft", { cores: "2" }), rig("cellar", { cores: "2", disk: "4 GiB" })];
  expect(apart(rigs)).toEqual([]);
  expect(known(rigs[0] as Rig, "disk")).toBe("unknown");
});

it("finds nothing apart in one rig or none", () => {
  expect(apart([])).toEqual([]);
  expect(apart([rig("loft", { cores: "2" })])).toEqual([]);
});
