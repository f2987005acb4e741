/** The words of the session language, as the core describes them: help, and what may come next. */

import words from "./words.json";

export interface Word {
  word: string;
  use: string;
  says: string;
}

const { head: HEAD, everyRun: EVERY_RUN, statements: STATEMENTS, conditions: CONDITIONS } = words;

const ALL = new Map(
  [...HEAD, ...EVERY_RUN, ...STATEMENTS, ...CONDITIONS].map((entry) => [entry.word, entry]),
);

export function helpFor(word: string): Word | undefined {
  return ALL.get(word);
}

/**
 * What may be typed next, from the line up to the cursor and the whole text; `windows` are titles
 * seen in the last rehearsal.
 */
export function choices(
  line: string,
  text: string,
  windows: string[] = [],
): { word: string; says: string }[] {
  const listed = (words: Word[]) => words.map(({ word, use }) => ({ word, says: use }));
  const named = (kind: string) =>
    [...text.matchAll(new RegExp(`^\\s+${kind}\\s+([A-Za-z_]\\w*)\\s*=`, "gm"))].map((match) => ({
      word: match[1] as string,
      says: kind,
    }));
  if (/^\S*$/.test(line))
    return [
      { word: "step", says: 'step "Name"' },
      { word: "session", says: 'session "Title"' },
    ];
  if (/^\s+\w*$/.test(line)) {
    const above = text.slice(0, text.lastIndexOf(`\n${line}`));
    const inSteps = /^step\b/m.test(above);
    if (inSteps) return listed(STATEMENTS);
    const below = /^ {4}/.test(line) && /^ {2}every run/m.test(above);
    return listed(below ? EVERY_RUN : HEAD);
  }
  if (/window "[^"]*$/.test(line))
    return [...new Set(windows)].map((word) => ({ word, says: "seen in the last rehearsal" }));
  if (/"[^"]*$/.test(line) && /\b(like|equals|with)\s+"[^"]*$/.test(line))
    return [...text.matchAll(/^\s+fixture\s+\w+\s*=\s*"([^"]+)"/gm)].map((match) => ({
      word: match[1] as string,
      says: "fixture",
    }));
  if (/^\s+(time|frames)\s+\w*$/.test(line)) {
    const used = [...text.matchAll(/^\s+(?:time|frames)\s+(\S[^\n]*)$/gm)];
    const names = new Set(used.map((match) => (match[1] as string).trim()));
    names.delete(line.trim().split(/\s+/)[1] ?? "");
    return [...names].map((word) => ({ word, says: "timed elsewhere under this name" }));
  }
  if (/\b(picture)\s+\w*$/.test(line))
    return ["is", "looks", "at", "except"].map((word) => ({ word, says: "picture …" }));
  if (/^\s+(until|expect)\s+\w*$/.test(line)) return listed(CONDITIONS);
  if (/\b(at|to|drag|except)\s+\w*$/.test(line)) return named("place");
  if (/\{\w*$/.test(line)) return [...named("fixture"), ...named("set"), ...named("ladder")];
  if (/^\s+press\s+(?:\w+\+)*\w*$/.test(line))
    return words.keys.map((word) => ({ word, says: "key" }));
  if (/\bis\s+\w*$/.test(line)) {
    const states = /window/.test(line)
      ? ["shown", "gone", "steady"]
      : /cpu/.test(line)
        ? ["below"]
        : /file/.test(line)
          ? ["written"]
          : ["steady"];
    return states.map((word) => ({ word, says: "state" }));
  }
  return [];
}
