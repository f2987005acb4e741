"""One measured session at a time on a machine, whoever started it."""

from __future__ import annotations

import fcntl
import os
import tempfile
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from pathlib import Path

LOCK = Path(tempfile.gettempdir()) / "noble-yardstick-session.lock"


class BusyError(RuntimeError):
    """Another session is being measured on this machine."""


@contextmanager
def machine_to_ourselves(
    wait: bool = True, path: Path = LOCK, waiting: Callable[[], None] = lambda: None
) -> Iterator[None]:
    """Hold the machine; waits for another session to end, or raises BusyError."""
    handle = os.open(path, os.O_RDWR | os.O_CREAT | os.O_CLOEXEC, 0o666)
    try:
        try:
            fcntl.flock(handle, fcntl.LOCK_EX | fcntl.LOCK_NB)
        except BlockingIOError:
            if not wait:
                raise BusyError("another session is being measured on this machine") from None
            waiting()
            fcntl.flock(handle, fcntl.LOCK_EX)
        yield
    finally:
        os.close(handle)
