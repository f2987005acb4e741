"""Samples what the subject uses at each beat in compiled code, in a thread of its own.

Waking the interpreter so often takes five times what reading does: what the processor held for it
has been displaced by the subject meanwhile.
"""

from __future__ import annotations

import contextlib
import ctypes
import os
import struct
import threading
from collections.abc import Sequence

from yardstick_agent.compiled import calls, library
from yardstick_agent.sampling.processes import PAGE, TICKS
from yardstick_agent.spool.writer import CounterFile


class _Sampling(ctypes.Structure):
    """`struct sampling` of `waiting.c`."""

    _fields_ = [
        ("stopping", ctypes.c_int), ("failed", ctypes.c_int), ("beats", ctypes.c_uint64),
        ("subject", ctypes.c_void_p), ("origin_ns", ctypes.c_int64), ("beat_ns", ctypes.c_int64),
        ("ticks_a_second", ctypes.c_int64), ("page_bytes", ctypes.c_int64),
        ("most_s", ctypes.c_double), ("seconds_before", ctypes.c_double),
        ("resident_before", ctypes.c_double), ("seconds_file", ctypes.c_int),
        ("resident_file", ctypes.c_int),
    ]  # fmt: skip


class SubjectBeat:
    """`seconds` and `resident` are where samples are appended; instants count from `origin_ns`.

    Whoever follows the subject says which processes it consists of, each time that is looked for.
    """

    def __init__(
        self, seconds: CounterFile, resident: CounterFile, origin_ns: int, beat_ns: int
    ) -> None:
        self._files: dict[int, int] = {}
        self._published: ctypes.Array[ctypes.c_char] | None = None
        #: What the sample under way may still read: until which beat, files, what told of them.
        self._old: list[tuple[int, list[int], ctypes.Array[ctypes.c_char] | None]] = []
        self._publishing = threading.Lock()
        self._sampling = _Sampling(
            origin_ns=origin_ns, beat_ns=beat_ns, ticks_a_second=TICKS, page_bytes=PAGE,
            seconds_before=seconds.before, resident_before=resident.before,
            seconds_file=seconds.handle, resident_file=resident.handle,
        )  # fmt: skip
        self._publish([], 0.0)
        self._thread = threading.Thread(target=self._run, name="subject beat", daemon=True)

    @property
    def most_seconds(self) -> float:
        """Processor time of the subject so far, seconds."""
        return float(self._sampling.most_s)

    @property
    def beats(self) -> int:
        """How many samples have been taken."""
        return int(self._sampling.beats)

    @property
    def failed(self) -> bool:
        """Whether the record could not be written on: nothing is sampled any more."""
        return bool(self._sampling.failed)

    def start(self) -> None:
        self._thread.start()

    def stop(self) -> None:
        self._sampling.stopping = 1
        self._thread.join(2)
        for files in (self._files.values(), *(old for _, old, _ in self._old)):
            for handle in files:
                os.close(handle)

    def follow(self, pids: Sequence[int], ended_seconds: float) -> None:
        """From the next beat on the subject is these processes; others took so long before."""
        with self._publishing:
            kept = {pid: n for pid, n in self._files.items() if pid in pids and _readable(n)}
            if list(kept) == list(pids) and ended_seconds == self._ended_seconds:
                return
            gone = [found for pid, found in self._files.items() if pid not in kept]
            for pid in pids:
                if pid not in kept:
                    with contextlib.suppress(OSError):
                        kept[pid] = os.open(f"/proc/{pid}/stat", os.O_RDONLY | os.O_CLOEXEC)
            kept = {pid: kept[pid] for pid in pids if pid in kept}
            self._close_old()
            self._old.append((self.beats + 2, gone, self._published))
            self._files = kept
            self._publish(list(kept.values()), ended_seconds)

    def _publish(self, files: list[int], ended_seconds: float) -> None:
        """Hand over `struct subject` of `waiting.c`."""
        packed = struct.pack(f"=d{len(files) + 1}i", ended_seconds, len(files), *files)
        published = ctypes.create_string_buffer(packed)
        self._sampling.subject = ctypes.addressof(published)
        self._published, self._ended_seconds = published, ended_seconds

    def _close_old(self) -> None:
        while self._old and self._old[0][0] <= self.beats:
            for handle in self._old.pop(0)[1]:
                os.close(handle)

    def _run(self) -> None:
        compiled = library()
        assert compiled is not None
        compiled.sample_subject(ctypes.byref(self._sampling), calls())


def _readable(handle: int) -> bool:
    """Whether a process is there still that a file was opened of: its number may be another's."""
    try:
        return bool(os.pread(handle, 1, 0))
    except OSError:
        return False
