"""Numbers that a program only shows: what reading a picture gave, and whether it can be trusted.

A picture is read several times, at several sizes. Only where all readings are the same number, each
of them sure of it, does it count by itself; all others wait for a person.
"""

from __future__ import annotations

import re
from collections.abc import Sequence
from dataclasses import dataclass
from statistics import median
from typing import Any

import numpy as np
from scipy import ndimage

from yardstick_core.formats.reported import reported_number
from yardstick_core.script.patterns import Pattern, compiled

#: A reading that its reader is less sure of than this, of 100, is doubted.
SURE_CONFIDENCE = 55.0
FEWEST_READINGS = 3
#: A comma before three digits that does not group as the rest does: it may be either.
_UNGROUPED = re.compile(r"\d{4},\d{3}(?!\d)")
#: Ink is what is darker than this share of the way from the darkest to the ground.
INK = 0.6
#: Small marks may be fainter, of 255; which share of the letters' height they reach, and where.
FAINT_INK, CLEAR_INK, MARK_SHARE, LOW_FROM, MIDDLE_FROM = 190, 120, 0.4, 0.75, 0.3
LEAST_CONTRAST = 24.0
#: Heights to which the letters of a picture are brought before they are read, pixels, and the
#: margin around them.
HEIGHTS, MARGIN = (28, 34, 42, 56), 24
#: Largest picture that is read, pixels.
MOST_PIXELS = 1_000_000

Grey = np.ndarray[tuple[int, int], np.dtype[np.uint8]]


@dataclass(frozen=True, slots=True)
class Marks:
    """Small marks seen in a picture of a number: points or commas at its foot, strokes halfway."""

    low: int
    middle: int

    def fit(self, text: str) -> bool:
        """Whether a text has as many points, commas and minus signs as there are marks."""
        return self.low == sum(text.count(one) for one in ".,") and self.middle == text.count("-")


@dataclass(frozen=True, slots=True)
class Guess:
    """What one reading of a picture gave: its text, and how sure it is, 0 to 100.

    Where other text stands beside the number: `number` is what the words are that hold it, and
    `marks` are those seen where these words stand; None where letters stand in one word with it.
    """

    text: str
    confidence: float
    number: str = ""
    marks: Marks | None = None


@dataclass(frozen=True, slots=True)
class Look:
    """A picture and how often it was seen so, with what its readings gave.

    `marks` are those seen in it where a number stands alone; None where other text may.
    """

    count: int
    guesses: tuple[Guess, ...]
    marks: Marks | None = None


@dataclass(frozen=True, slots=True)
class ShownNumber:
    """A number read from the screen; `doubt` says why a person has to look, empty where it is sure.

    `value` is the median over the looks, `plus_minus` half of what they lie apart; None where
    nothing was read that is a number. `last` is what was read of the last look alone.
    """

    value: float | None
    plus_minus: float
    text: str
    doubt: str
    last: float | None = None


def number_in(text: str, pattern: str) -> float | None:
    """The number in what was read: the group of the pattern, or all of it where there is none."""
    text = " ".join(text.split())
    if pattern:
        match = _loose(pattern).search(text)
        return reported_number(match.group(1)) if match else None
    return reported_number(text.replace(" ", ""))


def _loose(pattern: str) -> Pattern:
    """The pattern with each blank left open: readings of pictures gain and lose them."""
    return compiled(pattern.replace(" ", " ?"))


def words_of_number(words: Sequence[str], pattern: str) -> list[int]:
    """Which words, as they were read one after another, hold the number that a pattern asks for.

    >>> words_of_number(["Score:", "1,234", "points"], r"Score: ([\\d.,]+)")
    [1]
    """
    match = _loose(pattern).search(" ".join(words))
    if match is None:
        return []
    (start, end), found, at = match.span(1), [], 0
    for place, word in enumerate(words):
        if at < end and start < at + len(word):
            found.append(place)
        at += len(word) + 1
    return found


def judged(looks: Sequence[Look], pattern: str = "") -> ShownNumber:
    """What the looks at one place amount to."""
    read = [_of_look(look, pattern) for look in looks]
    values = [
        value
        for look, (value, _, _) in zip(looks, read, strict=True)
        if value is not None
        for _ in range(look.count)
    ]
    last, text = (read[-1][0], read[-1][1]) if read else (None, "")
    if not looks:
        return ShownNumber(None, 0.0, "", "no picture was taken")
    doubts = [doubt for _, _, doubt in read if doubt]
    if not values:
        return ShownNumber(None, 0.0, text, doubts[0] if doubts else "no number was read")
    apart = (max(values) - min(values)) / 2
    doubt = doubts[0] if doubts else ""
    return ShownNumber(float(median(values)), apart, text, doubt, last)


def _of_look(look: Look, pattern: str) -> tuple[float | None, str, str]:
    """Number, text and doubt of one picture."""
    numbers = [number_in(guess.text, pattern) for guess in look.guesses]
    known = [number for number in numbers if number is not None]
    text = look.guesses[0].text if look.guesses else ""
    if not known:
        fits = " that fits the pattern" if pattern else ""
        return None, text, f"no number{fits} was read"
    value = max(set(known), key=known.count)
    if len(look.guesses) < FEWEST_READINGS or len(known) < len(look.guesses):
        return value, text, "not every reading of the picture gave a number"
    if len(set(known)) > 1:
        said = " or ".join(f"{one:g}" for one in sorted(set(known)))
        return value, text, f"it was read as {said}"
    seen = [(look.marks, one.text) for one in look.guesses if look.marks is not None]
    seen += [(one.marks, one.number) for one in look.guesses if one.marks is not None]
    if not all(marks.fit(said) for marks, said in seen):
        return value, text, "a point, a comma or a minus sign may be missing"
    if any(_UNGROUPED.search(guess.text) for guess in look.guesses):
        return value, text, "it may be grouped by commas or have a decimal comma"
    least = min(guess.confidence for guess in look.guesses)
    if least < SURE_CONFIDENCE:
        return value, text, f"its reading is only {least:.0f} % sure"
    return value, text, ""


def marks_in(letters: Grey) -> Marks:
    """Small marks in a picture of a number, as `made_readable` gives it.

    Source: connected components; a mark is lower than a third of the letters, a stroke wider than
    it is high.
    """
    faint, clear = (_marks(letters, ink) for ink in (FAINT_INK, CLEAR_INK))
    return Marks(max(faint.low, clear.low), faint.middle)


def _marks(letters: Grey, ink: int) -> Marks:
    labels, count = ndimage.label(letters < ink, structure=np.ones((3, 3)))
    height = letters.shape[0]
    low = middle = 0
    for rows, columns in ndimage.find_objects(labels, count):
        high, wide = rows.stop - rows.start, columns.stop - columns.start
        if high > height * MARK_SHARE:
            continue
        centre = (rows.start + rows.stop) / 2 / height
        if centre > LOW_FROM:
            low += 1
        elif centre > MIDDLE_FROM and wide > high:
            middle += 1
    return Marks(low, middle)


def made_readable(grey: np.ndarray[Any, Any], height: int) -> tuple[Grey, float] | None:
    """A picture of letters cut to them, dark on white: with the factor that brings it to a height.

    `grey` has shape (height, width), 0 to 255. None where there is no ink in it.
    """
    picture = grey.astype(float)
    if picture.size == 0 or picture.size > MOST_PIXELS:
        return None
    edge = np.concatenate([picture[0], picture[-1], picture[:, 0], picture[:, -1]])
    ground = float(np.median(edge))
    if abs(float(picture.min()) - ground) < abs(float(picture.max()) - ground):
        picture, ground = 255 - picture, 255 - ground
    darkest = float(picture.min())
    if ground - darkest < LEAST_CONTRAST:
        return None
    share = np.clip((picture - darkest) / (ground - darkest), 0, 1)
    ink = share < INK
    rows, columns = np.flatnonzero(ink.any(axis=1)), np.flatnonzero(ink.any(axis=0))
    top, left = max(0, int(rows[0]) - 1), max(0, int(columns[0]) - 1)
    cut = share[top : int(rows[-1]) + 2, left : int(columns[-1]) + 2]
    return np.asarray(cut * 255, np.uint8), height / cut.shape[0]
