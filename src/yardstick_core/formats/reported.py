"""Numbers as programs say them: `1,234.5`, `12 345`, `3,5`, `1e6`."""

from __future__ import annotations

import math
import re

_GROUPED = re.compile(r"[-+]?\d{1,3}([,\u2009\u202f\u00a0 ]\d{3})+(\.\d+)?")
_DECIMAL_COMMA = re.compile(r"[-+]?\d+,\d+")


def reported_number(text: str) -> float | None:
    """The number in a text that holds nothing else, or None.

    A comma between groups of three digits is taken for one that groups, any other for a decimal
    comma.
    """
    text = text.strip().replace("−", "-")
    if _GROUPED.fullmatch(text):
        text = re.sub(r"[,\u2009\u202f\u00a0 ]", "", text)
    elif _DECIMAL_COMMA.fullmatch(text):
        text = text.replace(",", ".")
    try:
        value = float(text)
    except ValueError:
        return None
    return value if math.isfinite(value) else None
