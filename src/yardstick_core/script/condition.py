"""Reads a condition: what follows `until` and `expect`."""

from __future__ import annotations

from yardstick_core.file_names import is_below
from yardstick_core.script.cursor import Cursor, one_of
from yardstick_core.script.model import Condition, ScreenRegion
from yardstick_core.script.patterns import compiled

DEFAULT_QUIET_NS = 400_000_000
DEFAULT_CALM_NS = 2_000_000_000
DEFAULT_ALIKE_PERCENT = 1.0
CONDITION_WORDS = ("window", "picture", "file", "log", "cpu", "exited")


def condition(cursor: Cursor, files: tuple[str, ...], places: dict[str, ScreenRegion]) -> Condition:
    """A condition; `files` are those of the fixtures, `places` those of the head."""
    word = cursor.take("word", one_of(CONDITION_WORDS), CONDITION_WORDS).text
    if word == "exited":
        return Condition("exited", of=companion(cursor))
    if word == "cpu":
        cursor.words("is")
        return calm(cursor)
    if word == "log":
        of = companion(cursor)
        token = cursor.token
        if token is not None and token.kind == "regex":
            return Condition("log regex", pattern(cursor), of=of)
        return Condition("log text", cursor.string('"text" or /pattern/'), of=of)
    if word == "picture":
        return _picture(cursor, files, places)
    if word == "file":
        return _file(cursor, files)
    return _window(cursor)


def within(cursor: Cursor, usual_ns: int) -> int:
    """`, within D` where it is said."""
    if not cursor.maybe(","):
        return usual_ns
    cursor.words("within")
    return cursor.duration()


def calm(cursor: Cursor) -> Condition:
    """`below P% [for D]`."""
    cursor.words("below")
    share = float(cursor.take("percent", "a share of the machine such as 5%").text[:-1])
    quiet = cursor.duration() if cursor.maybe("for") else DEFAULT_CALM_NS
    return Condition("cpu below", quiet_ns=quiet, percent=share)


def companion(cursor: Cursor) -> str:
    """`of "NAME"` where something belongs to a companion."""
    return cursor.string("the companion's name, in quotes") if cursor.maybe("of") else ""


def pattern(cursor: Cursor) -> str:
    """A regular expression between slashes that can be compiled."""
    text = cursor.take("regex", "/pattern/").text[1:-1]
    try:
        compiled(text)
    except ValueError as error:
        cursor.position -= 1
        cursor.fail(f"a pattern that can be read ({error})")
    return text


def _window(cursor: Cursor) -> Condition:
    token = cursor.token
    title = ""
    if token is not None and token.kind == "string":
        title = cursor.string("the window's name, in quotes")
    of = companion(cursor)
    cursor.words("is")
    states = ("shown", "gone", "steady")
    state = cursor.take("word", one_of(states), states).text
    quiet = _quiet(cursor) if state == "steady" else 0
    return Condition(f"window {state}", title, quiet, of=of)


def _picture(cursor: Cursor, files: tuple[str, ...], places: dict[str, ScreenRegion]) -> Condition:
    place, apart = None, False
    if cursor.token is not None and cursor.token.text in ("at", "except"):
        apart = cursor.token.text == "except"
        cursor.position += 1
        place = _region(cursor, places)
    if not apart and cursor.maybe("looks"):
        cursor.words("like")
        other, percent = _alike(cursor, files)
        return Condition("picture like", other=other, percent=percent, place=place)
    cursor.words("is", "steady")
    return Condition("picture steady", quiet_ns=_quiet(cursor), place=place, apart=apart)


def _file(cursor: Cursor, files: tuple[str, ...]) -> Condition:
    name = file_below(cursor)
    if cursor.maybe("equals"):
        return Condition("file equals", name, other=_fixture_file(cursor, files))
    if cursor.maybe("looks"):
        cursor.words("like")
        other, percent = _alike(cursor, files)
        return Condition("file like", name, other=other, percent=percent)
    cursor.words("is", "written")
    return Condition("file written", name)


def file_below(cursor: Cursor) -> str:
    """The name of a file that lies where the session is played, in quotes."""
    name = cursor.string("the file's name, in quotes")
    if not is_below(name):
        cursor.position -= 1
        cursor.fail("a file below the folder of the run: no /, no .. at its beginning")
    return name


def _quiet(cursor: Cursor) -> int:
    return cursor.duration() if cursor.maybe("for") else DEFAULT_QUIET_NS


def _region(cursor: Cursor, places: dict[str, ScreenRegion]) -> ScreenRegion:
    known = {name: place for name, place in places.items() if place.width and place.height}
    token = cursor.token
    if token is None or token.text not in known:
        cursor.fail("a region of the head", tuple(known))
    cursor.position += 1
    return known[token.text]


def _alike(cursor: Cursor, files: tuple[str, ...]) -> tuple[str, float]:
    """The picture to look like, and which share of its pixels may differ, percent."""
    other = _fixture_file(cursor, files)
    if not cursor.maybe("within"):
        return other, DEFAULT_ALIKE_PERCENT
    return other, float(cursor.take("percent", "a share of the pixels such as 1%").text[:-1])


def _fixture_file(cursor: Cursor, files: tuple[str, ...]) -> str:
    """The name of a file that the session brings along."""
    name = cursor.string("the fixture it must equal, in quotes")
    if name not in files:
        cursor.position -= 1
        cursor.fail("the file of a `fixture` of the head", files)
    return name
