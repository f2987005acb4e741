"""Reads the tokens of one line of a script, and says what was expected where they do not fit."""

from __future__ import annotations

import re
from collections.abc import Iterable
from difflib import get_close_matches
from itertools import islice
from typing import NoReturn

from yardstick_core.script.lexer import Line, Token, duration_ns, unquote
from yardstick_core.script.model import ScriptProblem

#: Rates that a frame stretch may be held to.
LOWEST_HZ, HIGHEST_HZ = 1, 1000


#: Near misses are looked for in words no longer, and among no more of them, than this.
LONGEST_MISS, MOST_CHOICES = 40, 300
#: Names, whole numbers and durations of a script: what no session of a person comes near.
LONGEST_NAME, MOST_WHOLE, LONGEST_NS = 120, 1_000_000, 31 * 86_400 * 10**9


def one_of(words: tuple[str, ...]) -> str:
    return "one of " + ", ".join(words) if len(words) > 1 else f"“{words[0]}”"


def near_miss(word: str, choices: Iterable[str]) -> str:
    """The choice that a word was probably meant to be; empty where none is near.

    Looks at short words and few choices only: comparing takes the product of all their lengths.
    """
    if len(word) > LONGEST_MISS:
        return ""
    few = [choice for choice in islice(choices, MOST_CHOICES) if len(choice) <= LONGEST_MISS]
    near = get_close_matches(word, few, 1, 0.6)
    return near[0] if near else ""


class LineProblem(Exception):
    """A line does not fit the grammar."""

    def __init__(self, problem: ScriptProblem) -> None:
        self.problem = problem


class Cursor:
    """Reads the tokens of one line; every failed expectation becomes a problem."""

    def __init__(self, line: Line, values: dict[str, str]) -> None:
        self.line, self.values, self.position = line, values, 0

    @property
    def token(self) -> Token | None:
        tokens = self.line.tokens
        return tokens[self.position] if self.position < len(tokens) else None

    def fail(self, expected: str, choices: tuple[str, ...] = ()) -> NoReturn:
        token = self.token
        if token is None:
            column, found = self.line.tokens[-1].end, "the line ends here"
        else:
            column, found = token.column, f"found “{token.text[:LONGEST_NAME]}”"
        meant = ""
        if token is not None and choices:
            meant = near_miss(token.text.lower(), choices)
        raise LineProblem(ScriptProblem(self.line.number, column, found, expected, meant))

    def take(self, kind: str, expected: str, choices: tuple[str, ...] = ()) -> Token:
        token = self.token
        if token is not None and token.kind == "value" and kind in ("number", "duration"):
            token = self._value(token, kind, expected)
        if token is None or token.kind != kind or (choices and token.text not in choices):
            self.fail(expected, choices)
        self.position += 1
        return token

    def _value(self, token: Token, kind: str, expected: str) -> Token:
        name = token.text[1:-1]
        if name not in self.values:
            self.fail(f"a name given by `set` or `fixture` ({expected})", tuple(self.values))
        text = self.values[name]
        pattern = r"\d+(\.\d+)?" + ("(ms|s|min|h)" if kind == "duration" else "")
        if not re.fullmatch(pattern, text):
            self.fail(f"{expected}, but {token.text} is “{text}”")
        return Token(kind, text, token.column)

    def words(self, *texts: str) -> None:
        for text in texts:
            self.take("word", f"“{text}”", (text,))

    def maybe(self, text: str) -> bool:
        token = self.token
        if token is not None and token.text == text:
            self.position += 1
            return True
        return False

    def string(self, expected: str) -> str:
        token = self.take("string", expected)
        return self.fill(unquote(token.text), token)

    def fill(self, text: str, token: Token) -> str:
        """Put the values of `set` and `fixture` in place of {name}."""

        def replace(match: re.Match[str]) -> str:
            name = match.group(1)
            if name in self.values:
                return self.values[name]
            meant = near_miss(name, tuple(self.values))
            raise LineProblem(
                ScriptProblem(
                    self.line.number,
                    token.column + 1 + match.start(),
                    f"nothing is called {{{name}}}",
                    "a name given by `set` or `fixture`",
                    meant,
                )
            )

        return re.sub(r"\{([A-Za-z_]\w*)\}", replace, text)

    def duration(self, expected: str = "a duration such as 400ms or 2s") -> int:
        token = self.take("duration", expected)
        length = duration_ns(token.text) if len(token.text) <= 24 else LONGEST_NS + 1
        if length > LONGEST_NS:
            self.position -= 1
            self.fail("a duration of at most 31 days")
        return length

    def whole(self, expected: str, most: int = MOST_WHOLE) -> int:
        token = self.take("number", expected)
        if "." in token.text:
            self.position -= 1
            self.fail(expected)
        if len(token.text) > 12 or int(token.text) > most:
            self.position -= 1
            self.fail(f"{expected}, at most {most}")
        return int(token.text)

    def name(self, expected: str, before: tuple[str, ...] = ()) -> str:
        """Words and numbers up to the end of the line, a sign, or one of the words `before`."""
        parts = []
        while (token := self.token) is not None and token.kind in ("word", "number"):
            if token.text in before:
                break
            parts.append(token.text)
            self.position += 1
        found = " ".join(parts)
        if not parts or len(found) > LONGEST_NAME:
            self.position -= bool(parts)
            self.fail(expected if not parts else f"a name of at most {LONGEST_NAME} characters")
        return found

    @property
    def ends_with_rate(self) -> bool:
        """Whether the line ends in `at N Hz`."""
        if len(self.line.tokens) < self.position + 3:
            return False
        at, number, unit = self.line.tokens[-3:]
        return (at.text, number.kind, unit.text) == ("at", "number", "Hz")

    def rate(self) -> float:
        """`at N Hz`: pictures a second of a screen, a film or a promise."""
        self.words("at")
        expected = f"a rate from {LOWEST_HZ} to {HIGHEST_HZ} Hz"
        token = self.take("number", expected)
        if not LOWEST_HZ <= float(token.text) <= HIGHEST_HZ:
            self.position -= 1
            self.fail(expected)
        self.words("Hz")
        return float(token.text)

    def end(self) -> None:
        if self.token is not None:
            self.fail("the end of the line")
