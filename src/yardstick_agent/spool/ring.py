"""A ring in shared memory: what compiled code has stamped, until it is taken.

It lies in the run's folder, so that what was stamped outlives the process that measures. The layout
is that of `yardstick_agent/compiled/waiting.c`: a header of eight 64-bit numbers (written, taken,
stopping, capacity, origin in ns), then records of 32 bytes. The origin of a run that goes on after
a restart lies before this start of the machine: it is negative.
"""

from __future__ import annotations

import ctypes
import mmap
import os
import struct
from collections.abc import Iterator
from pathlib import Path
from typing import NamedTuple

FILE = "drawn.ring"
HEADER_BYTES = 64
CAPACITY = 16_384
WRITTEN, TAKEN, STOPPING, HOLDS, ORIGIN = range(5)
#: Kinds of records: a drawn rectangle, another event of which the address is kept, the end.
DRAWN, OTHER, ENDED = 1, 2, 3
_RECORD = struct.Struct("<qIIhhHHII")
_SIZE = HEADER_BYTES + CAPACITY * _RECORD.size


class Stamped(NamedTuple):
    """What a display told, and when in ns; of another event than a drawn rectangle `window` and
    `server_ms` are the lower and the upper half of its address.
    """

    at_ns: int
    window: int
    server_ms: int
    x: int
    y: int
    width: int
    height: int
    kind: int
    unused: int

    @property
    def address(self) -> int:
        return self.window | self.server_ms << 32


class Ring:
    """Records are put in by compiled code in one thread and taken by one other.

    Without a file, or room for it, it is in the memory of this process alone.
    """

    def __init__(self, file: Path | None = None, origin_ns: int = 0) -> None:
        self.file = file
        self.memory = _shared(file) if file else mmap.mmap(-1, _SIZE)
        self._header = memoryview(self.memory).cast("q")
        self._header[HOLDS], self._header[ORIGIN] = CAPACITY, origin_ns
        self._looked_at = 0

    @property
    def waiting(self) -> bool:
        """Whether there is something to take."""
        return self._header[WRITTEN] != self._header[TAKEN]

    def address(self) -> ctypes.c_void_p:
        """Where it lies, for compiled code."""
        return ctypes.c_void_p(ctypes.addressof(ctypes.c_char.from_buffer(self.memory)))

    def stop(self) -> None:
        """Ask whoever fills it to end with the next event."""
        self._header[STOPPING] = 1

    def look(self) -> Iterator[Stamped]:
        """What has been put in and not been taken, in order."""
        self._looked_at = self._header[WRITTEN]
        return _between(self.memory, self._header[TAKEN], self._looked_at)

    def take(self) -> None:
        """What was looked at last counts as taken: it is kept elsewhere by now."""
        self._header[TAKEN] = self._looked_at

    def discard(self) -> None:
        """Remove the file where all that is in it was taken."""
        if self.file and not self.waiting:
            self.file.unlink(missing_ok=True)


def _shared(file: Path) -> mmap.mmap:
    """The memory of a file with all its room taken: a disk that fills up must not end the run."""
    try:
        with open(file, "w+b") as made:
            os.posix_fallocate(made.fileno(), 0, _SIZE)
            return mmap.mmap(made.fileno(), _SIZE)
    except OSError:
        file.unlink(missing_ok=True)
        return mmap.mmap(-1, _SIZE)


def _between(memory: mmap.mmap | bytes, place: int, written: int) -> Iterator[Stamped]:
    while place < written:
        slot = place % CAPACITY
        many = min(written - place, CAPACITY - slot)
        start = HEADER_BYTES + slot * _RECORD.size
        part = memory[start : start + many * _RECORD.size]
        yield from map(Stamped._make, _RECORD.iter_unpack(part))
        place += many


def left_in(file: Path) -> tuple[int, list[Stamped]]:
    """The origin of a run in ns, and what was drawn in it, but not taken before it was killed."""
    data = file.read_bytes()
    if len(data) != _SIZE:
        return 0, []
    header = struct.unpack_from("<8q", data)
    if not 0 <= header[WRITTEN] - header[TAKEN] <= CAPACITY:
        return 0, []
    left = _between(data, header[TAKEN], header[WRITTEN])
    return header[ORIGIN], [one for one in left if one.kind == DRAWN]
