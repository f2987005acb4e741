// @vitest-environment jsdom
import { expect, test } from "vitest";
import { csvLines } from "./Copyable";
import { standalone } from "./clipboard";

test("a chart by itself names its colours and its ground, and is whole", () => {
  document.body.style.setProperty("--ink", "#123456");
  document.body.innerHTML =
    '<svg width="20" height="10"><line stroke="var(--ink)" x2="4"></line><text>a &lt; b</text></svg>';
  const text = standalone(document.querySelector("svg") as SVGSVGElement);
  expect(text).not.toContain("var(");
  expect(text.match(/xmlns="http:\/\/www\.w3\.org\/2000\/svg"/g)).toHaveLength(1);
  expect(text).toContain("<rect");
  expect(text).toContain("a &lt; b");
  expect(new DOMParser().parseFromString(text, "image/svg+xml").querySelector("parsererror")).toBe(
    null,
  );
});

test("numbers of a chart are lines of CSV with names", () => {
  expect(
    csvLines(
      ["lap", 'the "wide" one'],
      [
        [1, 2.5],
        ["", 3],
      ],
    ),
  ).toBe('"lap","the ""wide"" one"\n1,2.5\n"",3\n');
});
