"""What a session will time, before it runs: for the editor, progress and reports."""

from __future__ import annotations

from dataclasses import dataclass, replace

from yardstick_core.script.check import INPUTS
from yardstick_core.script.model import Frames, Script, Step, Timing, Until, Wait
from yardstick_core.script.schedule import Operation, schedule


@dataclass(frozen=True, slots=True)
class Stretch:
    """A timing or frame stretch of the script and what ends it."""

    path: tuple[str, ...]
    kind: str
    line: int
    ends_with: str
    inputs: int
    scheduled_ns: int


@dataclass(frozen=True, slots=True)
class Outline:
    """Steps in order, the stretches measured in them, and totals."""

    title: str
    steps: tuple[str, ...]
    stretches: tuple[Stretch, ...]
    inputs: int
    scheduled_ns: int
    operations: int


def outline(script: Script) -> Outline:
    """Summarise a checked script."""
    operations = schedule(script).operations
    stretches, known = [], set()
    for position, operation in enumerate(operations):
        measured = isinstance(operation.statement, (Timing, Frames))
        if operation.kind == "open" and measured and operation.path not in known:
            known.add(operation.path)
            inside = _inside(operations, position)
            ends = [o.statement for o in inside if isinstance(o.statement, Until)]
            stretches.append(
                Stretch(
                    operation.path,
                    "frames" if isinstance(operation.statement, Frames) else "time",
                    operation.line,
                    str(ends[-1].condition) if ends else "",
                    _inputs(inside),
                    _scheduled(inside),
                )
            )
    steps = tuple(s.name for s in script.steps if isinstance(s, Step))
    return Outline(
        script.title, steps, tuple(stretches), _inputs(operations), _scheduled(operations),
        len(operations),
    )  # fmt: skip


def _inside(operations: tuple[Operation, ...], position: int) -> tuple[Operation, ...]:
    path = operations[position].path
    for end in range(position + 1, len(operations)):
        if operations[end].kind == "close" and operations[end].path == path:
            return operations[position + 1 : end]
    return operations[position + 1 :]


def _inputs(operations: tuple[Operation, ...]) -> int:
    return sum(isinstance(operation.statement, INPUTS) for operation in operations)


def _scheduled(operations: tuple[Operation, ...]) -> int:
    total = 0
    for operation in operations:
        if operation.kind in ("hold", "again") and operation.due_ns is not None:
            total += operation.due_ns
        elif isinstance(operation.statement, Wait):
            total += operation.statement.duration_ns
    return total


def unequal_work(script: Script, variants: dict[str, frozenset[str]]) -> list[str]:
    """Steps that not every variant plays, in words; `variants` are names with their tags."""
    found = []
    for step in script.steps:
        playing = [name for name, tags in variants.items() if step.played_by(tags)]
        if len(playing) == len(variants):
            continue
        laid = schedule(replace(script, steps=(step,))).operations
        waits = sum(isinstance(o.statement, Until) for o in laid)
        who = f"only by {', '.join(playing)}" if playing else "by no variant"
        found.append(
            f"Unequal work: step “{step.name}” ({_inputs(laid)} inputs, {waits} waits) is played "
            f"{who}; what is read over the whole session holds it."
        )
    return found
