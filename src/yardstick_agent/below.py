"""Files of a run's folder, opened so that no link leads out of it."""

from __future__ import annotations

import os
import stat
from io import FileIO
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


def append_below(place: Path) -> FileIO:
    """Open a file of a run's folder to write at its end, made where it is not there yet.

    Raises OSError where something else stands there, such as a link that leads elsewhere.
    """
    flags = os.O_WRONLY | os.O_APPEND | os.O_CREAT | os.O_NOFOLLOW | os.O_NONBLOCK | os.O_CLOEXEC
    file = FileIO(os.open(place, flags, 0o600), "a")
    if not stat.S_ISREG(os.fstat(file.fileno()).st_mode):
        file.close()
        raise OSError(f"“{place.name}” is no plain file")
    return file


def open_below(place: Path) -> FileIO:
    """Open a plain file of a run's folder to be read, itself and nothing that it may link to."""
    flags = os.O_RDONLY | os.O_NOFOLLOW | os.O_NONBLOCK | os.O_CLOEXEC
    file = FileIO(os.open(place, flags), "r")
    if not stat.S_ISREG(os.fstat(file.fileno()).st_mode):
        file.close()
        raise OSError(f"“{place.name}” is no plain file")
    return file
