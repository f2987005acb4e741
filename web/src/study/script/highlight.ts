/** Colours of a session script for reading. */

import words from "./words.json";

export interface Piece {
  text: string;
  kind: "word" | "string" | "number" | "comment" | "plain";
}

const WORDS = new Set([
  ...[...words.head, ...words.everyRun, ...words.statements, ...words.conditions].map(
    (entry) => entry.word,
  ),
  ...words.within,
]);

const NAMING = new Set(["time", "frames", "mark"]);

const PIECES =
  /(#.*$)|("(?:[^"\\]|\\.)*"?|\/(?:[^/\\]|\\.)+\/)|(\b\d+(?:\.\d+)?(?:ms|s|min|h|%)?\b)|([A-Za-z_][\w+.-]*)/g;

/** One line of a script in pieces that together are the line. */
export function pieces(line: string): Piece[] {
  const found: Piece[] = [];
  let end = 0;
  // What follows `time`, `frames` or `mark` is a name, whatever its words are.
  let named = false;
  const rate = /\bat \d+(?:\.\d+)? Hz\s*(?:#.*)?$/.exec(line)?.index ?? Number.POSITIVE_INFINITY;
  for (const match of line.matchAll(PIECES)) {
    if (match.index > end) found.push({ text: line.slice(end, match.index), kind: "plain" });
    const [text, comment, quoted, number, word] = match;
    if (match.index >= rate) named = false;
    const kind = comment
      ? "comment"
      : quoted
        ? "string"
        : number
          ? "number"
          : word && WORDS.has(word) && !named
            ? "word"
            : "plain";
    if (kind === "word" && NAMING.has(text)) named = true;
    found.push({ text, kind });
    end = match.index + text.length;
  }
  if (end < line.length) found.push({ text: line.slice(end), kind: "plain" });
  return found;
}
