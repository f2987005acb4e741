"""Files of the kernel that are read again and again, kept open meanwhile.

Opening one anew costs several times what reading it does.
"""

from __future__ import annotations

import contextlib
import os
from collections.abc import Callable

MOST_OPEN = 256
_MOST_BYTES = 1 << 16

#: Reads a file from its beginning; raises OSError where that cannot be done.
Read = Callable[[str], bytes]


def read_once(path: str) -> bytes:
    """Read a file and close it again."""
    with open(path, "rb", buffering=0) as file:
        return file.read(_MOST_BYTES)


class KeptOpen:
    """Reads files by their path; each stays open until it cannot be read any more.

    A process's file tells of that process only: where its number is given away once more, the file
    is opened anew.
    """

    def __init__(self) -> None:
        self._open: dict[str, int] = {}

    def read(self, path: str) -> bytes:
        """The file as it is now. Raises OSError where it is not there."""
        handle = self._open.get(path)
        if handle is not None:
            try:
                return os.pread(handle, _MOST_BYTES, 0)
            except OSError:
                os.close(self._open.pop(path))
        if len(self._open) >= MOST_OPEN:
            self.close()
        handle = os.open(path, os.O_RDONLY | os.O_CLOEXEC)
        self._open[path] = handle
        return os.pread(handle, _MOST_BYTES, 0)

    def close(self) -> None:
        for handle in self._open.values():
            with contextlib.suppress(OSError):
                os.close(handle)
        self._open.clear()
