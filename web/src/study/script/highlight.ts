/** Colours of a session script for reading. */

export interface Piece {
  text: string;
  kind: "word" | "string" | "number" | "comment" | "plain";
}

const WORDS = new Set(
  "session fixture set place fact region step time frames start stop press type click move drag scroll wait mark if variant has lacks until expect repeat every laps as within window picture file log cpu below equals is steady shown gone written exited for at to over times ladder run settle clear cache keep require confirm take from log of looks like except with in network power mains battery on off display cores memory disk higher lower better Hz".split(
    " ",
  ),
);

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
