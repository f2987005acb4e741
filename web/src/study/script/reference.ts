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
];

export const STATEMENTS: Word[] = [
  { word: "start", use: "start", says: "start the variant under test" },
  { word: "stop", use: "stop", says: "ask the subject to close, after 5 s make it" },
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
    use: "frames NAME",
    says: "a stretch in which every gap between two pictures counts as a frame",
  },
];

export const CONDITIONS: Word[] = [
  {
    word: "window",
    use: 'window "text" is shown | gone | steady [for D]',
    says: "a window whose title holds the text",
  },
  {
    word: "picture",
    use: "picture is steady [for D]",
    says: "the last change of any of the subject's windows that is followed by quiet",
  },
  {
    word: "file",
    use: 'file "name" is written, or equals "fixture"',
    says: "the last write of a file in the working folder",
  },
  { word: "log", use: 'log "text" or /pattern/', says: "a line of the variant's log" },
  { word: "cpu", use: "cpu is below P% [for D]", says: "the whole machine is less busy than that" },
  { word: "exited", use: "exited", says: "the subject has ended" },
];

const ALL = new Map([...HEAD, ...STATEMENTS, ...CONDITIONS].map((entry) => [entry.word, entry]));

export function helpFor(word: string): Word | undefined {
  return ALL.get(word);
}

const KEYS =
  "Enter Escape Tab Space Backspace Delete Home End PageUp PageDown Left Right Up Down".split(" ");

/** What may be typed next, from the line up to the cursor and the whole text. */
export function choices(line: string, text: string): { word: string; says: string }[] {
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
    const inSteps = /^step\b/m.test(text.slice(0, text.lastIndexOf(line)));
    return listed(inSteps ? STATEMENTS : HEAD);
  }
  if (/^\s+(until|expect)\s+\w*$/.test(line)) return listed(CONDITIONS);
  if (/\b(at|to|drag)\s+\w*$/.test(line)) return named("place");
  if (/\{\w*$/.test(line)) return [...named("fixture"), ...named("set")];
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
