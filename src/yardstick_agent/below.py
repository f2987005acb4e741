"""Files of a run's folder, opened so that no link leads out of it."""

from __future__ import annotations

import os
import stat
from pathlib import Path

from yardstick_core.file_names import is_below

#: More than this of one file is not looked at.
MOST_BYTES = 256 << 20


def read_below(folder: Path, name: str) -> bytes | None:
    """What a file below a folder holds; None where there is none, or it is no plain file.

    Each part of the name is opened from the one before it and no link is followed: whatever a
    session or its program put there, nothing of the machine beyond the folder is read.
    """
    if not is_below(name):
        return None
    try:
        place = os.open(folder, os.O_RDONLY | os.O_DIRECTORY | os.O_CLOEXEC)
    except OSError:
        return None
    *inner, last = name.split("/")
    try:
        for part in inner:
            flags = os.O_RDONLY | os.O_DIRECTORY | os.O_NOFOLLOW | os.O_CLOEXEC
            deeper = os.open(part, flags, dir_fd=place)
            os.close(place)
            place = deeper
        # not waiting for a writer, where it is a pipe
        flags = os.O_RDONLY | os.O_NOFOLLOW | os.O_NONBLOCK | os.O_CLOEXEC
        with open(os.open(last, flags, dir_fd=place), "rb") as file:
            if not stat.S_ISREG(os.fstat(file.fileno()).st_mode):
                return None
            return file.read(MOST_BYTES)
    except OSError:
        return None
    finally:
        os.close(place)
