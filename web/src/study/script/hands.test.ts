import { expect, test } from "vitest";
import { keyHand, pointerHand, together } from "./hands";

const key = (name: string, ...held: string[]) =>
  keyHand({
    key: name,
    ctrlKey: held.includes("Ctrl"),
    altKey: held.includes("Alt"),
    metaKey: false,
    shiftKey: held.includes("Shift"),
  });

test("characters are text, chords and named keys are presses", () => {
  expect(key("A", "Shift")).toEqual({ kind: "type", keys: "A" });
  expect(key("ö")).toEqual({ kind: "type", keys: "ö" });
  expect(key("o", "Ctrl")).toEqual({ kind: "press", keys: "Ctrl+O" });
  expect(key("S", "Ctrl", "Shift")).toEqual({ kind: "press", keys: "Ctrl+Shift+S" });
  expect(key("ArrowLeft", "Shift")).toEqual({ kind: "press", keys: "Shift+Left" });
  expect(key("F5")).toEqual({ kind: "press", keys: "F5" });
});

test("keys that mean nothing by themselves are not sent", () => {
  expect(key("Control", "Ctrl")).toBeNull();
  expect(key("Shift", "Shift")).toBeNull();
  expect(key("AudioVolumeUp")).toBeNull();
});

test("a pointer that moved is a drag with the left button, else a click", () => {
  const from = { x: 10.4, y: 20 };
  expect(pointerHand(from, { x: 12, y: 21 }, 80, 2)).toEqual({
    kind: "click",
    x: 10,
    y: 20,
    button: "right",
  });
  const drag = pointerHand(from, { x: 99.6, y: 20 }, 5000, 0);
  expect(drag).toEqual({ kind: "drag", x: 10, y: 20, to_x: 100, to_y: 20, ms: 3000 });
});

test("characters that follow one another go together", () => {
  const sent = together([
    { kind: "type", keys: "a" },
    { kind: "type", keys: "b" },
    { kind: "press", keys: "Enter" },
    { kind: "type", keys: "c" },
  ]);
  expect(sent.map((hand) => hand.keys)).toEqual(["ab", "Enter", "c"]);
});
