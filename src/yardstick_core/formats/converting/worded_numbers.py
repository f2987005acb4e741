"""Numbers of a line of words, and what each is called: by the words before it, and its unit."""

from __future__ import annotations

import re

from yardstick_core.formats.converting.event_lines import WHEN
from yardstick_core.formats.converting.results_in_words import JOINING
from yardstick_core.formats.guessing.naming import LONGEST_NAME, names_frames
from yardstick_core.formats.mapping import TIME_UNITS
from yardstick_core.formats.values import unit_of

NUMBER = re.compile(r"(?<![\w.\-])[+-]?\d+(?:[.,]\d+)?(?![\w.]*\d)")
#: Letters enough to tell something.
TELLS = re.compile(r"[A-Za-z]{2}")
#: What parts the words before a number from those that belong to it.
_PARTED = re.compile(r"[:,;=()\[\]{}|<>]")
_UNIT = re.compile(r"\s?([A-Za-zµμ%]+)")
#: `late 0 fps 30.0`: a word between two numbers of which the first has a name already.
_NAMES_NEXT = re.compile(r" fps[ =:]+\d", re.IGNORECASE)
_PART = re.compile(r"\s?\(([A-Za-z][A-Za-z ]{1,20})\)")
_AFTER = re.compile(r"(?:in|after)", re.IGNORECASE)
#: How long it is from one line to the next.
PERIOD = "period"
#: What parts the numbers of a list, and a word behind a number that is what it counts.
_LISTS = re.compile(r"\s*[,/]\s*")
_FOLLOWS = re.compile(r" ([A-Za-z]{3,20})(?=[,;]|$| in \d)")
#: So many in so long: how far apart lines are, and no frame's own time.
_IN = re.compile(r"\s*(?:frames|images|pictures)\s+in", re.IGNORECASE)


def parted(line: str) -> tuple[str, str]:
    """The time that begins a line, and the rest of it."""
    found = WHEN.match(line)
    return (found[1], line[found.end() :]) if found else ("", line)


def shape_of(text: str) -> str:
    """A text without its numbers.

    >>> shape_of("frame 12 took  14.1 ms")
    'frame # took # ms'
    """
    return re.sub(r"\s+", " ", NUMBER.sub("#", text)).strip()


def names_of(text: str) -> list[str]:
    """What each number of a text is called: the words before it, and its unit.

    >>> names_of("frame 12 took 14.1 ms, load: 0.5"), names_of("3 draws in 5 s")
    (['frame', 'took [ms]', 'load'], ['draws', 'draws [s]'])
    """
    names: list[str] = []
    end, base, first = 0, "", ""
    for found in NUMBER.finditer(text):
        words = _words_before(text, end, found, names, base, first)
        first = first or words
        unit = _UNIT.match(text, found.end())
        unit = None if unit and words and _NAMES_NEXT.match(text, found.end()) else unit
        end = found.end()
        if unit and unit_of(unit[1]):
            end = unit.end()
            part = _PART.match(text, end)
            words = f"{first} {part[1]}".strip() if part else words
            end = part.end() if part else end
        of_frame = names and names_frames(names[-1]) and unit and unit_of(unit[1]) in TIME_UNITS
        words = base = words or ("frame time" if of_frame else "value")
        if unit and unit_of(unit[1]):
            words = f"{words} [{unit[1]}]" if unit_of(unit[1]) != "fps" else unit[1]
        names.append(_unlike(words, names))
    return names


def _words_before(
    text: str, end: int, found: re.Match[str], names: list[str], base: str, first: str
) -> str:
    """What stands between the last number, which ended at `end`, and the one that was found.

    `base` is what the last number is called without its unit, `first` what the first one is.
    """
    between = text[end : found.start()]
    if _IN.fullmatch(between.rstrip()):
        return PERIOD
    words = " ".join(_PARTED.split(between.strip().rstrip(":= "))[-1].split()[-3:]).strip("- +")
    follows = _FOLLOWS.match(text, found.end())
    if not words and follows and not unit_of(follows[1]):
        words = follows[1]
    if not words and TELLS.search(base) and _LISTS.fullmatch(between):
        words = base  # `load: 0.5, 0.6, 0.7`
    if not words and first and "=" in between:
        words = first  # `start 2 s (kernel) + 3 s (rest) = 5 s`
    words = JOINING.sub("", words) or words
    if _AFTER.fullmatch(words):
        telling = [name for name in names if TELLS.search(name)]
        words = f"{telling[-1]} took" if telling else "took"
    return words


def _unlike(words: str, names: list[str]) -> str:
    """Words as a name that none of the others is, and that is not taken for the time of a line."""
    name, again = words[:LONGEST_NAME], 2
    while name in names or name == "time":
        name, again = f"{words} {again}", again + 1
    return name
