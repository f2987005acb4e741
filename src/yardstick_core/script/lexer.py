"""Cuts one line of a session script into tokens with their columns."""

from __future__ import annotations

import re
from dataclasses import dataclass

from yardstick_core.script.model import ScriptProblem

NS_PER = {"ms": 1_000_000, "s": 1_000_000_000, "min": 60_000_000_000, "h": 3_600_000_000_000}

#: Bounds of a script: characters, lines, characters of a line, levels of indentation.
LONGEST_TEXT, MOST_LINES, LONGEST_LINE, DEEPEST = 300_000, 5000, 4000, 16

_TOKEN = re.compile(
    r"""
    (?P<string>"(?:[^"\\]|\\.)*")
  | (?P<open_string>"[^"]*$)
  | (?P<regex>/(?:[^/\\]|\\.)+/)
  | (?P<value>\{[A-Za-z_][A-Za-z0-9_]*\})
  | (?P<size>\d+x\d+(?![\w]))
  | (?P<point>\d+,\d+(?![\w]))
  | (?P<duration>\d+(?:\.\d+)?(?:ms|min|s|h)(?![A-Za-z]))
  | (?P<percent>\d+(?:\.\d+)?%)
  | (?P<number>\d+(?:\.\d+)?(?![A-Za-z]))
  | (?P<word>[^\W\d][\w.-]*(?:\+[^\s,]+)*)
  | (?P<sign>[=,])
  | (?P<space>\s+)
  | (?P<comment>\#.*)
  | (?P<bad>.)
    """,
    re.VERBOSE,
)


@dataclass(frozen=True, slots=True)
class Token:
    """One word of a line; `column` counts from 1."""

    kind: str
    text: str
    column: int

    @property
    def end(self) -> int:
        return self.column + len(self.text)


@dataclass(frozen=True, slots=True)
class Line:
    """A line with something on it: its indentation in levels and its tokens."""

    number: int
    level: int
    tokens: tuple[Token, ...]


def split_lines(text: str, problems: list[ScriptProblem] | None = None) -> list[Line]:
    """All lines that hold a statement; what is wrong with how they are written joins `problems`."""
    problems = [] if problems is None else problems
    lines: list[Line] = []
    raws = text.splitlines()
    if len(text) > LONGEST_TEXT or len(raws) > MOST_LINES:
        found = f"the script has {len(text)} characters in {len(raws)} lines"
        problems.append(
            ScriptProblem(1, 1, found, f"at most {LONGEST_TEXT}, in at most {MOST_LINES} lines")
        )
        return []
    for number, raw in enumerate(raws, 1):
        content = raw.lstrip(" \t")
        if not content or content.startswith("#"):
            continue
        indent = raw[: len(raw) - len(content)]
        if len(content) > LONGEST_LINE or len(indent) > 2 * DEEPEST:
            found = f"this line has {len(content)} characters, indented by {len(indent)}"
            expected = f"at most {LONGEST_LINE} characters, indented by at most {2 * DEEPEST}"
            problems.append(ScriptProblem(number, 1, found, expected))
            continue
        if "\t" in indent:
            problems.append(
                ScriptProblem(number, indent.index("\t") + 1, "a tab indents this line", "spaces")
            )
            indent = indent.replace("\t", "  ")
        if len(indent) % 2:
            problems.append(
                ScriptProblem(
                    number,
                    1,
                    f"this line is indented by {len(indent)} spaces",
                    "two spaces for each level",
                )
            )
        tokens = tuple(_tokens(raw, number, problems))
        if tokens:
            lines.append(Line(number, (len(indent) + 1) // 2, tokens))
    return lines


def pieces(raw: str, number: int) -> tuple[list[Token], list[ScriptProblem]]:
    """Everything a line holds but space, its comment included, and what cannot be cut."""
    problems: list[ScriptProblem] = []
    return _tokens(raw, number, problems, with_comment=True), problems


def _tokens(
    raw: str, number: int, problems: list[ScriptProblem], *, with_comment: bool = False
) -> list[Token]:
    found = []
    for match in _TOKEN.finditer(raw):
        kind, text = str(match.lastgroup), match.group()
        if kind == "space" or (kind == "comment" and not with_comment):
            continue
        column = match.start() + 1
        if kind == "open_string":
            problems.append(ScriptProblem(number, column, "this text has no closing quote", '"'))
            kind, text = "string", text + '"'
        elif kind == "bad":
            problems.append(
                ScriptProblem(number, column, f"the sign {text!r} means nothing here", "a word")
            )
            continue
        found.append(Token(kind, text, column))
    return found


def is_part_of_a_name(text: str) -> bool:
    """Whether a name may hold this as one of its words: a word or a number, and no `2s`."""
    match = _TOKEN.fullmatch(text)
    return match is not None and match.lastgroup in ("word", "number")


def unquote(text: str) -> str:
    """The text between quotes, with \\" and \\\\ taken literally."""
    return re.sub(r"\\(.)", r"\1", text[1:-1])


def duration_ns(text: str) -> int:
    """`400ms`, `2s`, `1.5min` in nanoseconds."""
    match = re.fullmatch(r"([\d.]+)([a-z]+)", text)
    if match is None:
        raise ValueError(f"{text!r} is not a duration")
    return round(float(match.group(1)) * NS_PER[match.group(2)])
