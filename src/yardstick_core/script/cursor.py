"""Reads the tokens of one line of a script, and says what was expected where they do not fit."""

from __future__ import annotations

import re
from difflib import get_close_matches
from typing import NoReturn

from yardstick_core.script.lexer import Line, Token, duration_ns, unquote
from yardstick_core.script.model import ScriptProblem

#: Rates that a frame stretch may be held to.
LOWEST_HZ, HIGHEST_HZ = 1, 1000


def one_of(words: tuple[str, ...]) -> str:
    return "one of " + ", ".join(words) if len(words) > 1 else f"“{words[0]}”"


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
            column, found = token.column, f"found “{token.text}”"
        meant = ""
        if token is not None and choices:
            near = get_close_matches(token.text.lower(), choices, 1, 0.6)
            meant = near[0] if near else ""
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
            near = get_close_matches(name, self.values, 1, 0.6)
            raise LineProblem(
                ScriptProblem(
                    self.line.number,
                    token.column + 1 + match.start(),
                    f"nothing is called {{{name}}}",
                    "a name given by `set` or `fixture`",
                    near[0] if near else "",
                )
            )

        return re.sub(r"\{([A-Za-z_]\w*)\}", replace, text)

    def duration(self, expected: str = "a duration such as 400ms or 2s") -> int:
        return duration_ns(self.take("duration", expected).text)

    def whole(self, expected: str) -> int:
        token = self.take("number", expected)
        if "." in token.text:
            self.position -= 1
            self.fail(expected)
        return int(token.text)

    def name(self, expected: str, before: tuple[str, ...] = ()) -> str:
        """Words and numbers up to the end of the line, a sign, or one of the words `before`."""
        parts = []
        while (token := self.token) is not None and token.kind in ("word", "number"):
            if token.text in before:
                break
            parts.append(token.text)
            self.position += 1
        if not parts:
            self.fail(expected)
        return " ".join(parts)

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
