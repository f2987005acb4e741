"""Patterns of a session, matched in time that grows with the text and not with the pattern.

A session runs on a machine that others share: a pattern that backtracks without end would hold it.
The engine has no look-around and no back-references; what it cannot do is refused where the script
is read.
"""

from __future__ import annotations

from collections.abc import Iterator
from functools import lru_cache
from typing import Protocol

import re2

LONGEST = 2000
#: Memory that one pattern may take, bytes.
MOST_MEMORY = 1 << 21

_OPTIONS = re2.Options()
_OPTIONS.max_mem = MOST_MEMORY
_OPTIONS.log_errors = False


class Match(Protocol):
    def group(self, number: int = 0, /) -> str: ...

    def span(self, number: int = 0, /) -> tuple[int, int]: ...


class Pattern(Protocol):
    """A compiled pattern; `groups` is how many it has."""

    @property
    def groups(self) -> int: ...

    def search(self, text: str, /) -> Match | None: ...

    def finditer(self, text: str, /) -> Iterator[Match]: ...


@lru_cache(maxsize=256)
def compiled(text: str) -> Pattern:
    """The pattern. Raises ValueError, in words, where it cannot be read or asks for too much."""
    if len(text) > LONGEST:
        raise ValueError(f"it is longer than {LONGEST} characters")
    try:
        found: Pattern = re2.compile(text, _OPTIONS)
    except re2.error as error:
        said = error.args[0] if error.args else b""
        raise ValueError(said.decode() if isinstance(said, bytes) else str(said)) from None
    return found


def escaped(text: str) -> str:
    """A pattern that means just this text."""
    return str(re2.escape(text))


def last_match(pattern: Pattern, text: str) -> Match | None:
    """The last place where it fits."""
    last = None
    for found in pattern.finditer(text):
        last = found
    return last
