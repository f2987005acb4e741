/** Places picked on a picture of the screen, and where they go in a script. */
import type { Rehearsal } from "../../api/client";

type Seen = Rehearsal["windows"][number];

/** Two corners on the screen, in its pixels. */
export interface Drawn {
  x1: number;
  y1: number;
  x2: number;
  y2: number;
}

/** A drag this short is a point. */
const POINT = 4;

const holds = (window: Seen, x: number, y: number) =>
  x >= window.x && y >= window.y && x < window.x + window.width && y < window.y + window.height;

/** What is drawn, as a place of a script: in the main window, or in the smaller one on top of it. */
export function placeOf(drawn: Drawn, windows: Seen[]): string | null {
  const [left, right] = [Math.min(drawn.x1, drawn.x2), Math.max(drawn.x1, drawn.x2)];
  const [top, bottom] = [Math.min(drawn.y1, drawn.y2), Math.max(drawn.y1, drawn.y2)];
  const under = windows.filter((window) => holds(window, left, top));
  const size = (window: Seen) => window.width * window.height;
  const window = [...under].sort((a, b) => size(a) - size(b))[0];
  if (!window) return null;
  const [x, y] = [Math.round(left - window.x), Math.round(top - window.y)];
  const width = Math.min(Math.round(right - left), window.width - x);
  const height = Math.min(Math.round(bottom - top), window.height - y);
  const inside = window === windows[0] ? "" : ` in "${window.title.replaceAll('"', '\\"')}"`;
  if (width <= POINT && height <= POINT) return `${x},${y}${inside}`;
  return `region ${x},${y} ${Math.max(1, width)}x${Math.max(1, height)}${inside}`;
}

/** The script with a place in its head, in place of one of that name. */
export function withPlace(text: string, name: string, place: string): string {
  const lines = text.split("\n");
  const line = `  place ${name} = ${place}`;
  const known = lines.findIndex((one) => new RegExp(`^\\s+place\\s+${name}\\s*=`).test(one));
  if (known >= 0) return lines.with(known, line).join("\n");
  const steps = lines.findIndex((one) => /^step\b/.test(one));
  const head = lines.slice(0, steps < 0 ? lines.length : steps);
  const last = head.findLastIndex((one) =>
    /^(session\b|\s+(fixture|set|place|ladder|fact)\b)/.test(one),
  );
  return lines.toSpliced(last + 1, 0, line).join("\n");
}

/** What a place may be called in a script. */
export const placeName = /^[A-Za-z_]\w*$/;
