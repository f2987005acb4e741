"""Watches the working folder: lines of its logs as they arrive, files as they are written."""

from __future__ import annotations

import ctypes
import os
import select
import struct
import threading
from dataclasses import dataclass, field
from pathlib import Path

from yardstick_agent.below import open_below
from yardstick_agent.changes import Changes
from yardstick_agent.clock import now_ns
from yardstick_agent.compiled import Look, calls, library

MODIFY, CLOSE_WRITE, MOVED_TO, CREATE = 0x2, 0x8, 0x80, 0x100
_EVENT = struct.Struct("iIII")
ALERT_MS, CALM_MS, IDLE_MS = 4, 20, 100
MOST_LINES = 20_000


@dataclass(frozen=True, slots=True)
class LogLine:
    """A line of a log: when it was seen and how much earlier it may have come."""

    at_ns: int
    plus_minus_ns: int
    text: str


@dataclass(slots=True)
class Log:
    """What has been read of one log file; of a long one only the newest lines are kept.

    `dropped` is how many lines stood before the first that is kept.
    """

    lines: list[LogLine] = field(default_factory=list)
    dropped: int = 0
    offset: int = 0
    rest: bytes = b""
    _lock: threading.Lock = field(default_factory=threading.Lock)

    def add(self, line: LogLine) -> None:
        with self._lock:
            self.lines.append(line)
            if len(self.lines) > 2 * MOST_LINES:
                del self.lines[:MOST_LINES]
                self.dropped += MOST_LINES

    def since(self, place: int) -> list[tuple[int, LogLine]]:
        """Lines from a place on, counted over all there ever were, each with its place."""
        with self._lock:
            skipped = max(0, place - self.dropped)
            return list(enumerate(self.lines[skipped:], self.dropped + skipped))


@dataclass(slots=True)
class FileState:
    """A file of the working folder: its last change and whether it has been closed since."""

    changed_ns: int
    plus_minus_ns: int
    closed: bool


class FolderWatch:
    """Runs in a thread of its own over one folder; `logs` are the log files in it, by name.

    It looks again and again whether nothing has come, so that what comes is known to have come
    since: 250 times a second while it is `alert`, 50 times else; 10 times where nothing depends on
    when it came, for each look costs.
    """

    def __init__(self, folder: Path, changes: Changes, *, exactly: bool = True) -> None:
        self.folder, self.changes, self.exactly = folder, changes, exactly
        self.logs: dict[str, Log] = {}
        self.files: dict[str, FileState] = {}
        machine = ctypes.CDLL(None, use_errno=True)
        self._fd = machine.inotify_init1(os.O_CLOEXEC | os.O_NONBLOCK)
        mask = MODIFY | CLOSE_WRITE | MOVED_TO | CREATE
        watch = machine.inotify_add_watch(self._fd, os.fsencode(self.folder), mask)
        if self._fd < 0 or watch < 0:
            raise OSError(ctypes.get_errno(), f"the folder {self.folder} cannot be watched")
        self._look = Look(ALERT_MS if exactly else IDLE_MS)
        self._thread = threading.Thread(target=self._run, name="files", daemon=True)

    @property
    def alert(self) -> bool:
        return bool(self._look.every_ms == ALERT_MS)

    @alert.setter
    def alert(self, wanted: bool) -> None:
        if self.exactly:
            self._look.every_ms = ALERT_MS if wanted else CALM_MS

    def start(self) -> None:
        self._thread.start()

    def stop(self) -> None:
        self._look.stopping = 1
        self._thread.join(2)
        os.close(self._fd)

    def follow(self, log: str) -> None:
        """From now on a file of the folder is read as a log."""
        self.logs.setdefault(log, Log())

    def last_lines(self, log: str, count: int) -> list[str]:
        found = self.logs.get(log)
        return [line.text for line in found.lines[-count:]] if found else []

    def _run(self) -> None:
        look = self._look
        look.quiet_since_ns = now_ns()
        while self._something_came():
            at, asked = now_ns(), look.asked_ns
            self._read(at, at - look.quiet_since_ns)
            self.changes.tell()
            look.quiet_since_ns = asked

    def _something_came(self) -> bool:
        """Wait until there is something to read; False when it was told to stop."""
        compiled = library()
        if compiled is None:
            return _interpreted_look(self._look, self._fd)
        return bool(compiled.look(ctypes.byref(self._look), self._fd, calls()))

    def _read(self, at: int, plus_minus: int) -> None:
        data = os.read(self._fd, 65536)
        place = 0
        while place < len(data):
            _, mask, _, length = _EVENT.unpack_from(data, place)
            start = place + _EVENT.size
            name = os.fsdecode(data[start : start + length].rstrip(b"\0"))
            place = start + length
            closed = bool(mask & (CLOSE_WRITE | MOVED_TO))
            self.files[name] = FileState(at, plus_minus, closed)
            if name in self.logs:
                self._read_log(name, self.logs[name], at - plus_minus)

    def _read_log(self, name: str, log: Log, quiet_ns: int) -> None:
        """Lines that arrived between the last quiet and now; what came while reading counts too."""
        try:
            with open_below(self.folder / name) as file:
                file.seek(log.offset)
                data = file.read(1 << 20)
        except OSError:
            return
        at = now_ns()
        log.offset += len(data)
        *whole, log.rest = (log.rest + data).split(b"\n")
        for line in whole:
            log.add(LogLine(at, at - quiet_ns, line.decode("utf-8", "replace")))


def _interpreted_look(look: Look, fd: int) -> bool:
    """What `look` in `waiting.c` does, where there is no compiled code."""
    poll = select.poll()
    poll.register(fd, select.POLLIN)
    while not look.stopping:
        look.asked_ns = now_ns()
        if poll.poll(0):
            return True
        poll.poll(look.every_ms)
        look.quiet_since_ns = look.asked_ns
    return False
