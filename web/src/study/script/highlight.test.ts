import { expect, test } from "vitest";
import { pieces } from "./highlight";

const kinds = (line: string) =>
  pieces(line)
    .filter((piece) => piece.text.trim())
    .map((piece) => `${piece.text}:${piece.kind}`);

test("pieces together are the line", () => {
  const line = '    until window "A \\"b\\"" is steady for 400ms, within 30s  # so';
  expect(
    pieces(line)
      .map((piece) => piece.text)
      .join(""),
  ).toBe(line);
});

test("words, texts, numbers and comments are told apart", () => {
  expect(kinds('until log "read" # end')).toEqual([
    "until:word",
    "log:word",
    '"read":string',
    "# end:comment",
  ]);
  expect(kinds("wait 400ms")).toEqual(["wait:word", "400ms:number"]);
});

test("the name of a timing is no word of the language", () => {
  expect(kinds("time read file")).toEqual(["time:word", "read:plain", "file:plain"]);
});
