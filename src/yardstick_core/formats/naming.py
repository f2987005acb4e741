"""What names of columns say, in a dozen languages; the words stand in `column_names.json`."""

from __future__ import annotations

import json
import re
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


@cache
def _patterns() -> tuple[tuple[str, re.Pattern[str]], ...]:
    text = (files("yardstick_core.formats") / "column_names.json").read_text(encoding="utf-8")
    words = json.loads(text)
    return tuple((role, re.compile("|".join(words[role]))) for role in ORDER)


def words_of(name: str) -> str:
    """A name as words: `frameTime_ms` is `frame time ms`; without what stands in brackets.

    >>> words_of("frameTime_ms"), words_of("CPU [%]")
    ('frame time ms', 'cpu')
    """
    bare = re.sub(r"[\[(][^\])]*[\])]", " ", name[:LONGEST_NAME])
    apart = re.sub(r"(?<=[a-z])(?=[A-Z])", " ", bare)
    return re.sub(r"[\s_\-.:/]+", " ", apart).strip().lower()


def role_of(name: str) -> str:
    """The role that a name speaks of; empty where it says nothing.

    >>> role_of("Bildzeit"), role_of("t"), role_of("temps par image (ms)"), role_of("temperature")
    ('frame time', 'time', 'frame time', '')
    """
    name = name[:LONGEST_NAME]
    words = words_of(name)
    if words in ("frame", "frames") and _TIME_UNIT.search(name.lower()):
        return "frame time"
    return next((role for role, pattern in _patterns() if pattern.search(words)), "")
