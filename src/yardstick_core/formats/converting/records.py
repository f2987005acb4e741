"""Records: names with a value each, one a line, again and again.

`Run: 1`, `Program: loom 4.1`, `Launch time: 1.32 s`, and the same names of the next run below.
"""

from __future__ import annotations

import re
from typing import Any

FEWEST_RECORDS, FEWEST_FIELDS, MOST_FIELDS = 2, 2, 100
#: Such a share of the lines are fields, and such a share of the records have the same names.
AGREED = 0.9
#: A name may hold signs that part it from its value where they stand in brackets.
_FIELD = re.compile(r"([^\W\d](?:[^:=(]|\([^()]{0,40}\)){0,60})[:=](.{1,200})")


def rows_of(lines: list[str]) -> list[dict[str, Any]] | None:
    """A row for each record; None where the lines are none.

    >>> rows_of(["Run: 1", "open: 3 s", "", "Run: 2", "open: 4 s"])
    [{'Run': '1', 'open': '3 s'}, {'Run': '2', 'open': '4 s'}]
    """
    filled = [line.strip() for line in lines if line.strip()]
    found = [_FIELD.fullmatch(line) for line in filled]
    fields = [(one[1].strip(), one[2].strip()) for one in found if one and one[2].strip()]
    if not fields or len(fields) < AGREED * len(filled):
        return None
    records: list[dict[str, Any]] = []
    for name, value in fields:
        if not records or name in records[-1]:
            records.append({})
        records[-1][name] = value
    usual = records[0].keys()
    alike = sum(record.keys() == usual for record in records)
    few = len(records) < FEWEST_RECORDS or not FEWEST_FIELDS <= len(usual) <= MOST_FIELDS
    if few or alike < AGREED * len(records):
        return None
    return records if any(map(str.isdigit, "".join(map(str, records[0].values())))) else None
