"""Desktop programs that are installed on this machine, from their desktop entries.

Desktop Entry Specification: an entry lies in the folder `applications` of an XDG data folder; the
first of a name wins. Packages are asked of dpkg where there is one.
"""

from __future__ import annotations

import configparser
import os
import re
import shlex
import shutil
import subprocess
from collections.abc import Iterable
from pathlib import Path
from typing import Any

FIELD_CODE = re.compile(r"%[fFuUdDnNickvm]")
MOST = 1000
USUAL_FOLDERS = "/usr/local/share:/usr/share"
DPKG_SECONDS = 20


def data_folders() -> list[Path]:
    """The XDG data folders, the person's own first."""
    own = os.environ.get("XDG_DATA_HOME") or str(Path.home() / ".local/share")
    shared = os.environ.get("XDG_DATA_DIRS") or USUAL_FOLDERS
    return [Path(folder) for folder in (own, *shared.split(":")) if folder]


def applications(folders: Iterable[Path] | None = None) -> list[dict[str, Any]]:
    """Installed programs with a window: id, name, command, icon, package and version, by name.

    The command has no field codes; what a terminal runs, and what is hidden, is left out. Package
    and version are empty where no package manager knows them.
    """
    found: dict[str, dict[str, Any]] = {}
    hidden: set[str] = set()
    for folder in folders if folders is not None else data_folders():
        place = folder / "applications"
        for file in sorted(place.rglob("*.desktop"))[:MOST]:
            identity = str(file.relative_to(place)).replace("/", "-").removesuffix(".desktop")
            if identity in found or identity in hidden:
                continue
            entry = _entry(file)
            if entry is None:
                hidden.add(identity)
            else:
                found[identity] = {"id": identity, **entry, "file": str(file)}
    packages = _packages([entry["file"] for entry in found.values()])
    for entry in found.values():
        package = packages.get(entry.pop("file"), ("", ""))
        entry["package"], entry["version"] = package
    return sorted(found.values(), key=lambda entry: str(entry["name"]).casefold())


def _entry(file: Path) -> dict[str, Any] | None:
    """What a desktop entry starts; None where nothing with a window of its own."""
    reader = configparser.RawConfigParser(strict=False, delimiters=("=",), comment_prefixes="#")
    reader.optionxform = str  # type: ignore[assignment,method-assign]
    try:
        reader.read_string(file.read_text(encoding="utf-8", errors="replace"))
        values = dict(reader["Desktop Entry"])
    except (OSError, configparser.Error, KeyError):
        return None
    no = ("NoDisplay", "Hidden", "Terminal")
    if values.get("Type") != "Application" or any(values.get(key) == "true" for key in no):
        return None
    tried = values.get("TryExec")
    command = command_of(values.get("Exec", ""))
    if not command or shutil.which(command[0]) is None or (tried and not shutil.which(tried)):
        return None
    return {
        "name": values.get("Name", file.stem)[:120],
        "command": command,
        "icon": values.get("Icon", "")[:200],
    }


def command_of(text: str) -> list[str]:
    """The words of an Exec line, without its field codes; none where it cannot be read."""
    try:
        words = shlex.split(text.replace("\\\\", "\\"))
    except ValueError:
        return []
    kept = [FIELD_CODE.sub("", word).replace("%%", "%") for word in words]
    return [after for word, after in zip(words, kept, strict=True) if after or not word]


def _packages(files: list[str]) -> dict[str, tuple[str, str]]:
    """Package and version by file, of those that dpkg knows."""
    if not files or shutil.which("dpkg-query") is None:
        return {}
    owners: dict[str, str] = {}
    for line in _dpkg("--search", *files):
        package, _, file = line.partition(": ")
        owners[file] = package.split(",")[0].split(":")[0]
    if not owners:
        return {}
    shown = _dpkg("--show", "--showformat=${Package} ${Version}\\n", *sorted(set(owners.values())))
    versions = dict(line.split(" ", 1) for line in shown if " " in line)
    return {file: (package, versions.get(package, "")) for file, package in owners.items()}


def _dpkg(*words: str) -> list[str]:
    """Lines that dpkg-query prints; of what it does not know it says nothing."""
    try:
        done = subprocess.run(
            ["dpkg-query", *words], capture_output=True, text=True, timeout=DPKG_SECONDS,
            stdin=subprocess.DEVNULL, env={**os.environ, "LC_ALL": "C"},
        )  # fmt: skip
    except (OSError, subprocess.TimeoutExpired):
        return []
    return done.stdout.splitlines()


MOST_FOLDERS, MOST_LOOKED_AT, DEEPEST = 60, 4000, 3


def releases(folder: Path) -> list[dict[str, Any]]:
    """Releases that lie side by side: name of each folder or program, and what to start of it.

    In unpacked ones programs that lie at the same place in most of them come first. Raises OSError
    where the folder cannot be read.
    """
    there = sorted(path for path in folder.iterdir() if path.name[:1] != ".")
    below = [path for path in there if path.is_dir()][:MOST_FOLDERS]
    programs = {path: _executables(path) for path in below}
    alone = [path for path in there if _is_program(path)]
    often: dict[str, int] = {}
    for found in programs.values():
        for place in found:
            often[place] = often.get(place, 0) + 1
    return [
        {
            "name": path.name,
            "programs": [
                str(path / place)
                for place in sorted(found, key=lambda p: (-often[p], p.count("/"), p))[:12]
            ],
        }
        for path, found in programs.items()
        if found
    ] + [{"name": path.name, "programs": [str(path)]} for path in alone[:MOST_FOLDERS]]


def _is_program(path: Path) -> bool:
    """Whether a file can be started; libraries cannot, whatever their rights say."""
    return ".so" not in path.name and path.is_file() and os.access(path, os.X_OK)


def _executables(folder: Path) -> list[str]:
    """Places of executable files below a folder, not too deep; libraries are none."""
    found: list[str] = []
    looked_at = 0
    for place, folders, files in os.walk(folder):
        depth = len(Path(place).relative_to(folder).parts)
        folders[:] = [] if depth >= DEEPEST else sorted(folders)
        for name in sorted(files):
            looked_at += 1
            if looked_at > MOST_LOOKED_AT:
                return found
            path = Path(place) / name
            if _is_program(path):
                found.append(str(path.relative_to(folder)))
    return found
