"""Spreadsheets, whole documents and texts of words, made into rows that logs are read from."""

from __future__ import annotations

import ast
import codecs
import csv
import io
import json
import math
import re
import zipfile
from collections.abc import Iterable
from datetime import date, datetime, time, timedelta
from pathlib import Path
from typing import Any

from yardstick_core.formats.converting import (
    blocks,
    documents,
    mixed_log,
    records,
    results_in_words,
    sentences,
)
from yardstick_core.formats.converting.event_lines import WHEN
from yardstick_core.formats.converting.json_tables import flat, tables, trace_events, with_lists
from yardstick_core.formats.converting.reshaping import relaid
from yardstick_core.formats.converting.reshaping import rows as reshaped
from yardstick_core.formats.converting.reshaping.events import events_of
from yardstick_core.formats.converting.reshaping.results import by_variant, under_headings
from yardstick_core.formats.converting.reshaping.table import LOOKED_AT
from yardstick_core.formats.converting.sentences import FEWEST_LINES, LONGEST_LINE
from yardstick_core.formats.guessing.naming import is_action, role_of
from yardstick_core.formats.source import NotALog, encoding_of
from yardstick_core.formats.values import numbers, unit_in_cells

#: What such a file may take, as it is and unpacked: it is held in memory at once.
MOST_BYTES, MOST_UNPACKED = 32 << 20, 100 << 20
_ZIP = b"PK\x03\x04"
_SHEETS = ("xl/workbook.xml", "content.xml")


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
    if head.startswith(_ZIP) and _is_sheet(path):
        _replace(path, _of_sheet(path))
        _reshaped(path)
        return "spreadsheet"
    if path.stat().st_size <= MOST_BYTES and (plain := _plain(path, head)) is not None:
        path.write_bytes(plain)
        head = plain[: len(head)]
    start = head.removeprefix(b"\xef\xbb\xbf").lstrip()
    if start.startswith(b"[") or (start.startswith(b"{") and not _is_json_lines(path)):
        rows = _of_document(path)
        if rows is not None:
            _replace(path, rows)
            return "JSON document"
        if head.startswith((b"{'", b"['")) and (literal := _of_literal(path)):
            _replace(path, literal)
            return converted(path)
    if start.startswith(b"<"):
        rows = _of_markup(path, head)
        if rows is not None:
            _replace(path, rows)
            _reshaped(path)
            return "marked-up document"
    if _are_pairs(start):
        _check_size(path, "a log of names and values")
        _replace(path, _of_pairs(path))
        return "names with their values"
    if path.stat().st_size > MOST_BYTES:
        return ""
    if start.startswith(b"{"):
        return _of_json_lines(path)
    of_words = "" if start.startswith(b'"') else _of_words(path, head)
    return of_words or _reshaped(path) or _of_underlined(path, head)


#: What tells a terminal how to show text.
_FOR_TERMINALS = re.compile(
    rb"\x1b(?:\[[0-?]*[ -/]*[@-~]|\][^\x07\x1b]*(?:\x07|\x1b\\)?|[@-Z\\^_=>78])|[\x07\x0f]"
)


def _plain(path: Path, head: bytes) -> bytes | None:
    """Text as a terminal shows it, each state of a line that was written over in a line of its own;
    None for text that needs none of it.
    """
    if b"\x1b" in head:
        shown = _FOR_TERMINALS.sub(b"", path.read_bytes()).replace(b"\r\n", b"\n")
        return shown.replace(b"\r", b"\n")
    if b"\r" in head and b"\n" not in head:
        return path.read_bytes().replace(b"\r", b"\n")
    return None


def _of_literal(path: Path) -> str:
    """A document in single quotes, as a script prints it, in double ones; empty for any other."""
    if path.stat().st_size > _SHORT_BYTES:
        return ""
    try:
        return json.dumps(ast.literal_eval(_text_of(path).strip()))
    except (ValueError, SyntaxError, TypeError, MemoryError, RecursionError):
        return ""


def _of_json_lines(path: Path) -> str:
    """Put a row for each in place of JSON lines that hold lists, or say what begins and is done."""
    lines = _text_of(path).split("\n")
    head = _objects(lines[:3], whole=True)
    if head and next(with_lists(head), []):
        listed = max(with_lists(_objects(lines, whole=True)), key=len, default=[])
        if listed:
            _replace(path, _lines(listed))
            return "lists"
    if not events_of(_objects(lines[:LOOKED_AT])):
        return ""
    events = events_of(_objects(lines))
    if events:
        _replace(path, _lines(events))
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


def _reshaped(path: Path) -> str:
    """Put rows in place of a table that is laid out in another way."""
    try:
        text = _text_of(path)
    except NotALog:
        return ""
    if (pointed := relaid.points_for_commas(text)) is not None:
        _replace(path, pointed)
        text = pointed
    for lay_out in (relaid.named_in_cells, relaid.lists_in_cells, relaid.filled_down):
        if (laid_out := lay_out(text)) is not None:
            _replace(path, laid_out)
            text = laid_out
    rows = reshaped.rows_of(text)
    if rows:
        _replace(path, _lines(rows))
    return "table of another shape" if rows else ""


def _of_words(path: Path, head: bytes) -> str:
    """Put rows in place of a text that people read: tables ruled off, lists, sentences."""
    if b"\0" in head:
        return ""
    if path.stat().st_size < _SHORT_BYTES:
        short = _text_of(path).lstrip("\ufeff")
        if listed := results_in_words.lists_under_headings(short):
            _replace(path, _lines(listed))
            return "lists"
        for some in (short, _untitled(short)):
            if listed := results_in_words.value_lists(some):
                _replace(path, _lines(_after_title(short, listed)))
                return "lists"
        if (laid_out := relaid.blanks_in_cells(short)) is not None:
            _replace(path, laid_out)
            return _reshaped(path)
    if _STAMPED.search(head) and (again := blocks.rows_of(_text_of(path).splitlines())):
        _replace(path, _csv(again))
        return "tables again and again"
    ruled, telling = _RULED.search(head), _TELLING.search(head)
    if not (ruled or telling or _LISTED.search(head) or _ALONE.search(head)):
        return ""
    text = _text_of(path)
    lines = text.splitlines()
    if not ruled and _is_headed_table(lines):
        return _of_some(path, lines)
    if said := results_in_words.numbers_under_headings(lines):
        _replace(path, _lines(_after_title(text, said)))
        return "sentences"
    if not ruled and (sections := under_headings(text)):
        _replace(path, _lines(sections))
        return "table of another shape"
    if ruled and (table := documents.ruled_table(lines)):
        _replace(path, _csv(table))
        _reshaped(path)
        return "ruled table"
    headed = len(_HEADED.findall(text)) > 1
    document = None if headed else documents.yaml_document(text)
    found = max(tables(document), key=len, default=[])
    if found:
        _replace(path, _lines(apart_from_units(map(flat, found))))
        return "YAML document"
    untitled = _untitled(text)
    for part in (lines, untitled.splitlines() if untitled != text else []):
        if telling and (said := sentences.rows_of(part)):
            if not sentences.hold_measures(said) and (of_some := _of_some(path, lines)):
                return of_some
            _replace(path, _lines(_after_title(text, by_variant(said) or said)))
            return "sentences"
    if telling and (fields := records.rows_of(lines)):
        _replace(path, _lines(apart_from_units(fields)))
        return "names with their values"
    return _of_some(path, lines) if telling else ""


def _of_some(path: Path, lines: list[str]) -> str:
    """Put rows in place of a log of which some lines say how long something took."""
    some = mixed_log.rows_of([line[:LONGEST_LINE] for line in lines if line.strip()])
    if some:
        _replace(path, _lines(some))
    return "lines among others" if some else ""


def _of_underlined(path: Path, head: bytes) -> str:
    """Put rows in place of a table whose names are underlined each."""
    if b"\0" in head or not _UNDERLINED.search(head):
        return ""
    table = documents.underlined_table(_text_of(path).splitlines())
    if table:
        _replace(path, _csv(table))
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
_SHORT_BYTES = 64 << 10
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


#: A line of names with their values: `t=32.3 frame=8.1`.
#: Whoever brings a file chooses the text: each sign can be read in one way only, so that no line
#: takes longer than it is long.
_PAIR = re.compile(r"(?<![\w.])([^\W\d][\w.]*)\s?[=:]\s?(\"[^\"]*\"|[^\s,;\"]+)")
_PAIRS = re.compile(
    rb"[A-Za-z_\x80-\xff][\w.\x80-\xff]*=(?:\"[^\"]*\"|[^\s,;=\"]+)"
    rb"(?:[\s,;]+[A-Za-z_\x80-\xff][\w.\x80-\xff]*=(?:\"[^\"]*\"|[^\s,;=\"]+))+"
)


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


#: So many pairs in each of the first lines make them rows, whatever else is in them.
_FEWEST_PAIRS, _FIRST_LINES = 3, 8


def _are_pairs(start: bytes) -> bool:
    lines = start.split(b"\n")
    if _PAIRS.fullmatch(lines[0].strip()):
        return True
    texts = [
        line.decode("utf-8", "replace")[:1000] for line in lines[:_FIRST_LINES] if line.strip()
    ]
    names = [tuple(name for name, _ in _EQUAL.findall(text)) for text in texts]
    alike = len(set(names)) == 1 and len(names) > 2
    return alike and len(names[0]) >= _FEWEST_PAIRS and not texts[0].lstrip().startswith(("{", "<"))


#: A pair with an equals sign, which may have blanks behind it.
_EQUAL = re.compile(r"(?<![\w.])([^\W\d][\w.]*)=\s*(\"[^\"]*\"|[^\s,;\"=]+)")


def _of_pairs(path: Path) -> str:
    rows = []
    for line in _text_of(path).splitlines():
        when = WHEN.match(line)
        row = {"time": when[1]} if when else {}
        pairs = _EQUAL.findall(line) if "=" in line else _PAIR.findall(line)
        rows.append(row | {name: value.strip('"') for name, value in pairs})
    return _lines(apart_from_units(rows))


def _of_markup(path: Path, head: bytes) -> str | None:
    _check_size(path, "a marked-up document")
    data = path.read_bytes()
    if re.search(rb"<(?:!doctype )?(?:html|body|table|div)\b", head, re.IGNORECASE):
        table = documents.html_table(data)
        if table is None:
            raise NotALog("it is a page without a table")
        return _csv(table)
    rows = documents.xml_rows(data)
    return None if rows is None else _lines(apart_from_units(rows))


def apart_from_units(rows: Iterable[dict[str, Any]]) -> list[dict[str, Any]]:
    """Rows whose fields hold numbers alone: the unit that stands behind all of them is in the name.

    >>> apart_from_units([{"ft": "16.6ms"}, {"ft": "0.5 s"}, {"note": "a"}])
    [{'ft [ms]': 16.6}, {'ft [ms]': 500.0}, {'note': 'a'}]
    >>> apart_from_units([{"take": "1"}, {"take": "2"}])
    [{'take': 1}, {'take': 2}]
    """
    found = list(rows)
    units = {
        name: unit_in_cells([str(row[name]) for row in found if isinstance(row.get(name), str)])
        for name in dict.fromkeys(name for row in found for name in row)
    }

    def told(name: str, value: Any) -> tuple[str, Any]:
        if not isinstance(value, str):
            return name, value
        unit = units[name]
        number = float(numbers([value], ".", unit)[0]) if not value.endswith("%") else math.nan
        plain = not math.isfinite(number) or (not unit and role_of(name) == "variant")
        if not unit and value.strip().isdecimal() and not plain:
            return name, int(value)
        return (f"{name} [{unit}]" if unit else name), value if plain else number

    return [dict(told(name, value) for name, value in row.items()) for row in found]


def _csv(table: documents.Table) -> str:
    out = io.StringIO()
    csv.writer(out, lineterminator="\n").writerows(row for row in table if any(row))
    return out.getvalue()


def _text_of(path: Path) -> str:
    """The text of a file in the encoding that it is written in."""
    data = path.read_bytes()
    return data.decode(encoding_of(data[:65_536]), "replace")


def _lines(rows: Iterable[dict[str, Any]]) -> str:
    """Rows as JSON lines; those with nothing in them are left out."""
    return "".join(json.dumps(row, ensure_ascii=False) + "\n" for row in rows if row)


def _replace(path: Path, text: str) -> None:
    waiting = path.with_name(f"{path.name}.new")
    waiting.write_text(text, encoding="utf-8")
    waiting.replace(path)


def _check_size(path: Path, what: str) -> None:
    if path.stat().st_size > MOST_BYTES:
        raise NotALog(f"{what} may have at most {MOST_BYTES >> 20} MiB: save it as CSV")


# -- spreadsheets ------------------------------------------------------------------


def _is_sheet(path: Path) -> bool:
    try:
        with zipfile.ZipFile(path) as archive:
            names = set(archive.namelist())
            unpacked = sum(one.file_size for one in archive.infolist())
    except (zipfile.BadZipFile, OSError, ValueError, NotImplementedError):
        return False
    if not any(name in names for name in _SHEETS):
        return False
    if unpacked > MOST_UNPACKED:
        raise NotALog("the spreadsheet unpacks to more than can be read: save it as CSV")
    return True


def _of_sheet(path: Path) -> str:
    import python_calamine

    _check_size(path, "a spreadsheet")
    try:
        book = python_calamine.CalamineWorkbook.from_path(str(path))
        sheets = [book.get_sheet_by_name(name).to_python() for name in book.sheet_names]
    except (python_calamine.CalamineError, OSError, ValueError) as error:
        raise NotALog(f"the spreadsheet cannot be read: {str(error)[:200]}") from error
    rows = max(sheets, key=_filled, default=[])
    if not _filled(rows):
        raise NotALog("no sheet of it holds anything")
    return _csv([[_cell(cell) for cell in row] for row in rows])


def _filled(rows: list[list[Any]]) -> int:
    return sum(cell != "" for row in rows for cell in row)


def _cell(cell: object) -> str:
    if isinstance(cell, datetime):
        return cell.isoformat()
    if isinstance(cell, timedelta):
        return f"{cell.total_seconds():.9g}"
    if isinstance(cell, (date, time)):
        return cell.isoformat()
    if isinstance(cell, float):
        return f"{cell:.15g}"
    return str(cell).replace("\n", " ")


# -- JSON documents ----------------------------------------------------------------


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
    _check_size(path, "a JSON document")
    try:
        document = json.loads(path.read_bytes())
    except (ValueError, RecursionError):
        return None
    found = max(tables(document), key=len, default=[])
    if not found:
        raise NotALog("it is one JSON document, and no list in it holds rows of values")
    rows = [flat(row) for row in found]
    return _lines(trace_events(found) or events_of(rows) or apart_from_units(rows))
