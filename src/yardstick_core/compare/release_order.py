"""In which order releases came out, by their names alone."""

from __future__ import annotations

import re
from collections.abc import Iterable, Sequence

#: Words with which a release is not the release yet.
_BEFORE = ("dev", "pre", "preview", "a", "alpha", "b", "beta", "m", "milestone", "rc", "cr")
_PART = re.compile(r"\d+|[^\W\d_]+")
_EARLY, _END, _LATE, _NUMBER = range(4)
_LONGEST = 120


def release_key(name: str) -> tuple[tuple[int, int, str], ...]:
    """What sorts releases by name: numbers as numbers, `rc` and its like before the release.

    >>> sorted(["4.10", "5.0", "4.9", "5.0-rc1", "4.9.1", "5.0-b2"], key=release_key)
    ['4.9', '4.9.1', '4.10', '5.0-b2', '5.0-rc1', '5.0']
    """
    parts = []
    for part in _PART.findall(name[:_LONGEST].lower()):
        if part.isascii() and part.isdigit():
            parts.append((_NUMBER, int(part), ""))
        elif part in _BEFORE:
            parts.append((_EARLY, _BEFORE.index(part), ""))
        else:
            parts.append((_LATE, 0, part))
    return (*parts, (_END, 0, ""))


def in_order(names: Iterable[str], said: Sequence[str] = ()) -> list[str]:
    """Releases as a person said, oldest first; those not named come last, by their names.

    >>> in_order(["4.2", "summer", "4.10", "spring"], ["spring", "summer", "gone"])
    ['spring', 'summer', '4.2', '4.10']
    """
    there = dict.fromkeys(names)
    named = [name for name in said if name in there]
    return [*named, *sorted((n for n in there if n not in set(named)), key=release_key)]
