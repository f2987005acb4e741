"""Spreadsheets: the sheet with the most in it."""

from __future__ import annotations

import zipfile
from datetime import date, datetime, time, timedelta
from pathlib import Path
from typing import Any

from yardstick_core.formats.converting.writing import MOST_UNPACKED, check_size, csv_of
from yardstick_core.formats.source import NotALog

_SHEETS = ("xl/workbook.xml", "content.xml")


def is_sheet(path: Path) -> bool:
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


def of_sheet(path: Path) -> str:
    import python_calamine

    check_size(path, "a spreadsheet")
    try:
        book = python_calamine.CalamineWorkbook.from_path(str(path))
        sheets = [book.get_sheet_by_name(name).to_python() for name in book.sheet_names]
    except (python_calamine.CalamineError, OSError, ValueError) as error:
        raise NotALog(f"the spreadsheet cannot be read: {str(error)[:200]}") from error
    rows = max(sheets, key=_filled, default=[])
    if not _filled(rows):
        raise NotALog("no sheet of it holds anything")
    return csv_of([[_cell(cell) for cell in row] for row in rows])


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
