"""Changes of what this rig may start: written to its own file and a log, and taken back there."""

from __future__ import annotations

import json
import os
import time
from collections.abc import Mapping
from pathlib import Path
from typing import Any

from yardstick_core.start_command import NAME, StartCommand, StartCommandError

#: Who may say what a rig starts: only its own file, or the owners of its workspace too.
FILE, OWNER = "file", "owner"
#: What a start command says of a program.
SAID = ("command", "environment", "prepare", "log", "home")


class NotAllowed(Exception):
    """The rig does not take this change; the message says why."""


def allow(file: Path, name: str, values: Mapping[str, Any], by: str) -> None:
    """Let the rig start a program from now on. Raises NotAllowed; then nothing is changed."""
    if not NAME.match(name):
        raise NotAllowed(f"“{name}” is no name for a program: letters, digits, dots and dashes")
    try:
        start = StartCommand.checked(values)
    except StartCommandError as error:
        raise NotAllowed(str(error)) from error
    _change(file, name, start.values(), by)


def forbid(file: Path, name: str, by: str) -> None:
    """Let the rig not start a program any more. Raises NotAllowed where it knows none of it."""
    _change(file, name, None, by)


def take_back(file: Path) -> dict[str, Any]:
    """Undo the newest change that is not undone yet; that change. Raises NotAllowed else."""
    changes = log_of(file)
    undone = {change["undoes"] for change in changes if "undoes" in change}
    open_ones = [n for n, c in enumerate(changes) if n not in undone and "undoes" not in c]
    if not open_ones:
        raise NotAllowed("there is no change to take back")
    number = open_ones[-1]
    change = changes[number]
    _change(file, change["name"], change["before"], "the rig", undoes=number)
    return change


def log_of(file: Path) -> list[dict[str, Any]]:
    """All changes that were made, oldest first: at, by, name, before and after."""
    try:
        lines = _log(file).read_text(encoding="utf-8").splitlines()
    except OSError:
        return []
    return [json.loads(line) for line in lines]


def _log(file: Path) -> Path:
    return file.with_suffix(".changes.jsonl")


def _change(file: Path, name: str, after: Any, by: str, **more: Any) -> None:
    """Put a program into the rig's file, or out of it, whole or not at all; note it first."""
    rig = json.loads(file.read_text())
    programs = rig.setdefault("programs", {})
    before = programs.get(name)
    if after is None and before is None:
        raise NotAllowed(f"this rig knows no program “{name}”")
    if after is None:
        del programs[name]
    else:
        # What only the file says of it, such as its caches, stays.
        own = {key: value for key, value in (before or {}).items() if key not in SAID}
        programs[name] = {**own, **after}
    at = time.strftime("%Y-%m-%dT%H:%M:%SZ", time.gmtime())
    entry = {"at": at, "by": by, "name": name, "before": before, "after": after, **more}
    with open(os.open(_log(file), os.O_CREAT | os.O_APPEND | os.O_WRONLY, 0o600), "a") as log:
        log.write(json.dumps(entry) + "\n")
    new = file.with_name(file.name + ".new")
    with open(os.open(new, os.O_CREAT | os.O_TRUNC | os.O_WRONLY, 0o600), "w") as written:
        written.write(json.dumps(rig, indent=2))
    new.replace(file)
