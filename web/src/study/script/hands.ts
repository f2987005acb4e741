/** What a person does on the picture of a far screen, as the rig is told of it. */
import type { RemoteInput } from "../../api/client";

const NAMED: Record<string, string> = {
  " ": "Space",
  ArrowLeft: "Left",
  ArrowRight: "Right",
  ArrowUp: "Up",
  ArrowDown: "Down",
  "+": "Plus",
  "-": "Minus",
  ",": "Comma",
};
const KNOWN =
  /^(Enter|Escape|Tab|Backspace|Delete|Insert|Home|End|PageUp|PageDown|Left|Right|Up|Down|Space|Plus|Minus|Comma|F\d\d?)$/;
/** A drag shorter than this on the screen is a click. */
const CLICK = 5;

interface Key {
  key: string;
  ctrlKey: boolean;
  altKey: boolean;
  metaKey: boolean;
  shiftKey: boolean;
}

/** A key as it goes to the program; null for one that means nothing by itself. */
export function keyHand(event: Key): RemoteInput | null {
  const held = event.ctrlKey || event.altKey || event.metaKey;
  if ([...event.key].length === 1 && !held) return { kind: "type", keys: event.key };
  const name = NAMED[event.key] ?? (event.key.length === 1 ? event.key.toUpperCase() : event.key);
  if (name.length > 1 && !KNOWN.test(name)) return null;
  const modifiers = [
    event.ctrlKey && "Ctrl",
    event.shiftKey && "Shift",
    event.altKey && "Alt",
    event.metaKey && "Super",
  ].filter(Boolean);
  return { kind: "press", keys: [...modifiers, name].join("+") };
}

interface Point {
  x: number;
  y: number;
}

/** A press and release of the pointer, on the screen. */
export function pointerHand(from: Point, to: Point, ms: number, button: number): RemoteInput {
  const [x, y] = [Math.round(from.x), Math.round(from.y)];
  const far = Math.max(Math.abs(to.x - from.x), Math.abs(to.y - from.y)) > CLICK;
  if (far && button === 0)
    return {
      kind: "drag",
      x,
      y,
      to_x: Math.round(to.x),
      to_y: Math.round(to.y),
      ms: Math.min(3000, Math.round(ms)),
    };
  const name = (["left", "middle", "right"] as const)[button] ?? "left";
  return { kind: "click", x, y, button: name };
}

/** What is sent together: characters that follow one another are one text. */
export function together(hands: RemoteInput[]): RemoteInput[] {
  const found: RemoteInput[] = [];
  for (const hand of hands) {
    const last = found.at(-1);
    if (hand.kind === "type" && last?.kind === "type")
      found[found.length - 1] = { kind: "type", keys: `${last.keys}${hand.keys}` };
    else found.push(hand);
  }
  return found;
}
