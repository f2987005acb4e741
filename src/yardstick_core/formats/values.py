"""Numbers and dates from text."""

from __future__ import annotations

import csv
import re
from collections.abc import Sequence
from datetime import UTC, datetime

import numpy as np
from numpy.typing import NDArray

_NUMBER = re.compile(r"\s*[+-]?(?:\d+\.?\d*|\.\d+)(?:[eE][+-]?\d+)?\s*%?\s*")


def cells_of(line: str, separator: str) -> list[str]:
    """The cells of one line of separated text; none where its quotes cannot be read."""
    try:
        return next(csv.reader([line.rstrip("\r")], delimiter=separator), [])
    except csv.Error:
        return []


def numbers(cells: Sequence[str], decimal: str = ".") -> NDArray[np.float64]:
    """Numbers of text cells, shape (n,); NaN for what is none. A percent sign is passed over."""
    found = np.full(len(cells), np.nan)
    for place, cell in enumerate(cells):
        text = cell.replace(",", ".") if decimal == "," else cell
        if _NUMBER.fullmatch(text):
            found[place] = float(text.replace("%", ""))
    return found


def dates(cells: Sequence[str]) -> NDArray[np.float64]:
    """Seconds since 1970 of cells with date and time as ISO 8601 has it; NaN for what is none."""
    found = np.full(len(cells), np.nan)
    for place, cell in enumerate(cells):
        text = cell.strip()
        if len(text) >= 10 and text[4:5] == "-":
            try:
                moment = datetime.fromisoformat(text)
            except ValueError:
                continue
            whole = moment if moment.tzinfo else moment.replace(tzinfo=UTC)
            found[place] = whole.timestamp()
    return found
