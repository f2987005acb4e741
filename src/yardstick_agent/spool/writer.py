"""Writes a run's record to its folder as it is measured: append-only files, nothing buffered.

run/
  assignment.json     what to do
  journal.jsonl       one JSON object a line
  frames.raw          int64, ns: presentation instants
  counters/NAME.raw   int64 ns and float64 value, alternating
  processes.jsonl     processes it started, to be ended by whoever comes after
  pictures/NAME.png   pictures kept with the record
  live.json           how far it is, replaced twice a second
  work/               the subject's working folder
  sent.jsonl          kept by the sender
"""

from __future__ import annotations

import json
import os
import struct
import threading
from pathlib import Path
from typing import Any

from yardstick_agent.display.picture import Pixels, png

_FRAME = struct.Struct("<q")
_SAMPLE = struct.Struct("<qd")


class SpoolWriter:
    """Instants given to it are CLOCK_MONOTONIC; what it writes counts from `origin_ns`."""

    def __init__(self, folder: Path, origin_ns: int) -> None:
        self.folder, self.origin_ns = folder, origin_ns
        (folder / "counters").mkdir(parents=True, exist_ok=True)
        self._frames = self._open("frames.raw")
        self._journal = self._open("journal.jsonl")
        self._counters: dict[str, int] = {}
        self._lock = threading.Lock()

    def _open(self, name: str) -> int:
        flags = os.O_WRONLY | os.O_CREAT | os.O_APPEND | os.O_CLOEXEC
        return os.open(self.folder / name, flags, 0o644)

    def frame(self, at_ns: int) -> None:
        os.write(self._frames, _FRAME.pack(at_ns - self.origin_ns))

    def counter(self, name: str, at_ns: int, value: float) -> None:
        if name not in self._counters:
            self._counters[name] = self._open(f"counters/{name}.raw")
        os.write(self._counters[name], _SAMPLE.pack(at_ns - self.origin_ns, value))

    def journal(self, kind: str, at_ns: int, **entry: Any) -> None:
        """Note something; values named in ns of the clock must already count from the origin."""
        line = json.dumps({"kind": kind, "at": at_ns - self.origin_ns, **entry}, ensure_ascii=False)
        with self._lock:
            os.write(self._journal, line.encode() + b"\n")

    def picture(self, name: str, pixels: Pixels) -> None:
        """Keep a picture under a plain name, in place of an earlier one of that name."""
        (self.folder / "pictures").mkdir(exist_ok=True)
        waiting = self.folder / "pictures" / f"{name}.new"
        waiting.write_bytes(png(pixels))
        waiting.replace(waiting.with_suffix(".png"))

    def live(self, state: dict[str, Any]) -> None:
        waiting = self.folder / "live.new"
        waiting.write_text(json.dumps(state))
        waiting.replace(self.folder / "live.json")

    def close(self) -> None:
        for handle in (self._frames, self._journal, *self._counters.values()):
            os.close(handle)
