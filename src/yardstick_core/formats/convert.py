"""Spreadsheets and whole JSON documents, made into text of rows that logs are read from."""

from __future__ import annotations

import csv
import io
import json
import re
import zipfile
from collections.abc import Iterable, Iterator
from datetime import date, datetime, time, timedelta
from pathlib import Path
from typing import Any

from yardstick_core.formats import sentences
from yardstick_core.formats.source import NotALog

#: What such a file may take, as it is and unpacked: it is held in memory at once.
MOST_BYTES, MOST_UNPACKED = 32 << 20, 100 << 20
MOST_DEPTH = 12
_ZIP = b"PK\x03\x04"
_SHEETS = ("xl/workbook.xml", "content.xml")


def converted(path: Path) -> str:
    """Put text of rows in place of a spreadsheet or a JSON document; what it was, empty for others.

    Raises NotALog where it is one of them and cannot be read.
    """
    with path.open("rb") as file:
        head = file.read(4096)
    if head.startswith(_ZIP) and _is_sheet(path):
        _replace(path, _of_sheet(path))
        return "spreadsheet"
    start = head.removeprefix(b"\xef\xbb\xbf").lstrip()
    if start.startswith(b"[") or (start.startswith(b"{") and not _is_json_lines(path)):
        rows = _of_document(path)
        if rows is not None:
            _replace(path, rows)
            return "JSON document"
    if _PAIRS.fullmatch(start.split(b"\n")[0].strip()):
        _check_size(path, "a log of names and values")
        _replace(path, _of_pairs(path))
        return "names with their values"
    plain = not start.startswith((b"{", b'"'))
    if plain and _TELLING.search(head) and path.stat().st_size <= MOST_BYTES:
        said = sentences.rows_of(path.read_text(encoding="utf-8", errors="replace").splitlines())
        if said is not None:
            _replace(path, _lines(said))
            return "sentences"
    return ""


#: A line of names with their values: `t=32.3 frame=8.1`.
#: Whoever brings a file chooses the text: each sign can be read in one way only, so that no line
#: takes longer than it is long.
_PAIR = re.compile(r"(?<![\w.])([A-Za-z_][\w.]*)\s?[=:]\s?(\"[^\"]*\"|[^\s,;\"]+)")
_PAIRS = re.compile(
    rb"[A-Za-z_][\w.]*=(?:\"[^\"]*\"|[^\s,;=\"]+)"
    rb"(?:[\s,;]+[A-Za-z_][\w.]*=(?:\"[^\"]*\"|[^\s,;=\"]+))+"
)


#: A number with a word before it: the text may be sentences.
_TELLING = re.compile(rb"[A-Za-z]{2}[:=]?[ \t]+\d")


def _of_pairs(path: Path) -> str:
    lines = path.read_text(encoding="utf-8", errors="replace").splitlines()
    return _lines(
        [{name: value.strip('"') for name, value in _PAIR.findall(line)} for line in lines]
    )


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
    except (zipfile.BadZipFile, OSError, ValueError):
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
    out = io.StringIO()
    writer = csv.writer(out, lineterminator="\n")
    for row in rows:
        if any(cell != "" for cell in row):
            writer.writerow([_cell(cell) for cell in row])
    return out.getvalue()


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
        lines = [file.readline(1 << 20).strip() for _ in range(3)]
    found = 0
    for line in lines:
        if not line:
            continue
        try:
            found += isinstance(json.loads(line), dict)
        except ValueError:
            return False
    return found > 1 or (found == 1 and not lines[1] and _alone_is_row(lines[0]))


def _alone_is_row(line: bytes) -> bool:
    """Whether a single object is a row of its own, and holds no list of rows."""
    return next(_tables(json.loads(line), 0), None) is None


def _of_document(path: Path) -> str | None:
    """The longest list of objects in a document, or object of lists, as JSON lines."""
    _check_size(path, "a JSON document")
    try:
        document = json.loads(path.read_bytes())
    except (ValueError, RecursionError):
        return None
    found = max(_tables(document, 0), key=len, default=[])
    if not found:
        raise NotALog("it is one JSON document, and no list in it holds rows of values")
    return _lines(_of_trace(found) or map(flat, found))


def _of_trace(rows: list[dict[str, Any]]) -> list[dict[str, Any]]:
    """Rows of the Trace Event format as events with begin and end; none where it is not that."""
    if not all({"ph", "ts", "name"} <= row.keys() for row in rows[:50] if row.get("ph") != "M"):
        return []
    found: list[dict[str, Any]] = []
    begun: dict[tuple[Any, Any], list[dict[str, Any]]] = {}
    for row in rows:
        kind, at, thread = row.get("ph"), row.get("ts"), (row.get("pid"), row.get("tid"))
        if not isinstance(at, (int, float)):
            continue
        if kind == "X" and isinstance(row.get("dur"), (int, float)):
            found.append(_event(row, at, at + row["dur"]))
        elif kind == "B":
            begun.setdefault(thread, []).append(row)
        elif kind == "E" and begun.get(thread):
            first = begun[thread].pop()
            found.append(_event(first, first["ts"], at))
    return sorted(found, key=lambda event: float(event["begin [µs]"]))


def _event(row: dict[str, Any], begin: float, end: float) -> dict[str, Any]:
    return {"name": str(row.get("name", "")), "begin [µs]": begin, "end [µs]": end}


def _tables(value: Any, depth: int) -> Iterator[list[dict[str, Any]]]:
    if depth > MOST_DEPTH:
        return
    if isinstance(value, list):
        if value and all(isinstance(one, dict) for one in value):
            yield value
        elif value and all(isinstance(one, (int, float)) for one in value):
            yield [{"value": one} for one in value]
        elif value and all(isinstance(one, list) for one in value):
            yield from _of_lists(value)
        for one in value[:50]:
            yield from _tables(one, depth + 1)
    elif isinstance(value, dict):
        columns = {
            name: one for name, one in value.items() if isinstance(one, list) and len(one) > 1
        }
        lengths = {len(one) for one in columns.values()}
        if (
            len(columns) > 1
            and len(lengths) == 1
            and not any(
                isinstance(cell, (dict, list)) for one in columns.values() for cell in one[:5]
            )
        ):
            yield [
                dict(zip(columns, row, strict=True)) for row in zip(*columns.values(), strict=True)
            ]
        for one in value.values():
            yield from _tables(one, depth + 1)


def _of_lists(rows: list[list[Any]]) -> Iterator[list[dict[str, Any]]]:
    """Rows as lists; the first names the columns where it is all text."""
    first = rows[0]
    if first and all(isinstance(cell, str) for cell in first):
        yield [dict(zip(first, row, strict=False)) for row in rows[1:]]
    else:
        yield [{f"column {n + 1}": cell for n, cell in enumerate(row)} for row in rows]


def flat(row: dict[str, Any], before: str = "", depth: int = 0) -> dict[str, Any]:
    """An object without objects in it: `{"gpu": {"load": 3}}` has the field `gpu.load`.

    >>> flat({"t": 1, "gpu": {"load": 3, "clock": {"mhz": 9}}})
    {'t': 1, 'gpu.load': 3, 'gpu.clock.mhz': 9}
    """
    found: dict[str, Any] = {}
    for name, value in row.items():
        if isinstance(value, dict) and depth < MOST_DEPTH:
            found |= flat(value, f"{before}{name}.", depth + 1)
        elif not isinstance(value, list):
            found[f"{before}{name}"] = value
    return found
