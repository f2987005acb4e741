"""The one way a script is laid out: two spaces a level, single spaces, comments kept."""

from __future__ import annotations

from itertools import pairwise

from yardstick_core.script.lexer import pieces
from yardstick_core.script.model import ScriptError


def formatted(text: str) -> str:
    """The script in its one layout; it parses to the same session as before.

    Raises ScriptError where a line cannot even be cut into words. Blank lines are kept, at most one
    at a time, and one stands before each step.
    """
    lines: list[str] = []
    for number, raw in enumerate(text.splitlines(), 1):
        indent = raw[: len(raw) - len(raw.lstrip(" \t"))].replace("\t", "  ")
        level = (len(indent) + 1) // 2
        found, problems = pieces(raw, number)
        if problems:
            raise ScriptError(problems)
        if not found:
            if lines and lines[-1]:
                lines.append("")
            continue
        if found[0].text == "step" and not level and lines and not _stands_free(lines):
            lines.insert(_before_comments(lines), "")
        lines.append("  " * level + _joined([piece.text for piece in found]))
    while lines and not lines[-1]:
        lines.pop()
    return "\n".join(lines) + "\n"


def _joined(words: list[str]) -> str:
    """Words with one space between them, none before a comma, two before a comment."""
    parts = [words[0]]
    for _, word in pairwise(words):
        if word == ",":
            parts.append(",")
        elif word.startswith("#"):
            parts.append("  " + word.rstrip())
        else:
            parts.append(" " + word)
    return "".join(parts).rstrip()


def _before_comments(lines: list[str]) -> int:
    """Where the comments that stand right above the next line begin."""
    place = len(lines)
    while place and lines[place - 1].startswith("#"):
        place -= 1
    return place


def _stands_free(lines: list[str]) -> bool:
    place = _before_comments(lines)
    return place == 0 or not lines[place - 1]
