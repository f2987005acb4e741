"""What starts a program: an argument list, never a shell, and what is told to it."""

from __future__ import annotations

import hashlib
import json
import re
import shlex
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from pathlib import PurePosixPath
from typing import Any

#: A program's name, as rigs and variants know it.
NAME = re.compile(r"^[A-Za-z0-9][A-Za-z0-9 ._+-]{0,118}$")
_VARIABLE = re.compile(r"^[A-Za-z_][A-Za-z0-9_]{0,99}$")
MOST_WORDS, LONGEST_WORD = 100, 4096
#: Variables that would have other code loaded into a program than its own, or undo what keeps runs
#: alike; only a rig's own file may set them.
REFUSED = ("LD_PRELOAD", "LD_AUDIT", "HOME", "DISPLAY", "XDG_RUNTIME_DIR", "YARDSTICK_RUN")


class StartCommandError(ValueError):
    """A start command that no rig would take; the message says why."""


@dataclass(frozen=True, slots=True)
class StartCommand:
    """`command` is the program and its arguments, `environment` what is set for it.

    `prepare` is a command run before each session, `log` the name of its log file in the folder it
    works in, `home` is "real" where it cannot do without the home of the person whose machine it
    is.
    """

    command: tuple[str, ...]
    environment: dict[str, str] = field(default_factory=dict)
    prepare: tuple[str, ...] = ()
    log: str = ""
    home: str = ""

    @classmethod
    def checked(cls, values: Mapping[str, Any]) -> StartCommand:
        """Read one from what came over a wire or out of a file. Raises StartCommandError."""
        command = _words(values.get("command"), "command")
        if not command:
            raise StartCommandError("a command has at least the program's name")
        environment = values.get("environment") or {}
        if not isinstance(environment, Mapping):
            raise StartCommandError("the environment is names with a text each")
        for name, value in environment.items():
            if not _VARIABLE.match(str(name)) or not isinstance(value, str) or "\0" in value:
                raise StartCommandError(f"“{name}” cannot be set in an environment")
            if name in REFUSED:
                raise StartCommandError(f"{name} is set by the run, or only by the rig's own file")
        home, log = values.get("home") or "", values.get("log") or ""
        if home not in ("", "real"):
            raise StartCommandError("a program's home is its run's own, or “real”")
        if not isinstance(log, str) or "/" in log or log.startswith("."):
            raise StartCommandError("a log is a plain file name, in the program's working folder")
        prepare = _words(values.get("prepare") or (), "prepare command")
        return cls(command, dict(environment), prepare, log, home)

    def values(self) -> dict[str, Any]:
        """As it is kept in a rig's file, without what is empty."""
        kept = {
            "command": list(self.command), "environment": self.environment,
            "prepare": list(self.prepare), "log": self.log, "home": self.home,
        }  # fmt: skip
        return {name: value for name, value in kept.items() if value}

    @property
    def digest(self) -> str:
        """The same for the same start, SHA-256; so a server can tell without seeing values."""
        return hashlib.sha256(json.dumps(self.values(), sort_keys=True).encode()).hexdigest()

    @property
    def text(self) -> str:
        """As a person would type it, with what is set before it."""
        return " ".join([*_set(self.environment), shlex.join(self.command)])

    def line(self, name: str) -> str:
        """The line to run on a rig that allows programs in its own file only."""
        options = [word for pair in self.environment.items() for word in ("--env", "=".join(pair))]
        for option, value in (("--log", self.log), ("--home", self.home)):
            options += [option, value] if value else []
        if self.prepare:
            options += ["--prepare", shlex.join(self.prepare)]
        return shlex.join(["yardstick-agent", "allow", name, *options, "--", *self.command])


def proposed_factor(starts: Sequence[StartCommand]) -> str:
    """What is likely meant to differ between variants that are started so; empty for one alone."""
    programs = {start.command[0] for start in starts}
    if len(starts) < 2:
        return ""
    if len(programs) == 1:
        return "setting"
    return "release" if len({PurePosixPath(p).name for p in programs}) == 1 else "program"


def split_command(text: str) -> StartCommand:
    """Read a typed command: leading NAME=value words are set in its environment.

    Raises StartCommandError where it cannot be read, or would need a shell.
    """
    try:
        words = shlex.split(text)
    except ValueError as error:
        raise StartCommandError(f"this cannot be read as words: {error}") from error
    environment: dict[str, str] = {}
    while words and _VARIABLE.match(words[0].partition("=")[0]) and "=" in words[0]:
        name, _, value = words.pop(0).partition("=")
        environment[name] = value
    if not words:
        raise StartCommandError("there is no program to start in this")
    shell = [word for word in words if word in ("|", "||", "&&", "&", ";", ">", ">>", "<")]
    if shell:
        raise StartCommandError(f"“{shell[0]}” needs a shell, and none is used: one program only")
    return StartCommand.checked({"command": words, "environment": environment})


def _words(given: Any, what: str) -> tuple[str, ...]:
    if not isinstance(given, (list, tuple)) or not all(isinstance(one, str) for one in given):
        raise StartCommandError(f"a {what} is a list of words")
    if len(given) > MOST_WORDS or any(len(word) > LONGEST_WORD or "\0" in word for word in given):
        raise StartCommandError(f"this {what} is too long")
    return tuple(given)


def _set(environment: Mapping[str, str]) -> list[str]:
    return [f"{name}={shlex.quote(value)}" for name, value in environment.items()]
