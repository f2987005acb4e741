"""Reads the head of a script: fixtures, values, places, the ladder, what every run needs."""

from __future__ import annotations

from yardstick_core.file_names import is_fixture_name
from yardstick_core.script.condition import calm, within
from yardstick_core.script.cursor import Cursor, one_of
from yardstick_core.script.model import (
    REQUIRED,
    ClearCache,
    Confirm,
    Fixture,
    Ladder,
    Require,
    ScreenRegion,
    Statement,
    Until,
)

HEAD_WORDS = ("fixture", "set", "place", "ladder", "fact")
HEAD_OPENERS = (*HEAD_WORDS, "every")
BEFORE_WORDS = ("clear", "keep", "settle", "require", "confirm")
SETTLE_WITHIN_NS = 60_000_000_000
MOST_LEVELS = 50


class Head:
    """What the head of a script has said so far; `overrides` go before its own values."""

    def __init__(self, overrides: dict[str, str]) -> None:
        self.overrides = overrides
        self.values: dict[str, str] = {}
        self.places: dict[str, ScreenRegion] = {}
        self.facts: dict[str, str] = {}
        self.fixtures: list[Fixture] = []
        self.before: list[Statement] = []
        self.ladder: Ladder | None = None

    @property
    def files(self) -> tuple[str, ...]:
        return tuple(fixture.file for fixture in self.fixtures)

    def line(self, word: str, cursor: Cursor) -> None:
        """One line that opens with one of HEAD_WORDS."""
        name = cursor.take("word", f"a name for the {word}").text
        cursor.take("sign", "“=”", ("=",))
        if word == "place":
            self.places[name] = _place_value(cursor)
        elif word == "fact":
            self.facts[name] = _plain_value(cursor)
        elif word == "fixture":
            self._fixture(name, cursor)
        elif word == "ladder":
            self._ladder(name, cursor)
        else:
            value = _plain_value(cursor)
            self.values[name] = self.overrides.get(name, value)
        cursor.end()

    def _fixture(self, name: str, cursor: Cursor) -> None:
        file = cursor.string("the fixture's file name, in quotes")
        if not is_fixture_name(file):
            cursor.position -= 1
            cursor.fail("a plain file name that begins with a letter or digit")
        self.fixtures.append(Fixture(name, file, cursor.line.number))
        self.values[name] = file

    def _ladder(self, name: str, cursor: Cursor) -> None:
        if self.ladder is not None:
            cursor.position = 0
            cursor.fail("one ladder at most")
        kind = cursor.token.kind if cursor.token else ""
        levels = [_plain_value(cursor)]
        while cursor.maybe(","):
            at, token, level = cursor.position, cursor.token, _plain_value(cursor)
            if level in levels or token is None or token.kind != kind:
                cursor.position = at
                cursor.fail(f"another {kind} that is not in the ladder yet")
            levels.append(level)
        if not 2 <= len(levels) <= MOST_LEVELS:
            cursor.fail(f"2 to {MOST_LEVELS} levels, with commas between them")
        self.ladder = Ladder(name, tuple(levels), cursor.line.number)
        self.values[name] = self.overrides.get(name, levels[0])

    def before_line(self, cursor: Cursor) -> None:
        """One line below `every run`."""
        number = cursor.line.number
        word = cursor.take("word", one_of(BEFORE_WORDS), BEFORE_WORDS).text
        if word == "settle":
            cursor.words("cpu")
            condition = calm(cursor)
            self.before.append(Until(number, condition, within(cursor, SETTLE_WITHIN_NS)))
        elif word == "clear":
            cursor.words("cache")
            self.before.append(ClearCache(number))
        elif word == "keep":
            cursor.words("cache")
        elif word == "confirm":
            text = cursor.string("what a person must have seen to, in quotes")
            self.before.append(Confirm(number, text))
        else:
            self.before.append(_required(cursor))
        cursor.end()


def _required(cursor: Cursor) -> Require:
    number = cursor.line.number
    what = cursor.take("word", one_of(tuple(REQUIRED)), tuple(REQUIRED)).text
    if what in ("network", "power"):
        choices = ("on", "off") if what == "network" else ("mains", "battery")
        return Require(number, what, cursor.take("word", one_of(choices), choices).text)
    if what == "display":
        return Require(number, what, cursor.take("size", REQUIRED[what]).text)
    cursor.words("at", "least")
    value = cursor.take("number", "a number").text
    if what != "cores":
        cursor.words("GiB")
    return Require(number, what, value)


def _place_value(cursor: Cursor) -> ScreenRegion:
    if cursor.maybe("region"):
        x, y = cursor.take("point", "the corner, such as 120,90").text.split(",")
        width, height = cursor.take("size", "the size, such as 900x600").text.split("x")
        return ScreenRegion(int(x), int(y), int(width), int(height), _in_window(cursor))
    expected = "a point such as 120,90, or `region 120,90 900x600`"
    x, y = cursor.take("point", expected).text.split(",")
    return ScreenRegion(int(x), int(y), window=_in_window(cursor))


def _in_window(cursor: Cursor) -> str:
    """`in "Title"`, where a place lies in another window than the main one."""
    return cursor.string("a window's title, in quotes") if cursor.maybe("in") else ""


def _plain_value(cursor: Cursor) -> str:
    token = cursor.token
    if token is None or token.kind not in ("string", "number", "duration", "word", "percent"):
        cursor.fail("a text, number or duration")
    if token.kind == "string":
        return cursor.string("a text")
    cursor.position += 1
    return token.text
