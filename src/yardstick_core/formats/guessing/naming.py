"""What names of columns say, in a dozen languages; the words stand in `column_names.json`."""

from __future__ import annotations

import json
import re
from collections.abc import Sequence
from functools import cache
from importlib.resources import files

#: Names are tried in this order: the more telling first.
ORDER = (
    "frame time", "rate", "processor", "memory", "begin", "end", "variant", "marker", "duration",
    "time",
)  # fmt: skip


#: Of a longer name no more is read: a first line may be anything.
LONGEST_NAME = 200
#: `frames (ms)` are lengths of frames, and `frames` alone may be anything.
_TIME_UNIT = re.compile(r"[\[(]\s*(?:[mnu\u00b5\u03bc]?s(?:ec)?)\s*[\])]")


#: How long a command took, whatever else its name says, and what it used of the processor.
_WALL_CLOCK = re.compile(r"\bwall ?clock\b")
_TIME_USED = re.compile(r"(?:user|sys(?:tem)?|cpu|kernel)(?: mode)? time\b")


#: What is measured besides: such a name may hold `cpu`, `hz` or `memory` and is none of those.
_BESIDES = re.compile(
    r"\b(?:temp|temperatures?|power|watts?|volt(?:s|age)?|fan|rpm|energy|joules?|gpu|vram|swap"
    r"|free|mem(?:ory)? ?total|avail(?:able)?"
    r"|freq(?:uency)?|[kmg]hz|core clock|clock (?:speed|rate))\b"
)


#: What is told of frames that is not how long one was on the screen.
_PART_OF_A_FRAME = re.compile(
    r"\b(?:[cg]pu|p\d{1,3}|pct|percentile|avg|average|mean|median|min|max|worst|best|low|high|std"
    r"|stdev|jitter|budget|target|limit|start|begin|end|stop)\b|%|\d(?:st|nd|rd|th)\b"
)


@cache
def _patterns() -> tuple[tuple[str, re.Pattern[str]], ...]:
    words = _dictionary()
    return tuple((role, re.compile("|".join(words[role]))) for role in ORDER)


@cache
def _words(kind: str) -> re.Pattern[str]:
    words = _dictionary()
    known = words[kind] + (words["mean"] if kind == "summary" else [])
    return re.compile("|".join(known))


def _dictionary() -> dict[str, list[str]]:
    text = (files("yardstick_core.formats.guessing") / "column_names.json").read_text(
        encoding="utf-8"
    )
    return dict(json.loads(text))


def words_of(name: str) -> str:
    """A name as words: `frameTime_ms` is `frame time ms`; without what stands in brackets.

    >>> words_of("frameTime_ms"), words_of("CPU [%]")
    ('frame time ms', 'cpu')
    """
    bare = re.sub(r"[\[(][^\])]*[\])]", " ", name[:LONGEST_NAME])
    apart = re.sub(r"(?<=[a-z])(?=[A-Z])", " ", bare)
    plain = apart.replace("\u0130", "i")  # whose lower case would be two signs
    return re.sub(r"[\s_\-.:/]+", " ", plain).strip().lower()


def role_of(name: str) -> str:
    """The role that a name speaks of; empty where it says nothing.

    >>> role_of("Bildzeit"), role_of("t"), role_of("temps par image (ms)"), role_of("cpu_temp")
    ('frame time', 'time', 'frame time', '')
    """
    name = name[:LONGEST_NAME]
    words = words_of(name)
    if words in ("frame", "frames") and _TIME_UNIT.search(name.lower()):
        return "frame time"
    if _WALL_CLOCK.search(name.lower()):
        return "duration"
    role = next((role for role, pattern in _patterns() if pattern.search(words)), "")
    if role == "frame time" and _PART_OF_A_FRAME.search(words):
        return ""  # how long one part of it took, or what many of them come to
    if role == "time" and _TIME_USED.match(words):
        return ""
    if role in ("time", "memory") and is_action(name):
        return ""  # `launch time`: how long that took, and not when it was
    return "" if role in ("rate", "processor", "memory", "time") and of_others(name) else role


def of_others(name: str) -> bool:
    """Whether a name speaks of another meter: of graphics, of heat, of what is free.

    >>> of_others("cpu_temp"), of_others("GPU memory (MB)"), of_others("memory")
    (True, True, False)
    """
    apart = re.sub(r"(?<=[a-z])(?=[A-Z])", " ", name[:LONGEST_NAME])
    words = re.sub(r"[\s_\-.:/()\[\]]+", " ", apart.lower())
    return bool(_BESIDES.search(words))


def names_resident(name: str) -> bool:
    """Whether memory is called as systems call that of a process.

    >>> names_resident("RSS"), names_resident("memory")
    (True, False)
    """
    return words_of(name) in ("rss", "res", "rsz", "vm rss", "vmrss")


def sums_up(text: str) -> bool:
    """Whether a name of a row or a column says that it sums up others: a mean, a total.

    >>> sums_up("Avg"), sums_up("Mittelwert (s)"), sums_up("sd_ms"), sums_up("average user")
    (True, True, True, False)
    """
    return bool(_words("summary").fullmatch(_without_unit(words_of(text))))


def _without_unit(words: str) -> str:
    return _UNIT_BEHIND.sub("", words)


#: A unit at the end of a name, as in `mean_ms`.
_UNIT_BEHIND = re.compile(r" (?:[mnu\u00b5\u03bc]?s|m?secs?|seconds|min|minutes)$")


def is_action(name: str) -> bool:
    """Whether a name says what was done while it was timed, as no variant is called.

    >>> is_action("open [ms]"), is_action("Startzeit (s)"), is_action("4.1"), is_action("Trial 1")
    (True, True, False, False)
    """
    return bool(_words("action").search(words_of(name)))


def names_frames(name: str) -> bool:
    """Whether a column is called after frames: it may count them.

    >>> names_frames("Frame #"), names_frames("fotograma"), names_frames("row")
    (True, True, False)
    """
    return bool(_words("frame").search(words_of(name)))


def names_ids(name: str) -> bool:
    """Whether a column tells one thing from another, and measures none.

    >>> names_ids("traceId"), names_ids("request_uuid"), names_ids("pid"), names_ids("id")
    (True, True, False, True)
    """
    return bool(re.search(r"(?:^| )(?:id|ids|uuid|guid|hash|digest|sha\d*)$", words_of(name)))


def names_units(name: str) -> bool:
    """Whether a column is called after units: it holds that of each row."""
    return bool(_words("unit").fullmatch(words_of(name)))


def names_counts(name: str) -> bool:
    """Whether a column says how often something came, as a histogram does."""
    return bool(_words("count").fullmatch(words_of(name)))


def names_runs(name: str) -> bool:
    """Whether a column says which run a row is of."""
    return bool(_words("run").fullmatch(words_of(name)))


def names_tests(name: str) -> bool:
    """Whether a column is called after what was timed: a test, a scenario, a command."""
    return bool(_words("test").search(words_of(name)))


def names_steps(name: str) -> bool:
    """Whether a column is called after what was timed, as a table that people write calls it.

    >>> names_steps("Step"), names_steps("Test case"), names_steps("name")
    (True, True, False)
    """
    return words_of(name) in _STEPS


_STEPS = (
    "step", "task", "action", "operation", "timing", "test", "test case", "test name", "scenario",
    "schritt", "vorgang", "étape", "paso", "passo", "stap",
)  # fmt: skip


def names_values(name: str) -> bool:
    """Whether a column says that it holds values, and not of what."""
    return bool(_words("value").fullmatch(words_of(name)))


_REPEAT = re.compile(
    r"(?P<stem>.*?\S)(?:[\s_#\-]+|(?<=[^\W\d_]))"
    r"(?:(?:run|trial|attempt|try|take|pass|round)[\s_#]*)?#?\d{1,3}",
    re.IGNORECASE,
)


def stem_of(name: str) -> str:
    """A name without the number of a repeat behind it; as it is where there is none.

    >>> stem_of("Run 1"), stem_of("4.1 run 2"), stem_of("4.1")
    ('Run', '4.1', '4.1')
    """
    found = _REPEAT.fullmatch(name.strip())
    return found["stem"].strip() if found else name.strip()


#: What numbers the repeats of a timing.
_NUMBERED = re.compile(r"(?<![\d.])#?(\d+)(?:st|nd|rd|th|\.(?!\d))?(?!\.?\d)", re.IGNORECASE)


def without_number(name: str) -> str:
    """A name without its number: that of repeats is the same.

    >>> without_number("Trial 1"), without_number("2nd run"), without_number("4.1")
    ('Trial', 'run', '4.1')
    """
    return _NUMBERED.sub("", name).strip()


def number_repeats(names: Sequence[str]) -> bool:
    """Whether names differ by a number alone, which counts on from one to the next.

    >>> number_repeats(["Trial 1", "Trial 2"]), number_repeats(["release 2025", "release 2026"])
    (True, False)
    """
    counted = [[int(found[1]) for found in _NUMBERED.finditer(name)] for name in names]
    alike = len(set(map(without_number, names))) == 1
    first = counted[0][0] if counted and len(counted[0]) == 1 else -1
    return alike and first in (0, 1) and counted == [[first + n] for n in range(len(names))]


def is_mean(text: str) -> bool:
    """Whether a name says that it is the middle of others, not their spread or their limits.

    >>> is_mean("Avg (s)"), is_mean("mean_s"), is_mean("std dev")
    (True, True, False)
    """
    return bool(_words("mean").fullmatch(_without_unit(words_of(text))))
