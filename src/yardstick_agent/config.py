"""What this rig is: where its server is, who it is there, and which programs it may start.

A variant only names a program; what is started for that name is decided here, on the rig.
"""

from __future__ import annotations

import json
import shlex
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

from yardstick_agent.own_counters import checked_counters
from yardstick_agent.programs import FILE, OWNER, SAID
from yardstick_core.start_command import StartCommand, StartCommandError


class ConfigError(ValueError):
    """The rig's file cannot be used; the message says why."""


@dataclass(frozen=True, slots=True)
class RigConfig:
    """Settings of a rig; `programs` maps a name to command, environment and log file.

    `packages` are further Debian packages whose versions are noted with each run. `programs_from`
    says who may change the programs: only this file, or the owners of the workspace too.
    `states_from` is "anywhere" where prepared states of other rigs are taken too.
    `runnable_fixtures` lets fixtures in that a program may run or load: scripts, libraries, and
    settings that name them. `session_user` is whose rights the programs of a session have where
    the agent runs as root. `counters` are numbers sampled beside those of the agent. `sensors` is
    a folder with the kernel's `proc` and `sys` in it, made up by a stand-in: what is read there is
    called simulated. `updates` lets the agent bring itself to its server's release. `restart`
    says how a session may restart this machine: a `command`, or by a person's hand.
    """

    server: str
    token: str
    spool: Path
    programs: dict[str, dict[str, Any]] = field(default_factory=dict)
    display: str = ""
    packages: list[str] = field(default_factory=list)
    programs_from: str = FILE
    states_from: str = "here"
    runnable_fixtures: bool = False
    session_user: str = ""
    counters: list[dict[str, Any]] = field(default_factory=list)
    sensors: str = ""
    updates: bool = False
    restart: dict[str, Any] = field(default_factory=dict)


def load(path: Path) -> RigConfig:
    """Read a rig's JSON file."""
    try:
        data = json.loads(path.read_text())
        return RigConfig(
            data["server"].rstrip("/"),
            data["token"],
            Path(data["spool"]).expanduser(),
            data.get("programs", {}),
            data.get("display", ""),
            data.get("packages", []),
            OWNER if data.get("programs_from") == OWNER else FILE,
            "anywhere" if data.get("states_from") == "anywhere" else "here",
            data.get("runnable_fixtures") is True,
            str(data.get("session_user", "")),
            checked_counters(data.get("counters", [])),
            str(data.get("sensors", "")),
            data.get("updates") is True,
            dict(data.get("restart", {})),
        )
    except FileNotFoundError:
        raise ConfigError(f"there is no rig file {path}") from None
    except (ValueError, KeyError, AttributeError) as error:
        raise ConfigError(f"the rig file {path} cannot be read: {error}") from error


def described(config: RigConfig) -> dict[str, dict[str, Any]]:
    """What the rig may start, as it is told to the server: of the environment only the names."""
    return {
        name: {
            "command": shlex.join(map(str, program.get("command", ()))),
            "digest": _digest(program),
            "environment": sorted(program.get("environment", {})),
            "log": program.get("log", ""),
            "caches": list(program.get("caches", ())),
            "companions": sorted(program.get("companions", {})),
            "installed": list(program.get("installed", ())),
            "settings": list(program.get("settings", ())),
            "home": program.get("home", ""),
            "prepare": list(program.get("prepare", ())),
        }
        for name, program in config.programs.items()
    }


def _digest(program: dict[str, Any]) -> str:
    """By what the server tells whether a program is started as somebody wants it to be."""
    try:
        start = {name: program[name] for name in SAID if name in program}
        return StartCommand.checked(start).digest
    except StartCommandError:
        return ""


def join_file(path: Path, server: str, token: str) -> None:
    """Write a rig's file, readable by its owner only; of one that is there the rest is kept."""
    try:
        kept = json.loads(path.read_text())
    except (OSError, ValueError):
        kept = {"programs": {}, "spool": str(path.parent / "spool")}
    path.parent.mkdir(parents=True, exist_ok=True)
    path.touch(mode=0o600)
    path.write_text(json.dumps({**kept, "server": server, "token": token}, indent=2))
