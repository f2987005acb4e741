"""Texts that people read, told apart by how they look: tables ruled off, lists, sentences."""

from __future__ import annotations

import re
from pathlib import Path
from typing import Any

from yardstick_core.formats.converting import (
    access_log,
    blocks,
    documents,
    mixed_log,
    records,
    results_in_words,
    sentences,
    summaries,
)
from yardstick_core.formats.converting.json_tables import flat, tables
from yardstick_core.formats.converting.reshaping import relaid
from yardstick_core.formats.converting.reshaping.results import by_variant, under_headings
from yardstick_core.formats.converting.reshaping.rows import reshaped
from yardstick_core.formats.converting.sentences import FEWEST_LINES, LONGEST_LINE
from yardstick_core.formats.converting.writing import (
    apart_from_units,
    csv_of,
    lines_of,
    replace,
    text_of,
)
from yardstick_core.formats.guessing.naming import is_action


def of_words(path: Path, head: bytes) -> str:
    """Put rows in place of a text that people read: tables ruled off, lists, sentences."""
    if b"\0" in head:
        return ""
    if path.stat().st_size < SHORT_BYTES:
        short = text_of(path).lstrip("\ufeff")
        if summed_up := summaries.rows_of(short):
            replace(path, lines_of(summed_up))
            return "sentences"
        if listed := results_in_words.lists_under_headings(short):
            replace(path, lines_of(listed))
            return "lists"
        for some in (short, _untitled(short)):
            if listed := results_in_words.value_lists(some):
                replace(path, lines_of(_after_title(short, listed)))
                return "lists"
        if (laid_out := relaid.blanks_in_cells(short)) is not None:
            replace(path, laid_out)
            return reshaped(path)
    if access_log.LINE.match(head.decode("latin-1")):
        requests = access_log.rows_of(text_of(path).splitlines())
        if requests:
            replace(path, lines_of(requests[0]))
            return f"requests in whole {requests[1]}" if requests[1] else "requests"
    if _STAMPED.search(head) and (again := blocks.rows_of(text_of(path).splitlines())):
        replace(path, csv_of(again))
        return "tables again and again"
    ruled, telling = _RULED.search(head), _TELLING.search(head)
    if not (ruled or telling or _LISTED.search(head) or _ALONE.search(head)):
        return ""
    text = text_of(path)
    lines = text.splitlines()
    if not ruled and _is_headed_table(lines):
        return _of_some(path, lines)
    if said := results_in_words.numbers_under_headings(lines):
        replace(path, lines_of(_after_title(text, said)))
        return "sentences"
    if not ruled and (sections := under_headings(text)):
        replace(path, lines_of(sections))
        return "table of another shape"
    if ruled and (table := documents.ruled_table(lines)):
        replace(path, csv_of(table))
        reshaped(path)
        return "ruled table"
    headed = len(_HEADED.findall(text)) > 1
    document = None if headed else documents.yaml_document(text)
    found = max(tables(document), key=len, default=[])
    if found:
        replace(path, lines_of(apart_from_units(map(flat, found))))
        return "YAML document"
    if telling and (runs := mixed_log.runs_of([line[:LONGEST_LINE] for line in lines])):
        replace(path, lines_of(runs))
        return "starts of a program"
    untitled = _untitled(text)
    for part in (lines, untitled.splitlines() if untitled != text else []):
        if telling and (said := sentences.rows_of(part)):
            if not sentences.hold_measures(said) and (of_some := _of_some(path, lines)):
                return of_some
            replace(path, lines_of(_after_title(text, by_variant(said) or said)))
            return "sentences"
    if telling and (fields := records.rows_of(lines)):
        replace(path, lines_of(apart_from_units(fields)))
        return "names with their values"
    return _of_some(path, lines) if telling else ""


def _of_some(path: Path, lines: list[str]) -> str:
    """Put rows in place of a log of which some lines say how long something took."""
    some = mixed_log.rows_of([line[:LONGEST_LINE] for line in lines if line.strip()])
    if some:
        replace(path, lines_of(some))
    return "lines among others" if some else ""


def of_underlined(path: Path, head: bytes) -> str:
    """Put rows in place of a table whose names are underlined each."""
    if b"\0" in head or not _UNDERLINED.search(head):
        return ""
    table = documents.underlined_table(text_of(path).splitlines())
    if table:
        replace(path, csv_of(table))
    return "ruled table" if table else ""


#: A line by itself above a blank one: what all below it is about.
_TITLE = re.compile(r"\s*[^\n]{1,200}\n[ \t\r]*\n\s*(?=\S)")


def _after_title(text: str, rows: list[dict[str, Any]]) -> list[dict[str, Any]]:
    """Rows whose duration has no name of its own, called after what the title says was done."""
    title = _TITLE.match(text)
    name = re.split(r"[,:;(\n–]", title[0].strip())[0].strip(" #*=") if title else ""
    if not is_action(name) or len(name) > _LONGEST_TIMED:
        return rows
    name = re.sub(r"(?i)[ _-]*\b(?:times?|durations?|results?)\b.*", "", name) or name
    return [{re.sub(r"^duration\b", name, key): cell for key, cell in row.items()} for row in rows]


_LONGEST_TIMED = 40


def _untitled(text: str) -> str:
    """A text without the title above it."""
    title = _TITLE.match(text)
    return text[title.end() :] if title else text


#: What people write by hand is shorter.
SHORT_BYTES = 64 << 10
_TABBED = 20


def _is_headed_table(lines: list[str]) -> bool:
    """Whether lines hold as many cells each, and the first of them words alone: their names."""
    head = [line for line in lines[: _TABBED + 1] if line.strip()]
    for sign in "\t;":
        counts = {line.count(sign) for line in head}
        if len(counts) == 1 and counts != {0} and len(head) > FEWEST_LINES:
            return not any(map(str.isdigit, head[0])) and all(
                any(map(str.isdigit, line)) for line in head[1:]
            )
    return False


#: A number with a word before it, or a word behind a time: the text may be sentences.
_TELLING = re.compile(
    rb"[A-Za-z]{2}[)\]]?[:=]?[ \t]+[(\[]?\d|(?m:^)[A-Za-z][\w ]{0,40}=[ \t]*\d"
    rb"|:\d\d(?:,\d{1,9})?[^\n,;\t|]* [A-Za-z]{3}|\d[ \t]?(?:m?s|sec|seconds|min)\b"
    rb"|(?m:^)[\[(]?\d+\.?\d*[\])]?:?[ \t]+[\[(<>A-Za-z][^\d\n,;\t|]*[A-Za-z]{3}"
)
#: A line of words alone, in a text that tells the time of day.
_STAMPED = re.compile(rb"\d:\d\d:\d\d[\s\S]*\n[ \t]*[^\s\d,;|][^\d\n,;|\t]*[ \t][^\d\n,;|\t]*\r?\n")
#: A head that is ruled off, and an item of a list.
_RULED = re.compile(
    rb"(?m)^[^\n]*(?:[|+][ :]*--|--[ :]*[|+]|\xe2\x94[\x80-\xbf]|\xe2\x95[\x80-\xbf])"
)
_UNDERLINED = re.compile(rb"(?m)^[ \t]*-{2,}(?:[ \t]+-{2,})+[ \t]*\r?$")
_LISTED = re.compile(rb"(?m)^[ \t]*- ")
#: Headings above lists, which are remarks in a list of named values.
_HEADED = re.compile(r"(?m)^#{1,6} \S[^\n]*\n\s*- ")
#: A number by itself below something else.
_ALONE = re.compile(rb"(?m)^[^\d\n][^\n]{0,80}\n[ \t]*\d[\d.,:]{0,20}[ \t]?[a-z]{0,4}\r?$")
