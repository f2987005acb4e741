"""What a variant takes on disk, from the places its rig names; and its settings files."""

from __future__ import annotations

import os
from collections.abc import Iterable
from pathlib import Path
from typing import Any

from yardstick_core.formats.settings import MOST_BYTES, SettingsError, read_settings

MOST_FILES = 200_000


def installed(places: Iterable[str]) -> tuple[int, int] | None:
    """Bytes on disk and number of the files below some places; None where there are none.

    A file with several names counts once, links are not followed.
    """
    size = count = 0
    seen: set[tuple[int, int]] = set()
    for file in _files(places):
        try:
            stat = file.lstat()
        except OSError:
            continue
        if (stat.st_dev, stat.st_ino) not in seen:
            seen.add((stat.st_dev, stat.st_ino))
            size, count = size + stat.st_blocks * 512, count + 1
    return (size, count) if count else None


def _files(places: Iterable[str]) -> Iterable[Path]:
    left = MOST_FILES
    for name in places:
        place = Path(name).expanduser()
        if place.is_dir() and not place.is_symlink():
            for folder, _, files in os.walk(place):
                for file in files:
                    if left == 0:
                        return
                    left -= 1
                    yield Path(folder) / file
        elif place.exists() or place.is_symlink():
            yield place


def settings(
    declared: Iterable[dict[str, Any]], folder: Path, others: Iterable[Path]
) -> tuple[dict[str, str], list[str]]:
    """Keys and values of the settings files a subject declares, and what could not be read.

    A file is looked for by its plain name in the working folder, then in the folders the rig names:
    the server cannot have any other file of a rig read.
    """
    found: dict[str, str] = {}
    troubles: list[str] = []
    for one in declared:
        name = Path(str(one["file"])).name
        places = [folder / name, *(place / name for place in others)]
        place = next((place for place in places if place.is_file()), None)
        if place is None:
            continue
        try:
            with open(place, "rb") as file:
                data = file.read(MOST_BYTES + 1)
            only, ignore = tuple(one.get("only", ())), tuple(one.get("ignore", ()))
            found |= read_settings(name, data, only, ignore)
        except (OSError, SettingsError) as error:
            troubles.append(str(error))
    return found, troubles
