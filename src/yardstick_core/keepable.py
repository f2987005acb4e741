"""What everything behind the border can keep: whole characters, finite numbers of 64 bits.

The database keeps no NUL and no half of a surrogate pair, and whoever nests lists a thousand deep
means no good. What a program under test said is mended instead of refused.
"""

from __future__ import annotations

import math
import re
from typing import Any

UNKEEPABLE = re.compile("[\x00\ud800-\udfff]")
LARGEST = 1 << 63
DEEPEST = 40
LONGEST_TEXT = 20_000


def unkeepable(found: Any) -> str:
    """Why something cannot be kept, in words; empty where it can."""
    waiting: list[tuple[Any, int]] = [(found, 1)]
    while waiting:
        one, depth = waiting.pop()
        if isinstance(one, str):
            if UNKEEPABLE.search(one):
                return "a text holds a NUL or half a character"
        elif isinstance(one, float):
            if not math.isfinite(one):
                return "a number is not finite"
        elif isinstance(one, int):
            if not -LARGEST <= one < LARGEST:
                return "a whole number has more than 64 bits"
        elif isinstance(one, (dict, list)):
            if depth > DEEPEST:
                return f"it is nested deeper than {DEEPEST}"
            if isinstance(one, dict):
                waiting += [(key, depth) for key in one]
                waiting += [(value, depth + 1) for value in one.values()]
            else:
                waiting += [(value, depth + 1) for value in one]
    return ""


def mended(value: Any) -> Any:
    """The same with what cannot be kept replaced: whatever a program says, its run is kept.

    NUL and halves of characters become U+FFFD, texts are cut, numbers that are none become None.
    """
    if isinstance(value, str):
        clean = UNKEEPABLE.sub("\ufffd", value)
        return clean if len(clean) <= LONGEST_TEXT else clean[: LONGEST_TEXT - 1] + "…"
    if isinstance(value, bool) or value is None:
        return value
    if isinstance(value, float):
        return value if math.isfinite(value) else None
    if isinstance(value, int):
        return value if -LARGEST <= value < LARGEST else None
    if isinstance(value, dict):
        return {mended(str(key)): mended(one) for key, one in value.items()}
    if isinstance(value, (list, tuple)):
        return [mended(one) for one in value]
    return value


def cut(text: str, most: int) -> str:
    """A text that can be kept, with at most so many characters; where it was cut, it says so."""
    clean = UNKEEPABLE.sub("\ufffd", text)
    if len(clean) <= most:
        return clean
    mark = f" … ({len(clean) - most} more characters)"
    return clean[: most - len(mark)] + mark
