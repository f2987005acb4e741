"""Numbers within words of one's own: `#{weave | 5.0-rc1 | percent}` says what the study says.

A reference names a metric as the board does, a variant, and the form; it stays true while the
study goes on. One that names nothing any more is said to be unknown, never left as it was.
"""

from __future__ import annotations

import re
from collections.abc import Mapping
from typing import Any

from yardstick_core.compare.rows import LEVEL_MARK
from yardstick_core.compare.text import qualified_label
from yardstick_core.readings.derive import WHOLE

FORMS = ("amount", "percent", "factor", "interval", "reading")
UNKNOWN = "(number not known)"
_REFERENCE = re.compile(r"#\{([^{}|\n]+)\|([^{}|\n]+)\|([^{}|\n]+)\}")


def reference(label: str, variant: str, form: str) -> str:
    """How a number is written into words."""
    return f"#{{{label} | {variant} | {form}}}"


def row_label(row: Mapping[str, Any]) -> str:
    """What a row of a board is called in a report: with its step or its level where it has one."""
    label = qualified_label(str(row["label"]), list(row["stretch"]))
    whole, _, level = str(row["stretch"][0]).partition(LEVEL_MARK)
    return f"{label}{LEVEL_MARK}{level}" if level and whole == WHOLE else label


def numbers_in(text: str, board: Mapping[str, Any]) -> dict[str, str]:
    """Each reference in a text with what it says."""
    return {found.group(): _resolved(board, *found.groups()) for found in _REFERENCE.finditer(text)}


def unknown_in(text: str, board: Mapping[str, Any]) -> list[str]:
    """References that name no number of the study."""
    return [name for name, said in numbers_in(text, board).items() if said == UNKNOWN]


def filled(text: str, numbers: Mapping[str, str], before: str = "", after: str = "") -> str:
    """A text with its references replaced, each between two marks."""
    return _REFERENCE.sub(
        lambda found: f"{before}{numbers.get(found.group(), UNKNOWN)}{after}", text
    )


def _resolved(board: Mapping[str, Any], label: str, variant: str, form: str) -> str:
    names: list[str] = board["variants"]
    label, variant, form = label.strip(), variant.strip(), form.strip()
    row = next((row for row in board["rows"] if row_label(row) == label), None)
    if row is None or variant not in names:
        return UNKNOWN
    index = names.index(variant)
    if form == "reading":
        median = row["medians"][index]
        return f"{median['text']} {row['unit']}".strip() if median else UNKNOWN
    difference = row["differences"][index]
    if difference is None or difference["verdict_withheld"]:
        return UNKNOWN
    forms = {
        "amount": difference["change_text"],
        "percent": difference["percent_text"],
        "factor": difference["factor_text"],
        "interval": difference["range_text"] or difference["interval_text"],
    }
    return str(forms.get(form) or UNKNOWN)


def main_rows(board: Mapping[str, Any]) -> list[Mapping[str, Any]]:
    """The rows that a report shows by themselves: what decides, and the main ones that count."""
    return [
        row
        for row in board["rows"]
        if (row["deciding"] or (row["primary"] and row["counted"])) and any(row["samples"])
    ]
