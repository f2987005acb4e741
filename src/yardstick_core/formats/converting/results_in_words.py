"""Lines of results as people write them by hand: of which variant, and how long a run took.

`4.1 run 2: 3.05 s`, `Run 3 of 4.2 took 2.8 s`, `4.1: 3.1, 3.0, 3.3`, or numbers alone under what
they are of.
"""

from __future__ import annotations

import re
from collections import Counter
from typing import Any

from yardstick_core.formats.converting.event_lines import WHEN
from yardstick_core.formats.converting.reshaping.results import by_variant
from yardstick_core.formats.converting.rounds import HEADING, ORNAMENTS
from yardstick_core.formats.guessing.naming import is_action, stem_of
from yardstick_core.formats.mapping import TIME_UNITS
from yardstick_core.formats.values import unit_of

#: People write no more numbers below one another.
MOST_BY_HAND = 5000
#: Of a longer line nothing is read: whoever brings a file chooses the text.
LONGEST_LINE = 1000


def rows_of(lines: list[str]) -> list[dict[str, Any]] | None:
    """A row for each run; None where lines say something else."""
    if len(lines) > MOST_BY_HAND:
        return None
    if all(map(_ITEM.match, lines)):
        lines = [_ITEM.sub("", line) for line in lines]
    for some in (lines, lines[1:]):  # the first may say what all of it is about
        if found := _numbered_runs(some) or _results_in_words(some) or _runs_of_one(some):
            return found
    return None


#: The number of an item in a list.
_ITEM = re.compile(r"\s*#?\d{1,3}[.)]\s+")
#: A number by itself, which may be an item of a list.
_BARE = re.compile(
    r"\s*(?:\d{1,3}[.)]\s+|[-*•]\s+)?(\d+(?::\d\d)*(?:[.,]\d+)?)\s?([a-zA-Zµμ]{0,8})\s*"
)


def numbers_under_headings(lines: list[str]) -> list[dict[str, Any]] | None:
    """Numbers alone, a line each, of what the heading above them says."""
    if len(lines) > MOST_BY_HAND:
        return None
    rows: list[dict[str, Any]] = []
    heading = ""
    for line in lines:
        found = _BARE.fullmatch(line[:LONGEST_LINE])
        if not line.strip():
            continue
        if found is None:
            heading = line.strip(ORNAMENTS)
        elif not heading or (found[2] and unit_of(found[2]) not in TIME_UNITS):
            return None
        else:
            value, unit = found[1].replace(",", "."), unit_of(found[2]) or "s"
            rows.append({HEADING: heading, f"duration [{unit}]": value})
    counts = Counter(row[HEADING] for row in rows)
    short = _shortened(list(counts))
    rows = [row | {HEADING: short[row[HEADING]]} for row in rows]
    return rows if len(counts) > 1 and min(counts.values()) > 1 else None


def _shortened(labels: list[str]) -> dict[str, str]:
    """Long labels without the words that all of them begin and end with, as commands do."""
    apart = [label.split() for label in labels]
    unchanged = dict(zip(labels, labels, strict=True))
    if len(labels) < 2 or max(map(len, labels)) <= _LONG_LABEL:
        return unchanged
    fewest = min(map(len, apart))
    first = next((n for n in range(fewest) if len({words[n] for words in apart}) > 1), 0)
    last = next(
        (n for n in range(fewest - first) if len({words[-1 - n] for words in apart}) > 1), 0
    )
    own = [" ".join(words[first : len(words) - last]) for words in apart]
    return dict(zip(labels, own, strict=True)) if all(own) else unchanged


_LONG_LABEL = 40


#: A run by its number, and how long it took: `4.1 run 2: 3.05 s`.
_RUN = re.compile(
    r"\s*(?P<named>[^:=\t]{1,80}?)\s*[:=\t]\s*(?P<value>\d+(?::\d\d)*(?:[.,]\d+)?)\s*(?P<unit>[a-zA-Zµμ]{0,8})[.\s]*"
)


def _numbered_runs(lines: list[str]) -> list[dict[str, Any]] | None:
    """Lines of a run each, named after variant and number, with one value."""
    found = [_RUN.fullmatch(line) for line in lines]
    rows = []
    for one in found:
        if one is None or stem_of(one["named"]) == one["named"].strip():
            return None
        unit = unit_of(one["unit"])
        if one["unit"] and unit not in TIME_UNITS:
            return None
        rows.append(
            (stem_of(one["named"]).strip(ORNAMENTS), one["value"].replace(",", "."), unit or "s")
        )
    stems = Counter(stem for stem, _, _ in rows)
    if len(stems) < 2 or min(stems.values()) < 2:
        return None
    return _named_rows(rows)


def _named_rows(said: list[tuple[str, str, str]]) -> list[dict[str, Any]]:
    """Rows of what is said of each run, its duration and unit: of a variant, and of what was timed
    where all end with that.
    """
    last = {label.rpartition(" ")[2] for label, _, _ in said}
    step = last.pop() if len(last) == 1 and all(" " in label for label, _, _ in said) else ""
    if not is_action(step):
        return [{HEADING: label, f"duration [{unit}]": value} for label, value, unit in said]
    return [
        {HEADING: label.rpartition(" ")[0], STEP: step, f"duration [{unit}]": value}
        for label, value, unit in said
    ]


#: What was timed in a row.
STEP = "step"


#: What a variant is called, and its values in a row: `4.1: 3.1, 3.0 s`, `4.2 = 3.1s 3.2s`.
#: A value is taken whole, so that no line takes longer than it is long.
_AND = r"(?:(?:and )?then|and|und|et|y|e|en)"
_ONE = rf"(?>\d+(?::\d\d)*(?:[.,]\d+)?(?:\s?(?!{_AND}\b)[A-Za-zµμ]{{1,12}})?)"
_LIST = re.compile(
    rf"\s*(?P<label>[^:=\t,;]{{1,80}}?)\s*(?:[:=\t]|\s-\s|->|→|\btook\b)\s*"
    rf"(?P<values>{_ONE}(?:\s*(?:[,;/|]|,?\s{_AND}\s)\s*{_ONE}| +{_ONE})+)[\s.,;]*"
)
#: Lists that people write are short, in characters.
_MOST_OF_LISTS = 20_000
#: Values part by commas unless those stand within them.
_PARTS = re.compile(rf"[;/|]\s*|,?\s+{_AND}\s+|,\s+|\s+(?=\d)")


def value_lists(text: str) -> list[dict[str, Any]] | None:
    """A line for each variant, with the values of its runs in a row; None for other texts."""
    lines = [line for line in text[:_MOST_OF_LISTS].split("\n") if line.strip()]
    if len(lines) == 1:
        lines = [part for part in lines[0].split(";") if part.strip()]
    if len(text) > _MOST_OF_LISTS or not lines or max(map(len, lines)) > LONGEST_LINE:
        return None
    found = [_LIST.fullmatch(line) for line in lines]
    labels = [one["label"].strip(ORNAMENTS) for one in found if one]
    if len(labels) < len(lines) or len(set(labels)) < max(2, len(lines)):
        return None
    if any(WHEN.match(line) for line in lines) and not all(map(_is_version, labels)):
        return None
    if by_variant([dict.fromkeys(labels, "")]):
        return None  # they say what was timed, too
    timed, labels = _shared(labels)
    rows: list[dict[str, Any]] = []
    for label, one in zip(labels, found, strict=True):
        values = one["values"] if one else ""
        cells = _PARTS.split(values)
        if len(cells) == 1:
            cells = values.split(",") if "." in values else []
        told = [re.fullmatch(r"([\d.,:]+)\s?(.*)", cell.strip(" ,")) for cell in cells]
        units = {unit_of(part[2]) for part in told if part and part[2]}
        if len(told) < 2 or None in told or len(units) > 1 or not units <= set(TIME_UNITS):
            return None
        unit = units.pop() if units else ""
        called = f"{timed} [{unit}]" if unit else timed
        rows += [
            {HEADING: label, called: part[1].rstrip(",").replace(",", ".")} for part in told if part
        ]
    return rows


def lists_under_headings(text: str) -> list[dict[str, Any]] | None:
    """Lists of values of each variant, below what was timed; None for any other text."""
    if len(text) > _MOST_OF_LISTS:
        return None
    sections: list[tuple[str, list[str]]] = []
    for line in text.split("\n"):
        if _LIST.fullmatch(line[:LONGEST_LINE]):
            if not sections:
                return None
            sections[-1][1].append(line)
        elif line.strip(ORNAMENTS):
            sections.append((line.strip(f"{ORNAMENTS}:"), []))
    sections = [(heading, some) for heading, some in sections if some]
    found = [(heading, value_lists("\n".join(some))) for heading, some in sections]
    headings = [heading for heading, _ in found]
    told = [row for _, rows in found for row in rows or ()]
    timed = all(" [" in name or "." in row[name] for row in told for name in [*row][1:])
    labels = {str(row[HEADING]) for row in told}
    if len(set(headings)) < max(2, len(found)) or not all(rows for _, rows in found) or not timed:
        return None
    if any(map(is_action, labels)) or any(map(WHEN.match, headings)):
        return None  # timings of each variant, or of each time of day
    return [{STEP: heading, **row} for heading, rows in found for row in rows or ()]


def _shared(labels: list[str]) -> tuple[str, list[str]]:
    """What was timed, where all labels begin with it, and the rest of each."""
    first = [label.partition(" ") for label in labels]
    if (
        len({one[0] for one in first}) == 1
        and is_action(first[0][0])
        and all(one[2] for one in first)
    ):
        return first[0][0], [one[2].removeprefix("of ").strip() for one in first]
    return "duration", labels


def _is_version(label: str) -> bool:
    return re.fullmatch(r"v?\d+(?:\.\d+)+[\w.-]*", label) is not None


#: A value with its unit, wherever it stands in a line, and the number of a run.
_TOLD = re.compile(r"(?<![\w.,:])(\d+(?::\d\d)*(?:[.,]\d+)?)\s?([A-Za-zµμ]{1,12})(?!\w)")
_OF_RUN = re.compile(
    r"\b(?:run|lap|trial|attempt|try|take|pass|round|iteration|lauf|versuch|essai|prueba|poging)\s*#?\d+"
    r"(?:\s+of\b)?|#\d+\b",
    re.IGNORECASE,
)
#: What joins the name of what was timed to how long it took.
JOINING = re.compile(
    r"\s*\b(?:took|takes|in|was|is|after|needed|of|for|dauerte?|brauchte?|dur[óò]|tard[óò])\b\s*$",
    re.IGNORECASE,
)
_MOST_LABELS = 12


def _results_in_words(lines: list[str]) -> list[dict[str, Any]] | None:
    """Lines that say how long one run took, and of which variant, in whatever order."""
    begun = {found[1] if (found := WHEN.match(line)) else "" for line in lines} - {""}
    if len(begun) > _MOST_LABELS:
        return None  # they begin with a time
    rows = []
    for line in lines:
        told = [one for one in _TOLD.finditer(line) if unit_of(one[2]) in TIME_UNITS]
        if len(told) != 1:
            return None
        before = JOINING.sub("", line[: told[0].start()].strip(f"{ORNAMENTS} -([,;"))
        label = _OF_RUN.sub(" ", f"{before} {line[told[0].end() :]}")
        label = re.sub(r"[\s\[\](){}=:;,|]+", " ", label).strip(f"{ORNAMENTS} .-")
        rows.append((label, told[0][1].replace(",", "."), unit_of(told[0][2])))
    labels = Counter(label for label, _, _ in rows)
    if not 1 < len(labels) <= _MOST_LABELS or min(labels.values()) < 2 or not all(labels):
        return None
    if by_variant([dict.fromkeys(labels, "")]) or all(map(is_action, labels)):
        return None  # they say what was timed, too
    return _named_rows(rows)


#: How long a run took, which may begin with its number or hold it: `launch 3: 0:02.5`.
_TOOK = re.compile(
    r"(?P<named>[^=\d]{0,60}?(?:#?\d{1,4}(?![\d.,]|:\d)[^=\d]{0,40}?)?)"
    r"(?<![\w.])(?:(?P<clock>\d{1,2}(?::\d\d)+(?:[.,]\d+)?)|(?P<value>\d+(?:[.,]\d+)?)\s?"
    r"(?P<unit>[A-Za-zµμ]{1,12}))[\s.!;)\]]*"
)
#: Words that say that something was timed, and not what.
_OF_TIMES = re.compile(
    r"(?:took|takes|time(?: taken)?|elapsed(?: time)?|duration|result|total(?: time)?)",
    re.IGNORECASE,
)
_OVER = re.compile(r"\s*\b(?:done|finished|completed?|ready)\s*$", re.IGNORECASE)
_FEWEST_RUNS, _MOST_RUNS = 3, 200


def _runs_of_one(lines: list[str]) -> list[dict[str, Any]] | None:
    """Lines of a run each, all of one variant that is not named: `run 3: 412 ms`, `launch: 2.4 s`.

    Nothing but what was timed and the number of the run may stand before the duration.
    """
    if not _FEWEST_RUNS <= len(lines) <= _MOST_RUNS:
        return None
    rows: list[dict[str, Any]] = []
    labels = set()
    for line in lines:
        found = None if WHEN.match(line) else _TOOK.fullmatch(line.strip(f"{ORNAMENTS} -"))
        unit = unit_of(found["unit"]) if found and found["unit"] else ""
        if found is None or (not found["clock"] and unit not in TIME_UNITS):
            return None
        label = re.sub(r"#?\d+", " ", _OF_RUN.sub(" ", found["named"]))
        label = JOINING.sub("", " ".join(label.split()).strip(f"{ORNAMENTS} -([,;→>"))
        label = _OVER.sub("", label).strip(f"{ORNAMENTS} -([,;")
        labels.add("" if _OF_TIMES.fullmatch(label) else label)
        counted = re.search(r"\d", found["named"]) is not None
        rows.append({"clock": found["clock"]} if found["clock"] else {unit: found["value"]})
        if not label and not counted:
            return None  # numbers alone
    (step,) = labels if len(labels) == 1 else ("?",)
    if step and not is_action(step):
        return None
    step_told = {STEP: step} if step else {}
    return [
        {"run": number, **step_told, "duration" if unit == "clock" else f"duration [{unit}]":
         value.replace(",", ".")}
        for number, row in enumerate(rows, 1)
        for unit, value in row.items()
    ]  # fmt: skip
