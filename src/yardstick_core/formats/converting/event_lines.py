"""Lines of a program's own log that say when something began and when it was done.

`10:00:01.204 app[7]: open document start`, and later the same with `done`, are one timing; so is
`10:00:02.6 open document took 1.4 s`.
"""

from __future__ import annotations

import re
from collections import Counter
from typing import Any

import numpy as np

from yardstick_core.formats.guessing.naming import LONGEST_NAME
from yardstick_core.formats.mapping import TIME_UNITS
from yardstick_core.formats.values import clocks, dates, numbers, unit_of

#: Such a share of the lines that hold a time must say what began or was done.
AGREED, FEWEST = 0.4, 4

_UNIT = r"\s*(?:[mnuµμ]?s|sec\w*|min\w*|fps|[KMG]i?B|%)(?!\w)"
WHEN = re.compile(
    r"\s*(?:(?:[A-Z][a-z]{2}, )?(?:[A-Z][a-z]{2} {1,2}\d{1,2}|\d{1,2} [A-Z][a-z]{2})(?: \d{4})? )?"
    r"[\[(]? {0,6}((?:(?:\d{4}[-/.]\d\d[-/.]\d\d|\d{1,2}[./-]\d{1,2}[./-]\d{4})[T ])?"
    r"\d{1,2}:\d\d:\d\d(?:[.,]\d{1,9})?"
    r"(?:Z|[+-]\d\d:?\d\d)?"
    r"|(?<=[\[(])\d{1,3}:\d\d[.,]\d{1,9}(?=[\])])"
    rf"|(?:\d{{1,10}}\.\d{{1,9}}|\d{{10}}(?:\d{{3}}){{0,3}}(?:\.\d+)?)(?=s?[\])]|\s(?!{_UNIT})))"
    r"(?:s?[\])])?(?=[\s:,\[(]|$)"
)
_BEGAN = r">>|-->|start(?:s|ed|ing)?|begin(?:s|ning)?|began|begun|enter(?:s|ed|ing)?"
_DONE = (
    r"<<|<--|done|end(?:s|ed)?|finish(?:es|ed)?|complete[sd]?|stop(?:s|ped)?|ready|leave|left"
    r"|exit(?:s|ed)?|loaded"
)
_EDGE = re.compile(
    rf"(?:(?:{_BEGAN})|(?P<done>{_DONE}))(?:\b|(?<=[<>-]))[\s:,=>-]*(?P<named>.+)"
    rf"|(?P<name>.+?)[\s:,=>._-]+(?:(?:{_BEGAN})|(?P<over>{_DONE}))[\s.!]*",
    re.IGNORECASE,
)
#: What began or was done is not named.
_BARE_EDGE = re.compile(rf"(?:(?:{_BEGAN})|(?P<over>{_DONE}))[\s.!:]*", re.IGNORECASE)
_TOOK = re.compile(
    r"(?P<name>.+?)[\s:,=>-]+(?:(?:(?:done|finished|completed|ready|loaded) )?(?:took|in|after)"
    r"|duration|elapsed(?: time)?|time)?[\s:=(]*(?P<value>\d+(?:[.,]\d+)?)\s?"
    r"(?P<unit>[a-zµμ]{1,7})\)?[\s.]*",
    re.IGNORECASE,
)


#: Where in a program a line comes from: an address, a place in its text.
ORIGIN = re.compile(
    r"\b0x[0-9a-fA-F]+|(?<!\S)[\w./\\-]+\.[A-Za-z]{1,4}:\d+(?::\d+)?:?(?=\s|$)"
    r"|(?<!\S)[VDIWEF]/[\w.]{1,60}\s?\( {0,6}\d{1,9}\):"
)
#: The folders before the name of a file.
FOLDERS = re.compile(r"(?<![^\s\"'“(=])(?:[A-Za-z]:)?(?:[\\/][^\s\\/\"']{1,80})*[\\/](?=[^\s\\/])")
#: The level of a line, and which part of the program it is of.
LEVEL = re.compile(
    r"^[\s\[\]:|-]*(?:(?:TRACE|DEBUG|INFO|NOTICE|WARN(?:ING)?|ERROR|LOG)\b)?[\s\[\]:|-]*"
    r"(?:[\w.$]+ - )?",
    re.IGNORECASE,
)


def rows_of(lines: list[str]) -> list[dict[str, Any]] | None:
    """A row for each thing that began and was done, or that took so long; None for other text."""
    said = [(found[1], line[found.end() :]) for line in lines if (found := WHEN.match(line))]
    if len(said) < FEWEST:
        said = _counted(lines)
    if len(said) < FEWEST or len(said) * 2 < sum(bool(line.strip()) for line in lines):
        return None
    texts = _told_apart([text for _, text in said])
    whens = [when for when, _ in said]
    return told_in(whens, texts)


#: A whole number before words: what a program's clock stood at.
_COUNTED = re.compile(r"\s*(\d{1,19})(?=\s+[^\W\d_]{2})")


def _counted(lines: list[str]) -> list[tuple[str, str]]:
    """Lines that begin with a whole number that goes on from one to the next, without it."""
    found = [(one[1], line[one.end() :]) for line in lines if (one := _COUNTED.match(line))]
    counts = [int(count) for count, _ in found]
    goes_on = len(set(counts)) > 1 and counts == sorted(counts)
    return found if goes_on and len(found) == len(lines) else []


def _told_apart(texts: list[str]) -> list[str]:
    """What lines say without what all of them begin with, and without the level and the process."""
    plain = [in_seconds(LEVEL.sub("", ORIGIN.sub(" ", text))) for text in texts]
    first, last = min(plain), max(plain)
    same = next((n for n, sign in enumerate(first) if last[n : n + 1] != sign), len(first))
    common = first[:same]
    cut = max(common.rfind(sign) for sign in ": ]>") + 1 if common else 0
    if any(_EDGE.fullmatch(text[:cut].strip(": ")) for text in plain[:1]):
        cut = 0
    return [text[cut:].strip()[:LONGEST_NAME] for text in plain]


#: What is under way: `opening draft...`.
_GOING_ON = re.compile(r"(.*[^\W\d_])\s*(?:\.{2,}|…)\s*")


def told_in(whens: list[str], texts: list[str]) -> list[dict[str, Any]] | None:
    """A row for each thing that began and was done, or took so long, as texts beside times say."""
    return paired(whens, texts) or _by_verbs(whens, texts) or _timed(whens, texts)


def paired(whens: list[str], texts: list[str]) -> list[dict[str, Any]] | None:
    """A row for each thing that is said to have begun and to be done; None for other texts."""
    begun: dict[str, str] = {}
    rows: list[dict[str, Any]] = []
    edges = 0
    for when, text in zip(whens, texts, strict=True):
        found = _EDGE.fullmatch(text)
        if bare := _BARE_EDGE.fullmatch(text):
            edges += 1
            if not bare["over"]:
                begun[""] = when
            elif first := begun.pop("", ""):
                rows.append({"begin": first, "end": when})
            continue
        if not found and (waiting := _GOING_ON.fullmatch(text)):
            begun[waiting[1].lower()] = when
            edges += 1
        if not found:
            continue
        name = (found["named"] or found["name"]).strip(" \"'“”")
        edges += 1
        if not (found["done"] or found["over"]):
            begun[name.lower()] = when
        elif first := begun.pop(name.lower(), ""):
            rows.append({"name": name, "begin": first, "end": when})
    if len(rows) < FEWEST // 2 or 2 * len(rows) < edges * 0.6 or edges < AGREED * len(texts):
        return None
    return rows


def edges_of(said: list[tuple[str, str]]) -> list[tuple[str, str]]:
    """Those of some texts, each beside its time, that say that something began or was done."""
    return [
        (when, text)
        for when, text in said
        if _EDGE.fullmatch(text) or _BARE_EDGE.fullmatch(text) or _GOING_ON.fullmatch(text)
    ]


#: Minutes and seconds: `1m 02s`, `1 min 2.5 s`.
_MINUTES = re.compile(
    r"(?<![\w.])(\d{1,4})\s?m(?:ins?)?\.?\s?(\d{1,2}(?:\.\d{1,6})?)\s?s(?:ecs?)?\b"
)


def in_seconds(text: str) -> str:
    """A text in which minutes and seconds are seconds.

    >>> in_seconds("export: 1m 02s"), in_seconds("20 m 3 items")
    ('export: 62 s', '20 m 3 items')
    """
    return _MINUTES.sub(lambda one: f"{60 * int(one[1]) + float(one[2]):.9g} s", text)


#: What is being done, and what has been: `opening wide.weft`, `opened wide.weft`.
_VERB = re.compile(r"(?P<stem>[^\W\d_]{2,20})(?P<form>ing|ed)\b(?P<rest>.*)", re.IGNORECASE)
#: The number of a job before what is said of it: `job 3: `.
_NUMBERED = re.compile(r"(?:[^\W\d_]{1,20} )?#?\d{1,9}[:\])] ?")


def _by_verbs(whens: list[str], texts: list[str]) -> list[dict[str, Any]] | None:
    """A row for each thing that was being done and then had been, by the forms of regular verbs."""
    begun: dict[tuple[str, str, str], tuple[str, str]] = {}
    rows: list[dict[str, Any]] = []
    edges = 0
    for when, text in zip(whens, texts, strict=True):
        number = found[0] if (found := _NUMBERED.match(text)) else ""
        told = text[len(number) :].strip()
        verb = _VERB.fullmatch(told)
        if not verb:
            continue
        edges += 1
        key = (number, verb["stem"].lower(), verb["rest"].strip(" .…").lower())
        if verb["form"].lower() == "ing":
            begun[key] = when, told.rstrip(" .…")
        elif first := begun.pop(key, None):
            rows.append({"name": first[1], "begin": first[0], "end": when})
    if len(rows) < FEWEST // 2 or 2 * len(rows) < max(edges * 0.6, AGREED * len(texts)):
        return None
    return rows


def _timed(whens: list[str], texts: list[str]) -> list[dict[str, Any]] | None:
    rows: list[dict[str, Any]] = []
    for when, text in zip(whens, texts, strict=True):
        found = _TOOK.fullmatch(text)
        unit = unit_of(found["unit"]) if found else ""
        if found and unit in TIME_UNITS and re.search(r"[^\W\d_]{2}", found["name"]):
            seconds = float(found["value"].replace(",", ".")) * TIME_UNITS[unit] / 1e9
            rows.append(
                {"end": when, "name": FOLDERS.sub("", found["name"]).strip(),
                 "duration [s]": round(seconds, 9)}
            )  # fmt: skip
    if len(rows) < max(FEWEST, AGREED * len(texts)):
        return None
    if len({row["name"] for row in rows}) * 2 > len(rows):
        for row in rows:  # sizes and numbers beside it tell each apart
            words = (word for word in row["name"].split() if not any(map(str.isdigit, word)))
            row["name"] = " ".join(words) or row["name"]
    names = Counter(row["name"] for row in rows)
    several = len(names) > 1 or _far_apart(rows)
    repeated = len(names) * 2 <= len(rows) and several
    if not repeated:
        return None
    ends = numbers([row["end"] for row in rows])
    if np.isfinite(ends).all() and float(ends.max()) < _SINCE_1970_S:  # seconds since a start
        return [
            {"name": row["name"], "begin [s]": round(end - row["duration [s]"], 9), "end [s]": end}
            for row, end in zip(rows, ends.tolist(), strict=True)
        ]
    return rows


_SINCE_1970_S = 1e9


def _far_apart(rows: list[dict[str, Any]]) -> bool:
    """Whether what is timed took less than half of the time: frames would follow one another."""
    whens = [str(row["end"]) for row in rows]
    for read in (numbers, clocks, dates):
        at = read(whens)
        if np.isfinite(at).all():
            took = sum(float(row["duration [s]"]) for row in rows)
            return took < _HALF * float(at.max() - at.min())
    return False


_HALF = 0.5
