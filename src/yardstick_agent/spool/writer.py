"""Writes a run's record to its folder as it is measured: append-only files, nothing buffered.

run/
  assignment.json     what to do
  journal.jsonl       one JSON object a line
  frames.raw          int64, ns: presentation instants
  counters/NAME.raw   int64 ns and float64 value, alternating
  processes.jsonl     processes it started, to be ended by whoever comes after
  pictures/NAME.png   pictures kept with the record
  film.mp4            of a filmed run: fragments of a second, written by a process of its own
  film.json           when its first picture was taken, and how large it is
  drawn.ring          what was stamped, but not yet taken for pictures
  live.json           how far it is, written over twice a second: found torn, it is read again
  work/               the subject's working folder
  sent.jsonl          kept by the sender
  reserve             room for the end of the journal, given up when the disk is full
"""

from __future__ import annotations

import errno
import json
import os
import struct
import threading
from collections.abc import Sequence
from pathlib import Path
from typing import Any, NamedTuple

from yardstick_agent.clock import now_ns
from yardstick_agent.display.picture import Pixels, png
from yardstick_core.keepable import mended
from yardstick_core.streams.counters import cumulative
from yardstick_core.streams.entries import Entry

RESERVE_BYTES = 256 * 1024
_SAMPLE = struct.Struct("<qd")


class CounterFile(NamedTuple):
    """An open file of samples, and what is to be added to each: reached before a restart."""

    handle: int
    before: float


class SpoolWriter:
    """Instants given to it are CLOCK_MONOTONIC; what it writes counts from `origin_ns`.

    `trouble` says why the record could not be written on; empty while all is well.
    """

    def __init__(self, folder: Path, origin_ns: int) -> None:
        self.folder, self.origin_ns = folder, origin_ns
        (folder / "counters").mkdir(parents=True, exist_ok=True)
        self._frames = self._open("frames.raw")
        self._journal = self._open("journal.jsonl")
        self._live = os.open(
            folder / "live.json", os.O_WRONLY | os.O_CREAT | os.O_TRUNC | os.O_CLOEXEC, 0o644
        )
        self._live_bytes = 0
        self._counters: dict[str, int] = {}
        #: What counters that only count on had reached before the machine was restarted.
        self._reached: dict[str, float] = {}
        self._lock = threading.Lock()
        self.trouble = ""
        self._reserve()

    def _reserve(self) -> None:
        """Take room for the end of the journal, so that a full disk cannot swallow the outcome."""
        handle = os.open(self.folder / "reserve", os.O_WRONLY | os.O_CREAT | os.O_CLOEXEC, 0o644)
        try:
            os.posix_fallocate(handle, 0, RESERVE_BYTES)
        except OSError as error:
            self._give_up(error)
        finally:
            os.close(handle)

    def _give_up(self, error: OSError) -> None:
        """From now on only the journal is written, into the room that was kept for it."""
        if not self.trouble:
            self.trouble = f"the record cannot be written on: {error.strerror or error}"
            (self.folder / "reserve").unlink(missing_ok=True)

    def _append(self, handle: int, record: bytes) -> None:
        """Append a sample, whole or not at all; after trouble nothing more."""
        if self.trouble:
            return
        try:
            if os.write(handle, record) != len(record):
                raise OSError(errno.ENOSPC, "the disk is full")
        except OSError as error:
            self._give_up(error)

    def _open(self, name: str) -> int:
        flags = os.O_WRONLY | os.O_CREAT | os.O_APPEND | os.O_CLOEXEC
        return os.open(self.folder / name, flags, 0o644)

    def frames(self, instants: Sequence[int]) -> None:
        """Append presentation instants, in order."""
        origin = self.origin_ns
        record = struct.pack(f"<{len(instants)}q", *[at - origin for at in instants])
        self._append(self._frames, record)

    def counter(self, name: str, at_ns: int, value: float) -> None:
        if name not in self._counters:
            self._counters[name] = self._open(f"counters/{name}.raw")
            if value >= self._reached.get(name, 0.0):
                self._reached.pop(name, None)  # it has not begun anew after all
        value += self._reached.get(name, 0.0)
        self._append(self._counters[name], _SAMPLE.pack(at_ns - self.origin_ns, value))

    def counter_file(self, name: str) -> CounterFile:
        """Where compiled code appends samples of a counter that one has been kept of."""
        return CounterFile(self._counters[name], self._reached.get(name, 0.0))

    def gave_out(self) -> None:
        """Take note that compiled code could not append a sample; it does not say why."""
        self._give_up(OSError(errno.ENOSPC, "the disk may be full"))

    def go_on(self) -> None:
        """Go on with a record after a restart: what counts on begins anew, and is added up."""
        for file in (self.folder / "counters").glob("*.raw"):
            size = file.stat().st_size // _SAMPLE.size * _SAMPLE.size
            if cumulative(file.stem) and size:
                with open(file, "rb") as record:
                    record.seek(size - _SAMPLE.size)
                    self._reached[file.stem] = _SAMPLE.unpack(record.read(_SAMPLE.size))[1]

    def precondition(
        self, *, what: str, state: str, found: str = "", by: str = "", since: str = ""
    ) -> None:
        """Note what had to be so, whether it was, what was found, and who ticked it since when."""
        self.journal({
            "kind": "precondition", "at": now_ns(), "what": what, "state": state, "found": found,
            "by": by, "since": since,
        })  # fmt: skip

    def journal(self, entry: Entry) -> None:
        """Note something: `at` is an instant of the clock, other instants count from the origin."""
        noted = mended({**entry, "at": entry["at"] - self.origin_ns})
        line = json.dumps(noted, ensure_ascii=False)
        data = line.encode() + b"\n"
        with self._lock:
            try:
                if os.write(self._journal, data) == len(data):
                    return
                self._give_up(OSError(errno.ENOSPC, "the disk is full"))
            except OSError as error:
                self._give_up(error)
            os.write(self._journal, b"\n" + data)  # a torn line is passed over when it is read

    def picture(self, name: str, pixels: Pixels) -> None:
        """Keep a picture under a plain name, in place of an earlier one of that name."""
        (self.folder / "pictures").mkdir(exist_ok=True)
        waiting = self.folder / "pictures" / f"{name}.new"
        waiting.write_bytes(png(pixels))
        waiting.replace(waiting.with_suffix(".png"))

    def live(self, state: dict[str, Any]) -> None:
        """Say how far it is. Written over in place: a new file takes three times as long."""
        if self.trouble:
            return
        data = json.dumps(state).encode()
        self._live_bytes = max(self._live_bytes, len(data))
        try:
            os.pwrite(self._live, data.ljust(self._live_bytes), 0)
        except OSError as error:
            self._give_up(error)

    def close(self) -> None:
        for handle in (self._frames, self._journal, self._live, *self._counters.values()):
            os.close(handle)
        (self.folder / "reserve").unlink(missing_ok=True)
