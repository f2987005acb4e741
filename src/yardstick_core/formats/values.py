"""Numbers and dates from text."""

from __future__ import annotations

import csv
import re
from collections import Counter
from collections.abc import Sequence
from datetime import UTC, datetime

import numpy as np
from numpy.typing import NDArray

from yardstick_core.formats.mapping import BLANKS, MEMORY_UNITS, TIME_UNITS

#: Words that stand for a unit, in lower case.
UNIT_WORDS = {
    "s": r"s|secs?|seconds?|sek(?:unden?)?|с|сек|秒|초",
    "ms": r"ms|msecs?|milli(?:s(?:ec(?:ond)?s?)?)?|мс|ミリ秒|毫秒",
    "µs": r"[µμu]s|[µμu]secs?|micros?(?:ec(?:ond)?s?)?|мкс|微秒",
    "100 ns": r"100 ?ns|ticks?", "ns": r"ns|nsecs?|nanos?(?:ec(?:ond)?s?)?|нс",
    "min": r"mins?|minutes?|мин", "day": r"days?|tage?|jours?|d[íi]as?|giorni|dagen",
    "KiB": r"kib|киб", "MiB": r"mib|миб", "GiB": r"gib|гиб",
    "kB": r"kb|kbytes?|ko|кб", "MB": r"mb|mbytes?|megabytes?|mo|мб",
    "GB": r"gb|gbytes?|gigabytes?|go|гб", "B": r"bytes?|b|байт",
    "cores": r"cores?", "% of the machine": r"%|percent|pct", "fps": r"fps",
}  # fmt: skip

_GROUPS = {
    ".": re.compile(r"[+-]?\d{1,3}(?:[,'\u2019\u00a0\u202f ]\d{3})+(?:\.\d+)?(?:\s*%)?"),
    ",": re.compile(r"[+-]?\d{1,3}(?:[.'\u2019\u00a0\u202f ]\d{3})+(?:,\d+)?(?:\s*%)?"),
}
_NUMBER = re.compile(r"[+-]?(?:\d+\.?\d*|\.\d+)(?:[eE][+-]?\d+)?(?:\s*%)?")
_WITH_UNIT = re.compile(r"([+-]?[\d.,]*\d)\s?([^\W\d_]{1,12})")


#: Minutes and seconds with their units: `1m 2.5s`.
_MINUTES = re.compile(r"(\d+)\s?m(?:in)?\.?\s?(\d+(?:[.,]\d+)?)\s?s(?:ec)?\.?")


def _with_unit(cell: str) -> re.Match[str] | None:
    """A number and the unit behind it; minutes and seconds are told in seconds."""
    text = cell.strip()
    if found := _MINUTES.fullmatch(text):
        text = f"{60 * int(found[1]) + float(found[2].replace(',', '.')):.9g} s"
    return _WITH_UNIT.fullmatch(text)


#: The blank between a time of day and the half of the day that it is in: `10:00:01 AM`.
HALF_DAY = re.compile(r"(?<=\d)[ \t]([AaPp][Mm])(?=\s|$)")


def cells_of(line: str, separator: str) -> list[str]:
    """The cells of one line of separated text; none where its quotes cannot be read."""
    try:
        if separator == BLANKS:
            return HALF_DAY.sub(r"\1", line).split()
        # a blank may stand behind a comma, and before the quotes of the next cell
        loose = separator not in (" ", "\t")
        reader = csv.reader([line.rstrip("\r")], delimiter=separator, skipinitialspace=loose)
        return next(reader, [])
    except csv.Error:
        return []


def unit_of(word: str) -> str:
    """The unit that a word means; empty where it means none.

    >>> unit_of("msec"), unit_of("KB"), unit_of("tiles")
    ('ms', 'kB', '')
    """
    low = word.lower()
    return next((unit for unit, words in UNIT_WORDS.items() if re.fullmatch(words, low)), "")


def is_told_in_unit(cell: str) -> bool:
    """Whether a cell is a number with a unit behind it.

    >>> is_told_in_unit("2.5 s"), is_told_in_unit("12 tiles")
    (True, False)
    """
    found = _with_unit(cell)
    return bool(found and unit_of(found[2]))


def unit_in_cells(cells: Sequence[str]) -> str:
    """The unit that most cells are told in, where all that are filled are told in one of its kind.

    >>> unit_in_cells(["2.2 s", "", "1.8 s", "900 ms"]), unit_in_cells(["2.2 s", "4 MiB"])
    ('s', '')
    """
    found = [_with_unit(cell) for cell in cells if cell.strip()]
    units = Counter(unit_of(one[2]) if one else "" for one in found)
    usual = max(units, key=lambda unit: units[unit], default="")
    return usual if usual and all(_in_unit(unit, usual) for unit in units) else ""


def _in_unit(other: str, unit: str) -> float:
    """What one of another unit is in a unit; 0 where they are of different kinds."""
    for kind in (TIME_UNITS, MEMORY_UNITS):
        if other in kind and unit in kind:
            return kind[other] / kind[unit]
    return float(bool(unit) and other == unit)


def numbers(cells: Sequence[str], decimal: str = ".", unit: str = "") -> NDArray[np.float64]:
    """Numbers of text cells, shape (n,); NaN for what is none.

    A percent sign is passed over, and so are signs that part thousands, and a spread behind `±`.
    With `unit`, a number that a unit of that kind stands behind is told in it.

    >>> numbers(["1.2 s", "840 ms", "3"], unit="ms").tolist()
    [1200.0, 840.0, 3.0]
    """
    found = np.full(len(cells), np.nan)
    marked = decimal
    for place, cell in enumerate(cells):
        decimal = marked
        text, factor = cell.partition("±")[0].strip(), 1.0
        if unit and (parts := _with_unit(text)):
            decimal = "." if _MINUTES.fullmatch(text) else marked
            factor = _in_unit(unit_of(parts[2]), unit)
            text = parts[1] if factor else text
        if len(text) > 4 and _GROUPS[decimal].fullmatch(text):
            text = re.sub(r"[\s'\u2019]" if decimal == "." else r"[.\s'\u2019]", "", text)
            text = text.replace(",", "") if decimal == "." else text
        text = text.replace(",", ".") if decimal == "," else text
        if _NUMBER.fullmatch(text):
            found[place] = float(text.replace("%", "")) * (factor or 1.0)
    return found


#: 2026/11/28, 28.11.2026, 11/28/2026: the year first or last.
_DATE = re.compile(
    r"(\d{4})[/.](\d{1,2})[/.](\d{1,2})(?=\D)|(\d{1,2})([/.])(\d{1,2})[/.](\d{4})(?=\D)"
)
#: 30 Nov 2026, Nov 30, 2026.
_WORDED = re.compile(
    r"(?:(\d{1,2})[ -])?(jan|feb|mar|apr|may|jun|jul|aug|sep|oct|nov|dec)[a-z]*\.?[ -]"
    r"(?:(\d{1,2}),?[ -])?(\d{4})(?=\D)",
    re.IGNORECASE,
)
#: Tue Dec  1 10:00:01 UTC 2026, Tue 01 Dec 2026 10:00:01 AM UTC: as systems write the date.
_SYSTEM = re.compile(
    r"(?:[A-Z][a-z]{2},? +)?(?:(?P<mon>[A-Z][a-z]{2}) +(?P<d>\d{1,2})"
    r"|(?P<day>\d{1,2}) +(?P<month>[A-Z][a-z]{2}))(?: +(?P<year>\d{4}))?"
    r" +(?P<clock>\d{1,2}:\d\d:\d\d(?:\.\d{1,9})?)(?P<half> [AP]M)?(?: +[A-Z]{2,5})?"
    r"(?: +(?P<last>\d{4}))?"
)
_MONTHS = ("jan", "feb", "mar", "apr", "may", "jun", "jul", "aug", "sep", "oct", "nov", "dec")
#: A time of day behind a date: its hours may have one digit, or be those of half a day.
_BEHIND_DATE = re.compile(r"[T ]\s?(\d{1,2}):(\d\d)((?::[\d.]+)?) ?([AaPp][Mm])?")
_CLOCK = re.compile(r"(?:(\d{1,2}):)?(\d{1,2}):(\d{1,2}(?:[.,]\d{1,9})?)\s*([ap]m)?", re.IGNORECASE)


def _as_iso(found: re.Match[str]) -> str:
    """A date as ISO 8601 has it; with slashes the month comes first, unless it is none."""
    if found[1]:
        return f"{found[1]}-{int(found[2]):02}-{int(found[3]):02}"
    first, second = int(found[4]), int(found[6])
    month_first = found[5] == "/" and second > 12
    day, month = (second, first) if month_first else (first, second)
    return f"{found[7]}-{month:02}-{day:02}"


def _system_as_iso(found: re.Match[str]) -> str:
    """A date that a system wrote as ISO 8601 has it; empty where it names no month or no year."""
    month, year = (found["mon"] or found["month"]).lower(), found["year"] or found["last"]
    if month not in _MONTHS or not year:
        return ""
    day = int(found["d"] or found["day"])
    return f"{year}-{_MONTHS.index(month) + 1:02}-{day:02} {found['clock']}{found['half'] or ''}"


def _as_24_hours(text: str) -> str:
    """The time of day of an ISO date with two digits of its hours, counted from midnight."""
    found = _BEHIND_DATE.match(text, 10)
    if not found:
        return text
    hours = int(found[1])
    if found[4]:
        hours = hours % 12 + (12 if found[4].lower() == "pm" else 0)
    return f"{text[:10]} {hours:02}:{found[2]}{found[3]}{text[found.end() :]}"


def clocks(cells: Sequence[str]) -> NDArray[np.float64]:
    """Seconds of cells with a time of day and no date, or hours, minutes and seconds since a start.

    >>> clocks(["23:59:59.5", "1:30", "x"]).tolist()
    [86399.5, 90.0, nan]
    """
    found = np.full(len(cells), np.nan)
    for place, cell in enumerate(cells):
        if parts := _CLOCK.fullmatch(cell.strip()):
            hours = int(parts[1] or 0)
            if parts[4]:
                hours = hours % 12 + (12 if parts[4].lower() == "pm" else 0)
            seconds = float(parts[3].replace(",", "."))
            found[place] = 3600 * hours + 60 * int(parts[2]) + seconds
    return found


def dates(cells: Sequence[str]) -> NDArray[np.float64]:
    """Seconds since 1970 of cells with date and time as ISO 8601 has it; NaN for what is none."""
    found = np.full(len(cells), np.nan)
    for place, cell in enumerate(cells):
        text = cell.strip()
        if len(text) >= 16 and (other := _SYSTEM.fullmatch(text)):
            text = _system_as_iso(other) or text
        elif len(text) >= 8 and (other := _DATE.match(text)):
            text = _as_iso(other) + text[other.end() :].replace(",", ".")
        elif len(text) >= 11 and (other := _WORDED.match(text)) and (other[1] or other[3]):
            month = _MONTHS.index(other[2].lower()) + 1
            text = f"{other[4]}-{month:02}-{int(other[1] or other[3]):02}" + text[other.end() :]
        if len(text) >= 10 and text[4:5] == "-":
            try:
                moment = datetime.fromisoformat(_as_24_hours(text))
            except ValueError:
                continue
            whole = moment if moment.tzinfo else moment.replace(tzinfo=UTC)
            found[place] = whole.timestamp()
    return found
