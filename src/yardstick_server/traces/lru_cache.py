"""What has been read of sealed runs, kept in memory for the next request, within a limit."""

from __future__ import annotations

import threading
from collections import OrderedDict
from collections.abc import Callable, Hashable
from typing import Generic, TypeVar

Value = TypeVar("Value")


class SizedLruCache(Generic[Value]):
    """The last used values, as many as fit in so many bytes."""

    def __init__(self, most_bytes: int) -> None:
        self._most = most_bytes
        self._held: OrderedDict[Hashable, tuple[Value, int]] = OrderedDict()
        self._lock = threading.Lock()

    def get(self, key: Hashable, make: Callable[[], tuple[Value, int]]) -> Value:
        """The value of a key; made, with its size in bytes, where it is not held."""
        with self._lock:
            if key in self._held:
                self._held.move_to_end(key)
                return self._held[key][0]
        value, size = make()
        if size <= self._most:
            with self._lock:
                self._held[key] = value, size
                while sum(held for _, held in self._held.values()) > self._most:
                    self._held.popitem(last=False)
        return value

    def clear(self) -> None:
        with self._lock:
            self._held.clear()
