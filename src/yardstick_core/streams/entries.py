"""Entries of a run's journal: which fields each kind has, checked where they come in."""

from __future__ import annotations

import math
from typing import Any

from yardstick_core.keepable import LONGEST_TEXT, unkeepable
from yardstick_core.streams.chunk import ChunkError

#: No run lasts a year, and no clock of one is further off.
LATEST_NS = 366 * 86_400 * 1_000_000_000
LONGEST_PATH = 32
MOST_LOOKS = 50


def _instant(value: Any) -> bool:
    return isinstance(value, int) and not isinstance(value, bool) and abs(value) <= LATEST_NS


def _text(value: Any) -> bool:
    return isinstance(value, str) and len(value) <= LONGEST_TEXT


def _path(value: Any) -> bool:
    return isinstance(value, list) and 0 < len(value) <= LONGEST_PATH and all(map(_text, value))


def _number(value: Any) -> bool:
    plain = isinstance(value, (int, float)) and not isinstance(value, bool)
    return plain and math.isfinite(value)


def _object(value: Any) -> bool:
    return isinstance(value, dict)


def _optional(check: Any) -> Any:
    return lambda value: value is None or check(value)


def _looks(value: Any) -> bool:
    """Pictures, by the names under which they are kept, and how often each was seen."""
    return (
        isinstance(value, list)
        and len(value) <= MOST_LOOKS
        and all(
            isinstance(one, dict) and _text(one.get("picture")) and type(one.get("count")) is int
            for one in value
        )
    )


_STRETCH = {"path": _path, "start": _instant, "end": _instant}
#: What an entry of each kind must have; kinds that are not here need `at` alone.
_FIELDS: dict[str, dict[str, Any]] = {
    "step": _STRETCH,
    "time": _STRETCH,
    "frames": _STRETCH,
    "lap": _STRETCH,
    "opened": {"path": _path},
    "input": {"what": _text},
    "mark": {"name": _text},
    "outcome": {"outcome": _text},
    "facts": {"facts": _object},
    "fixtures": {"files": _object},
    "taken": {"path": _path, "value": _optional(_number), "unit": _text},
    "picture": {"name": _text, "what": _text},
    "precondition": {"what": _text, "state": _text},
    "spent": {"processor_s": _number},
    "settings": {"when": _text, "values": _object},
    "up": {"shown": _instant},
    "shown": {"path": _path, "unit": _text, "pattern": _text, "looks": _looks},
    "counter": {"stream": _text, "name": _text, "unit": _text},
    "companion": {"name": _text, "stream": _text},
    "restarted": {
        "path": _path,
        "asked": _instant,
        "back": _instant,
        "plus_minus": _number,
        "firmware_ns": _optional(_number),
        "memory_bytes": _optional(_number),
    },
    "throttled": {"count": _number},
}


def check_entry(entry: dict[str, Any]) -> None:
    """Raises ChunkError where an entry is not what everything that reads journals relies on."""
    kind = entry.get("kind")
    if not isinstance(kind, str) or not 0 < len(kind) <= 40:
        raise ChunkError("an entry of the journal has no kind")
    if not _instant(entry.get("at")):
        raise ChunkError(f"an entry of kind {kind} has no instant")
    for name, fits in _FIELDS.get(kind, {}).items():
        if not fits(entry.get(name)):
            raise ChunkError(f"an entry of kind {kind} has no {name} that can be used")
    trouble = unkeepable(entry)
    if trouble:
        raise ChunkError(f"an entry of kind {kind} cannot be kept: {trouble}")
