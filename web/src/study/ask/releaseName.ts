/** What a file or folder of a release is called, told apart: the program, and which release. */

/** Endings that say how a program is packed or for which machine, and nothing of its release. */
const PACKING = /[-_.](x86_64|amd64|aarch64|arm64|linux|appimage|sh|bin|run)$/i;
const RELEASE = /^(.*[^-_ .])[-_ ]+v?(\d+(?:\.\d+)+[\w.+~-]*)$/i;

export interface ReleaseName {
  program: string;
  /** Empty where the name does not tell. */
  release: string;
}

/** “weftwright-4.2” is weftwright 4.2; “weftwright” is that, of no release that is known. */
export function releaseName(name: string): ReleaseName {
  let plain = name;
  while (PACKING.test(plain)) plain = plain.replace(PACKING, "");
  const found = RELEASE.exec(plain);
  return found?.[1] && found[2]
    ? { program: found[1], release: found[2] }
    : { program: plain || name, release: "" };
}

/**
 * Names of releases side by side: by their numbers alone where all are of one program and no two
 * of the same release, such as builds for two machines.
 */
export function releaseNames(names: string[]): { program: string; releases: string[] } {
  const found = names.map(releaseName);
  const programs = new Set(found.map((one) => one.program));
  const numbers = new Set(found.map((one) => one.release));
  const alone = programs.size === 1 && !numbers.has("") && numbers.size === names.length;
  return {
    program: alone ? (found[0]?.program ?? "") : "",
    releases: alone ? found.map((one) => one.release) : names,
  };
}
