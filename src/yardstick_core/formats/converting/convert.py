"""Spreadsheets, whole documents and texts of words, made into rows that logs are read from."""

from __future__ import annotations

import ast
import codecs
import json
import re
from collections.abc import Iterable
from pathlib import Path
from typing import Any

from yardstick_core.formats.converting import documents, pairs, spreadsheets, words
from yardstick_core.formats.converting.json_tables import flat, tables, trace_events, with_lists
from yardstick_core.formats.converting.reshaping.events import events_of
from yardstick_core.formats.converting.reshaping.rows import reshaped
from yardstick_core.formats.converting.reshaping.table import LOOKED_AT
from yardstick_core.formats.converting.writing import (
    MOST_BYTES,
    apart_from_units,
    check_size,
    csv_of,
    lines_of,
    replace,
    text_of,
)
from yardstick_core.formats.source import NotALog, encoding_of

_ZIP = b"PK\x03\x04"


#: Of what rows were made from: what of it is read, to be said beside how it is understood.
WHAT_IS_READ = {
    "spreadsheet": "the sheet with the most in it is read, and no other",
    "JSON document": "the longest table in the document is read, and nothing else of it",
    "marked-up document": "the largest table in the document is read, and nothing else of it",
    "YAML document": "the longest table in the document is read, and nothing else of it",
    "ruled table": "the table in the text is read; what stands around it is left out",
    "names with their values": "rows were made of names with their values, one of each line",
    "tables again and again": "one table was made of those in the text, with the time above each",
    "sentences": "rows were made of what the lines say: look whether they are all there",
    "lines among others": "only lines that say how long something took are read, and no others",
    "starts of a program": "each start of the program is a run, of which the lines are read that "
    "say how long something took; of what it did several times the median counts",
    "requests": "each request is a timing, called after what was asked for",
    "requests in whole us": "each request is a timing; whole numbers are taken for microseconds",
    "requests in whole ms": "each request is a timing; whole numbers are taken for milliseconds",
    "lists": "rows were made of lists of numbers, one of each number",
    "events": "rows were made of what is said to have begun and to be done",
    "table of another shape": "the table was laid out anew: a row is one run, or one frame",
}


def converted(path: Path) -> str:
    """Put rows in place of a spreadsheet, a document or sentences; what it was, empty for others.

    Raises NotALog where it is one of them and cannot be read.
    """
    with path.open("rb") as file:
        head = file.read(4096)
    if head.startswith(_ZIP) and spreadsheets.is_sheet(path):
        replace(path, spreadsheets.of_sheet(path))
        reshaped(path)
        return "spreadsheet"
    if path.stat().st_size <= MOST_BYTES and (plain := _plain(path, head)) is not None:
        path.write_bytes(plain)
        head = plain[: len(head)]
    start = head.removeprefix(b"\xef\xbb\xbf").lstrip()
    if start.startswith(b"[") or (start.startswith(b"{") and not _is_json_lines(path)):
        rows = _of_document(path)
        if rows is not None:
            replace(path, rows)
            return "JSON document"
        if head.startswith((b"{'", b"['")) and (literal := _of_literal(path)):
            replace(path, literal)
            return converted(path)
    if start.startswith(b"<"):
        rows = _of_markup(path, head)
        if rows is not None:
            replace(path, rows)
            reshaped(path)
            return "marked-up document"
    if pairs.are_pairs(start):
        check_size(path, "a log of names and values")
        replace(path, pairs.of_pairs(path))
        return "names with their values"
    if path.stat().st_size > MOST_BYTES:
        return ""
    if start.startswith(b"{"):
        return _of_json_lines(path)
    of_words = "" if start.startswith(b'"') else words.of_words(path, head)
    return of_words or reshaped(path) or words.of_underlined(path, head)


#: What tells a terminal how to show text.
_FOR_TERMINALS = re.compile(
    rb"\x1b(?:\[[0-?]*[ -/]*[@-~]|\][^\x07\x1b]*(?:\x07|\x1b\\)?|[@-Z\\^_=>78])|[\x07\x0f]"
)


def _plain(path: Path, head: bytes) -> bytes | None:
    """Text as a terminal shows it, each state of a line that was written over in a line of its own;
    None for text that needs none of it.
    """
    if b"\x1b[" in head:
        shown = _FOR_TERMINALS.sub(b"", path.read_bytes()).replace(b"\r\n", b"\n")
    elif b"\r" in head and b"\n" not in head:
        shown = path.read_bytes()
    else:
        return None
    return shown.replace(b"\r", b"\n") if _is_text(shown) else None


def _is_text(data: bytes) -> bool:
    try:
        return bool(encoding_of(data[:65_536]))
    except NotALog:
        return False


def _of_literal(path: Path) -> str:
    """A document in single quotes, as a script prints it, in double ones; empty for any other."""
    if path.stat().st_size > words.SHORT_BYTES:
        return ""
    try:
        return json.dumps(ast.literal_eval(text_of(path).strip()))
    except (ValueError, SyntaxError, TypeError, MemoryError, RecursionError):
        return ""


def _of_json_lines(path: Path) -> str:
    """Put a row for each in place of JSON lines that hold lists, or say what begins and is done."""
    lines = text_of(path).split("\n")
    head = _objects(lines[:3], whole=True)
    if head and next(with_lists(head), []):
        listed = max(with_lists(_objects(lines, whole=True)), key=len, default=[])
        if listed:
            replace(path, lines_of(listed))
            return "lists"
    if not events_of(_objects(lines[:LOOKED_AT])):
        return ""
    events = events_of(_objects(lines))
    if events:
        replace(path, lines_of(events))
    return "events" if events else ""


def _objects(lines: Iterable[str], whole: bool = False) -> list[dict[str, Any]]:
    found = []
    for line in lines:
        try:
            one = json.loads(line)
        except ValueError:
            continue
        if isinstance(one, dict):
            found.append(one if whole else flat(one))
    return found


def _of_markup(path: Path, head: bytes) -> str | None:
    check_size(path, "a marked-up document")
    data = path.read_bytes()
    if re.search(rb"<(?:!doctype )?(?:html|body|table|div)\b", head, re.IGNORECASE):
        table = documents.html_table(data)
        if table is None:
            raise NotALog("it is a page without a table")
        return csv_of(table)
    rows = documents.xml_rows(data)
    return None if rows is None else lines_of(apart_from_units(rows))


def _is_json_lines(path: Path) -> bool:
    """Whether the first lines are an object each."""
    with path.open("rb") as file:
        head = (file.readline(1 << 20).strip() for _ in range(_HEAD_LINES))
        lines = [line.removeprefix(codecs.BOM_UTF8) for line in head if line][:3]
    try:
        found = [isinstance(json.loads(line), dict) for line in lines]
    except (ValueError, RecursionError):
        return False
    return sum(found) > 1 or (found == [True] and _alone_is_row(lines[0]))


#: Blank lines may stand above the first.
_HEAD_LINES = 20


def _alone_is_row(line: bytes) -> bool:
    """Whether a single object is a row of its own, and holds no list of rows."""
    return next(tables(json.loads(line)), None) is None


def _of_document(path: Path) -> str | None:
    """The longest list of objects in a document, or object of lists, as JSON lines."""
    check_size(path, "a JSON document")
    try:
        document = json.loads(path.read_bytes())
    except (ValueError, RecursionError):
        return None
    found = max(tables(document), key=len, default=[])
    if not found:
        raise NotALog("it is one JSON document, and no list in it holds rows of values")
    rows = [flat(row) for row in found]
    return lines_of(trace_events(found) or events_of(rows) or apart_from_units(rows))
