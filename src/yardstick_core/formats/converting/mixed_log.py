"""Logs of which some lines say how long something took, among others that say what else went on.

`10:00:02 [main] INFO app.js:14 opened wide.weft in 412 ms` among lines that tell no duration is a
timing; where many lines say the same of a frame each, those are frames.
"""

from __future__ import annotations

import re
from bisect import bisect_right
from collections import Counter
from statistics import median
from typing import Any, NamedTuple

from yardstick_core.formats.converting.event_lines import (
    FOLDERS,
    LEVEL,
    ORIGIN,
    edges_of,
    in_seconds,
    paired,
)
from yardstick_core.formats.converting.results_in_words import JOINING, STEP
from yardstick_core.formats.converting.rounds import HEADING, ORNAMENTS
from yardstick_core.formats.converting.worded_numbers import NUMBER, names_of, parted, shape_of
from yardstick_core.formats.guessing.naming import LONGEST_NAME, names_frames, role_of
from yardstick_core.formats.mapping import TIME_UNITS, VARIANT
from yardstick_core.formats.values import unit_of

FEWEST_FRAMES, FEWEST_TIMINGS = 20, 3
#: So many more lines than that hold a duration make a log; in others each line is a result.
_OTHERS = 0.05
_MOST_NAMES = 60
#: Fewer lines than this may each name another file: what was done to another is another timing.
_FEW = 40
#: So many of the first lines tell whether a text is a table.
_LOOKED_AT = 400
#: Where so many lines that hold a duration say when they were written, the others sum them up.
_STAMPED = 0.7

#: The zone of the clock behind a time.
_ZONE = re.compile(r"^\s*(?:UTC|GMT|[CEW]ES?T|[PMCE][SD]T|[BIJK]ST|AE[SD]T|MSK)\b")
_BRACKETS = re.compile(r"\[[^\[\]]{0,80}\]")
_VALUE = re.compile(r"(?<![\w.,:<>])(?<![<>] )(\d+(?:[.,]\d+)?)\s?([A-Za-zµμ]{1,12})(?![\w/])")
#: What is told before a number and says no more than that it is a duration.
_DURATION = re.compile(
    r"(?:(?:total |elapsed )?(?:duration|time|took|elapsed|total)(?: taken| time)?)", re.IGNORECASE
)
#: Times that were set, and not measured.
_SETTING = re.compile(
    r"\b(?:time-?out|timed out|interval|retry|retries|retrying|delay|expir\w+|every|max\w*|min\w*"
    r"|limit|budget|refresh|poll\w*|wait\w*|sleep\w*|keep-?alive|period|older|last|next|ago|uptime)\b",
    re.IGNORECASE,
)


#: A program's first line, which it writes again at each start, and the release in it.
_BANNER = re.compile(
    r"start|launch|hello|welcome|version|\bv?\d+\.\d|boot|\binit",
    re.IGNORECASE,
)
_RELEASE = re.compile(r"(?<![\w.])v?(\d+(?:\.\d+)+[\w.-]*)")
#: What a program times at so many of its starts is the same work each time, and so many lines are
#: the fewest that it writes from one to the next.
_IN_MOST, _LINES_OF_A_START = 0.8, 4


def rows_of(lines: list[str]) -> list[dict[str, Any]] | None:
    """A row for each frame, or for each thing that took so long; None for other texts."""
    messages = [_message_of(line) for line in lines]
    if not messages or _is_table([text for _, text in messages[:_LOOKED_AT]]):
        return None
    if frames := _frames(messages):
        return frames
    timings, edges = _timings(messages), _edges(messages)
    if len(edges or ()) > len(timings):
        return edges
    return _of_one_run(timings) or None


def runs_of(lines: list[str]) -> list[dict[str, Any]] | None:
    """A row for each start of a program, with the median of what it did several times; None where
    its first line does not come again, or what it times is not the same each time.
    """
    filled = [line for line in lines if line.strip()]
    banner = _message_of(filled[0])[1] if filled else ""
    named = role_of(re.split(r"[:=]", banner)[0]) == VARIANT  # `release: 4.1`: a field of a record
    if not _BANNER.search(banner) or _durations(banner) or named:
        return None
    messages = [_message_of(line) for line in filled]
    starts = [line for line, (_, text) in enumerate(messages) if _masked(text) == _masked(banner)]
    several = 1 < len(starts) <= len(messages) / _LINES_OF_A_START
    found = _timings(messages) if several else []
    took: list[dict[str, list[float]]] = [{} for _ in starts]
    for one in found:
        of_start = took[bisect_right(starts, one.line) - 1]
        of_start.setdefault(one.name, []).append(one.seconds)
    rows: list[dict[str, Any]] = [
        {HEADING: _started(messages[begin][1])}
        | {f"{name} [s]": median(values) for name, values in some.items()}
        for begin, some in zip(starts, took, strict=True)
        if some
    ]
    alike = Counter(name for row in rows for name in row)
    shared = [name for name, count in alike.items() if count >= _IN_MOST * len(starts)]
    return rows if len(shared) > 1 and not any(map(names_frames, shared)) else None


def _message_of(line: str) -> tuple[str, str]:
    """When a line was written, where it says so, and what it says, without where it comes from."""
    when, rest = parted(line)
    cells = [cell for cell in re.split(r"[\t|]", rest) if _durations(cell)]
    rest = cells[0] if len(cells) == 1 else rest
    plain = ORIGIN.sub(" ", _BRACKETS.sub(_kept, _ZONE.sub(" ", rest) if when else rest))
    return when, in_seconds(LEVEL.sub("", plain).strip())


def _kept(brackets: re.Match[str]) -> str:
    """Brackets that hold a duration say something; others say where a line comes from."""
    return brackets[0] if _durations(brackets[0]) else " "


def _is_table(lines: list[str]) -> bool:
    """Whether nearly all lines have the same number of cells, numbers among them."""
    for sign in (r",(?! )", ";", r"\t", r"\|", r"\s{2,}"):
        cells = [re.split(sign, line.strip()) for line in lines]
        usual, alike = Counter(map(len, cells)).most_common(1)[0]
        if usual > 1 and alike >= (1 - _OTHERS) * len(lines):
            numeric = sum(any(map(NUMBER.fullmatch, map(str.strip, row))) for row in cells)
            return 2 * numeric > len(lines)
    return False


def _durations(text: str) -> list[re.Match[str]]:
    return [
        one for one in _VALUE.finditer(text)
        if unit_of(one[2]) in TIME_UNITS and one[2] != "S"  # a state, in tables of processes
    ]  # fmt: skip


def _frames(messages: list[tuple[str, str]]) -> list[dict[str, Any]] | None:
    """Rows of the lines that most often say the same of a frame each, with all their numbers."""
    texts = (text for _, text in messages if _durations(text) and names_frames(text))
    shapes = Counter(map(shape_of, texts))
    shape, count = shapes.most_common(1)[0] if shapes else ("", 0)
    if count < FEWEST_FRAMES:
        return None
    rows: list[dict[str, Any]] = []
    names: list[str] = []
    for when, text in messages:
        if shape_of(text) == shape:
            names = names or names_of(text)
            told = {"time": when} if when else {}
            rows.append(told | dict(zip(names, NUMBER.findall(text), strict=True)))
    return rows


class _Timing(NamedTuple):
    """What a line tells: when it was written, what took so long, and how long that was."""

    line: int
    when: str
    name: str
    seconds: float


def _timings(messages: list[tuple[str, str]]) -> list[_Timing]:
    """What those lines tell that say one duration, and of what; none where too few or all do."""
    found = []
    for line, (when, text) in enumerate(messages):
        told = _durations(text)
        name = _name(text, told[0]) if len(told) == 1 and _is_told(text, told[0]) else ""
        if name and not _SETTING.search(name):
            seconds = float(told[0][1].replace(",", ".")) * TIME_UNITS[unit_of(told[0][2])] / 1e9
            found.append(_Timing(line, when, name, round(seconds, 9)))
    if len(found) < FEWEST_TIMINGS or len(found) > (1 - _OTHERS) * len(messages):
        return []
    names = _few_names([one.name for one in found])
    if len(set(names)) > _MOST_NAMES:
        return []
    return [one._replace(name=name) for one, name in zip(found, names, strict=True)]


def _of_one_run(found: list[_Timing]) -> list[dict[str, Any]]:
    """A row for each timing: at its time, where lines have one."""
    if sum(bool(one.when) for one in found) > _STAMPED * len(found):
        return [
            {"end": one.when, "name": one.name, "duration [s]": one.seconds}
            for one in found if one.when
        ]  # fmt: skip
    return [{STEP: one.name, "duration [s]": one.seconds} for one in found]


def _masked(text: str) -> str:
    return re.sub(r"\d[\d.]*", "#", text)


def _started(banner: str) -> str:
    """What was started: the words of its first line before the release that it names, and that."""
    release = _RELEASE.search(banner)
    words = banner[: release.start()] if release else banner
    words = re.sub(r"(?i)\b(?:is )?(?:start(?:s|ing|ed)?|version)\b.*|\d[\d.]*|\(.*", "", words)
    program = words.strip(f"{ORNAMENTS} ,;.")
    return f"{program} {release[1]}".strip() if release else program or "program"


def _is_told(text: str, told: re.Match[str]) -> bool:
    """Whether a duration is said of something: no cell of a table, and no share of anything."""
    before, behind = text[: told.start()].rstrip(), text[told.end() :].strip(" )].!")
    return "%" not in before and (not behind or not before or not before[-1].isdigit())


def _name(text: str, told: re.Match[str]) -> str:
    """What took so long: the words before the duration, or those behind it."""
    before = text[: told.start()].strip(f"{ORNAMENTS} ([{{,;.")
    before = JOINING.sub("", before).strip(f"{ORNAMENTS} ([{{,;.")
    behind = text[told.end() :].strip(f"{ORNAMENTS} )]}},;.")
    bare = not before or _DURATION.fullmatch(before)
    before = re.sub(rf"(?i)(?<=\w)\s+{_DURATION.pattern}$", "", before)
    name = " ".join(FOLDERS.sub("", behind if bare and behind else before).split())
    return name[:LONGEST_NAME] if re.search(r"[^\W\d_]{2}", name) else ""


def _few_names(names: list[str]) -> list[str]:
    """Names without what tells nearly every line from the others: its number, its file."""
    for shorten in (_without_numbers, _without_objects):
        few = len(names) < _FEW and shorten is _without_objects
        if 2 * len(set(names)) <= len(names) or few:
            break
        names = [shorten(name) or name for name in names]
    return names


_NUMBERED = re.compile(r"(?:[\w.]{1,40}[=#:])?#?[\d.,:]+%?[;)]?")


def _without_numbers(name: str) -> str:
    """A name without words that are numbers, also of `job=17`, and what stands in brackets."""
    words = re.sub(r"\([^()]*\)", " ", name).split()
    plain = [word for word in words if not _NUMBERED.fullmatch(word)]
    return " ".join(plain).strip(f"{ORNAMENTS} ([{{,;.")


def _without_objects(name: str) -> str:
    """A name without what it was done to: files, what stands in quotes, words with a number."""
    plain = re.sub(r"\"[^\"]*\"|'[^']*'|“[^”]*”", " ", name)
    words = [word for word in plain.split() if not re.search(r"\d|[/\\]|\w\.\w", word)]
    return " ".join(words).strip(f"{ORNAMENTS} ([{{,;.")


def _edges(messages: list[tuple[str, str]]) -> list[dict[str, Any]] | None:
    """A row for each thing that began and was done, though few lines say so."""
    edges = edges_of([(when, text) for when, text in messages if when])
    if len(edges) < 2 * FEWEST_TIMINGS:
        return None
    return paired([when for when, _ in edges], [text for _, text in edges])
