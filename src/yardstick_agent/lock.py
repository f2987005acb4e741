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


def _opened(path: Path) -> int:
    """The lock file, open for reading, which every user of the machine may do.

    It is never opened for creation once it exists: in a shared folder the kernel forbids that to
    anyone but its owner.
    """
    try:
        os.close(os.open(path, os.O_CREAT | os.O_EXCL | os.O_WRONLY | os.O_CLOEXEC, 0o644))
    except FileExistsError:
        pass
    return os.open(path, os.O_RDONLY | os.O_CLOEXEC)


@contextmanager
def machine_to_ourselves(
    wait: bool = True, path: Path = LOCK, waiting: Callable[[], None] = lambda: None
) -> Iterator[None]:
    """Hold the machine; waits for another session to end, or raises BusyError."""
    handle = _opened(path)
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
