/** How rigs differ from one another: runs of machines that differ are not compared unseen. */
import type { Rig } from "../api/client";

const UNKNOWN = "unknown";

export function known(rig: Rig, name: string): string {
  return rig.known.find((fact) => fact.name === name)?.value ?? UNKNOWN;
}

/**
 * Names of the facts in which rigs differ, in the order in which a rig tells them. What one of them
 * does not tell is no difference.
 */
export function apart(rigs: Rig[]): string[] {
  const names = new Set(rigs.flatMap((rig) => rig.known.map((fact) => fact.name)));
  const values = (name: string) => new Set(rigs.map((rig) => known(rig, name)));
  return [...names].filter((name) => {
    const found = values(name);
    found.delete(UNKNOWN);
    return found.size > 1;
  });
}

/** Whether a rig has ever been heard of here and may still come. */
export function isThere(rig: Rig): boolean {
  return rig.state !== "never seen" && rig.state !== "revoked";
}
