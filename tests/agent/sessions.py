"""Helpers that play a short session on a real display and give back the run."""

from __future__ import annotations

import json
import sys
from pathlib import Path

from yardstick_agent.cli import measure
from yardstick_agent.spool.reader import SpoolReader
from yardstick_core.record import RunRecord

HERE = Path(__file__).parent
SDL = [sys.executable, str(HERE / "truth_sdl.py")]


def prepared(folder: Path, script: str, command: list[str], log: str = "subject.log") -> Path:
    """A run's folder, ready to be measured."""
    (folder / "work").mkdir(parents=True)
    program = {"command": command, "log": log}
    assignment = {"script": script, "program": program, "display": ""}
    (folder / "assignment.json").write_text(json.dumps(assignment))
    return folder


def played(folder: Path, script: str, command: list[str], log: str = "subject.log") -> RunRecord:
    """The record of a session played on a program."""
    measure(prepared(folder / "run", script, command, log))
    return SpoolReader(folder / "run").run()


def script(*lines: str) -> str:
    """A session of one step that starts the program and then does what the lines say."""
    body = "".join(f"  {line}\n" for line in lines)
    return f'session "Test"\nstep "Only"\n  start\n  until log "ready"\n{body}'
