"""Logs of a server that was asked: a line for each request, with how long it took at its end.

`127.0.0.1 - - [01/Dec/2026:10:00:00 +0000] "GET /open?id=7 HTTP/1.1" 200 512 0.123`
"""

from __future__ import annotations

import re
from datetime import datetime
from statistics import median
from typing import Any

#: Who asked and when, what for, the answer, where from and by what; then what a server adds.
#: Whoever brings a file chooses the text: each sign can be read in one way only.
LINE = re.compile(
    r'\S+ \S+ \S+ \[(\d\d/[A-Z][a-z]{2}/\d{4}:\d\d:\d\d:\d\d [+-]\d{4})\] '
    r'"([A-Z]{3,10}) ([^"\s]++)[^"]*+" \d{3} (?:\d+|-)(?: "[^"]*" "[^"]*")?([^\n]*)'
)  # fmt: skip
_WRITTEN = "%d/%b/%Y:%H:%M:%S %z"
_NUMBER = re.compile(r'(?:^|[\s="])(\d+(?:\.\d+)?)\s?(m?s|us)?"?\s*$')
#: Requests do not usually take longer: larger whole numbers are microseconds.
_MOST_MS = 5000
#: Of so many lines most are requests.
_MOSTLY = 0.9


def rows_of(lines: list[str]) -> tuple[list[dict[str, Any]], str] | None:
    """A row for each request that says how long it took, and the unit that was guessed for whole
    numbers, empty where none was; None for other texts, and where no line says so.
    """
    found = [LINE.match(line) for line in lines]
    requests = [one for one in found if one]
    if len(requests) < _MOSTLY * len(lines):
        return None
    told = [
        (when, f"{one[2]} {_path(one[3])}", took)
        for one in requests
        if (took := _NUMBER.search(one[4])) and (when := _instant(one[1]))
    ]
    if not told:
        return None
    bare = [float(took[1]) for _, _, took in told if not took[2] and "." not in took[1]]
    guessed = ("us" if median(bare) > _MOST_MS else "ms") if bare else ""
    rows = [
        {
            "end": when.isoformat(sep=" "),
            "name": name,
            f"duration [{_unit(took, guessed)}]": took[1],
        }
        for when, name, took in told
    ]
    return rows, guessed


def _unit(took: re.Match[str], guessed: str) -> str:
    """What is told without a unit is seconds, with a point in it; else what was guessed."""
    return took[2] or ("s" if "." in took[1] else guessed)


def _instant(text: str) -> datetime | None:
    try:
        return datetime.strptime(text, _WRITTEN)
    except ValueError:
        return None


def _path(asked: str) -> str:
    """What was asked for, without what tells one time from the next."""
    return re.sub(r"(?<=/)\d+(?=/|$)", "#", asked.partition("?")[0])[:120]
