"""What is done between runs, and not measured: each variant's own preparation, home, caches."""

from __future__ import annotations

from pathlib import Path
from typing import Any

from yardstick_core.script import parse
from yardstick_core.script.check import walk
from yardstick_core.script.model import ClearCache, Restart, Statement, Until
from yardstick_core.start_command import StartCommand
from yardstick_server.inventory.models import Rig, Variant, rig_of
from yardstick_server.studies.models import Study

REAL_HOME = "real"


def before_each_run(study: Study) -> list[str]:
    """In sentences what the plan has done before each run, in the order in which it is done."""
    rig = rig_of(study)
    script = parse(study.script.text)
    found = _homes(study, rig)
    if script.fixtures:
        names = ", ".join(sorted({one.file for one in script.fixtures}))
        found.append(f"Fresh copies are laid out of {names}.")
    for part in study.variants:
        command = _told(rig, part.variant).get("prepare", [])
        if command:
            found.append(f"For {part.variant.name} “{Path(command[0]).name}” prepares the machine.")
    for statement in script.before:
        found += _of_script(statement)
    if any(isinstance(one, Restart) for one in walk(script.steps)):
        found.append("The session itself restarts the machine.")
    return found


def _told(rig: Rig | None, variant: Variant) -> dict[str, Any]:
    """How a variant is started: as the rig says, else as is wished."""
    if rig is not None and variant.program in rig.programs:
        return dict(rig.programs[variant.program])
    return StartCommand.checked(variant.start).values() if variant.start else {}


def _homes(study: Study, rig: Rig | None) -> list[str]:
    """Where each variant's settings are when it starts; said once where it is the same for all."""
    homes = {part.variant.name: _home(_told(rig, part.variant), part.variant)
             for part in study.variants}  # fmt: skip
    if len(set(homes.values())) == 1:
        return [f"Each program begins with {next(iter(homes.values()))}."]
    return [f"{name} begins with {home}." for name, home in homes.items()]


def _home(told: dict[str, Any], variant: Variant) -> str:
    if told.get("home") == REAL_HOME:
        return "the home of the person whose machine it is, as the last run left it"
    if variant.state_id is not None:
        return "a copy of its prepared state"
    return "an empty home of its own"


def _of_script(statement: Statement) -> list[str]:
    if isinstance(statement, ClearCache):
        return ["Its caches are emptied."]
    if isinstance(statement, Until):
        return [f"It waits until {statement.condition}."]
    return []
