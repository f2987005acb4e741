/** The words of the session language: what each does, and where it may stand. */

export interface Word {
  word: string;
  use: string;
  says: string;
}

export const HEAD: Word[] = [
  {
    word: "fixture",
    use: 'fixture NAME = "file"',
    says: "a file the session works on; every run gets a fresh copy",
  },
  { word: "set", use: "set NAME = VALUE", says: "a text, number or duration, used as {NAME}" },
  {
    word: "place",
    use: "place NAME = X,Y or region X,Y WxH",
    says: "a point or region in the subject's main window, in pixels",
  },
  {
    word: "fact",
    use: "fact NAME = VALUE",
    says: "what the work is: sizes, counts, quality; shown with the results",
  },
  {
    word: "ladder",
    use: "ladder NAME = LEVEL, LEVEL, …",
    says: "load levels: every round plays the session once at each, used as {NAME}",
  },
  {
    word: "every",
    use: "every run, with lines below it",
    says: "what each run does or needs before it starts; else it is refused",
  },
];

export const EVERY_RUN: Word[] = [
  {
    word: "settle",
    use: "settle cpu below P% [for D] [, within D]",
    says: "waits until the whole machine has been that quiet",
  },
  { word: "clear", use: "clear cache", says: "empties the caches, where the rig says they are" },
  { word: "keep", use: "keep cache", says: "leaves the caches as they are, and says so" },
  {
    word: "require",
    use: "require network off | power mains | display WxH | cores | memory | disk at least N",
    says: "what the rig must be like",
  },
  { word: "confirm", use: 'confirm "text"', says: "ticked by a person once for each rig" },
];

export const STATEMENTS: Word[] = [
  {
    word: "start",
    use: 'start ["COMPANION"] [with "FILE"]',
    says: "start the variant under test, or a companion that the rig knows",
  },
  {
    word: "stop",
    use: 'stop ["COMPANION"]',
    says: "ask the subject to close, after 5 s make it",
  },
  {
    word: "press",
    use: "press CHORD [N times]",
    says: "a key or chord such as Enter or Ctrl+Shift+S",
  },
  { word: "type", use: 'type "text"', says: "characters, 4 ms apart; {NAME} puts a value in" },
  {
    word: "click",
    use: "click [right|middle|double] at PLACE",
    says: "press and release a button of the pointer",
  },
  { word: "move", use: "move to PLACE", says: "move the pointer" },
  { word: "drag", use: "drag PLACE to PLACE over D", says: "press, move in even steps, release" },
  { word: "scroll", use: "scroll up|down|left|right N [at PLACE]", says: "N notches of the wheel" },
  { word: "wait", use: "wait D", says: "let time pass; prefer `until`" },
  { word: "mark", use: "mark NAME", says: "names an instant" },
  {
    word: "until",
    use: "until CONDITION [, within D]",
    says: "goes on at the instant the condition became true; without `within` after 30 s at most",
  },
  {
    word: "expect",
    use: "expect CONDITION [, within D]",
    says: "what must hold for the result to be right; else the run is a wrong result",
  },
  {
    word: "take",
    use: "take NAME from log /…(…)…/ as UNIT, higher is better",
    says: "a number the program says itself: the one group of the pattern, in its log or a file",
  },
  {
    word: "repeat",
    use: "repeat N [every D]",
    says: "the lines below, N times; with `every` on a schedule that does not slip",
  },
  {
    word: "laps",
    use: "laps N as NAME",
    says: "the lines below, N times, every turn a stretch of its own",
  },
  { word: "for", use: "for D as NAME", says: "laps until D has passed" },
  {
    word: "time",
    use: "time NAME",
    says: "a timing: from its first input to the instant its last `until` became true",
  },
  {
    word: "frames",
    use: "frames NAME [at N Hz]",
    says: "a stretch in which every gap between two pictures counts as a frame; held to a rate of your own",
  },
];

export const CONDITIONS: Word[] = [
  {
    word: "window",
    use: 'window "text" [of "COMPANION"] is shown | gone | steady [for D]',
    says: "a window whose title holds the text",
  },
  {
    word: "picture",
    use: 'picture [at|except REGION] is steady [for D], or looks like "fixture" [within P%]',
    says: "the last change of the subject's windows, or of a part, that is followed by quiet",
  },
  {
    word: "file",
    use: 'file "name" is written, equals "fixture", or looks like "fixture" [within P%]',
    says: "the last write of a file in the working folder",
  },
  {
    word: "log",
    use: 'log [of "COMPANION"] "text" or /pattern/',
    says: "a line of the variant's log",
  },
  { word: "cpu", use: "cpu is below P% [for D]", says: "the whole machine is less busy than that" },
  { word: "exited", use: "exited", says: "the subject has ended" },
];

const ALL = new Map(
  [...HEAD, ...EVERY_RUN, ...STATEMENTS, ...CONDITIONS].map((entry) => [entry.word, entry]),
);

export function helpFor(word: string): Word | undefined {
  return ALL.get(word);
}

const KEYS =
  "Enter Escape Tab Space Backspace Delete Home End PageUp PageDown Left Right Up Down".split(" ");

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
  if (/^\s+press\s+(?:\w+\+)*\w*$/.test(line)) return KEYS.map((word) => ({ word, says: "key" }));
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
