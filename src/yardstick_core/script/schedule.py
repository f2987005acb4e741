"""Lays a script out as one flat list of operations: what the agent carries out, in order."""

from __future__ import annotations

import hashlib
from collections.abc import Iterable
from dataclasses import dataclass

from yardstick_core.script.model import (
    Frames,
    Laps,
    Press,
    Repeat,
    Script,
    Statement,
    Step,
    Timing,
)


@dataclass(frozen=True, slots=True)
class Operation:
    """One thing the agent does.

    `kind` is *open* or *close* of a stretch; *anchor*, the start of a scheduled repeat or of laps
    for a time; *due*, the moment a turn of it is due; *hold*, its end; *again*, back to the
    operation after the anchor while `due_ns` have not passed; or *do*, an input, wait or condition.
    `path` names the stretch, such as ("Open draft", "open", "read file").
    `due_ns` counts from the operation numbered `anchor`.
    """

    kind: str
    line: int
    path: tuple[str, ...] = ()
    statement: Statement | None = None
    due_ns: int | None = None
    anchor: int | None = None


@dataclass(frozen=True, slots=True)
class Schedule:
    """The operations of one session; equal digests mean equal sessions."""

    operations: tuple[Operation, ...]
    digest: str


def schedule(script: Script, tags: Iterable[str] | None = None) -> Schedule:
    """Unroll every repeat of a checked script and give each scheduled input its due moment.

    `tags` are those of the variant; None lays every step, whichever variant it is for.
    """
    operations: list[Operation] = []
    have = None if tags is None else frozenset(tags)
    for step in script.steps:
        if have is None or step.played_by(have):
            _lay(step, (), operations)
    return Schedule(tuple(operations), _digest(operations))


def _digest(operations: list[Operation]) -> str:
    """SHA-256 over all operations; each statement, which may be laid often, is spelt out once."""
    spelt: dict[int, bytes] = {}
    digest = hashlib.sha256()
    for one in operations:
        key = id(one.statement)
        if key not in spelt:
            spelt[key] = hashlib.sha256(repr(one.statement).encode()).digest()
        place = f"{one.kind} {one.line} {'/'.join(one.path)} {one.due_ns} {one.anchor} "
        digest.update(place.encode() + spelt[key])
    return digest.hexdigest()


def _lay(statement: Statement, path: tuple[str, ...], into: list[Operation]) -> None:
    if isinstance(statement, (Step, Timing, Frames)):
        inner = (*path, statement.name)
        into.append(Operation("open", statement.line, inner, statement))
        for part in statement.body:
            _lay(part, inner, into)
        into.append(Operation("close", statement.line, inner, statement))
    elif isinstance(statement, Repeat):
        _lay_repeat(statement, path, into)
    elif isinstance(statement, Laps):
        _lay_laps(statement, path, into)
    elif isinstance(statement, Press) and statement.times > 1:
        single = Press(statement.line, statement.chord)
        into.extend([Operation("do", statement.line, path, single)] * statement.times)
    else:
        into.append(Operation("do", statement.line, path, statement))


def _lay_repeat(repeat: Repeat, path: tuple[str, ...], into: list[Operation]) -> None:
    anchor = len(into)
    if repeat.every_ns is not None:
        into.append(Operation("anchor", repeat.line, path, anchor=anchor))
    for turn in range(repeat.count):
        if repeat.every_ns is not None:
            due = turn * repeat.every_ns
            into.append(Operation("due", repeat.line, path, due_ns=due, anchor=anchor))
        for part in repeat.body:
            _lay(part, path, into)
    if repeat.every_ns is not None:
        end = repeat.count * repeat.every_ns
        into.append(Operation("hold", repeat.line, path, due_ns=end, anchor=anchor))


def _lay_laps(laps: Laps, path: tuple[str, ...], into: list[Operation]) -> None:
    """Each lap is a stretch; those for a time are laid once and gone through again and again."""
    inner = (*path, laps.name)
    anchor = len(into)
    into.append(Operation("anchor", laps.line, path, anchor=anchor))
    for _ in range(laps.count or 1):
        into.append(Operation("open", laps.line, inner, laps))
        for part in laps.body:
            _lay(part, inner, into)
        into.append(Operation("close", laps.line, inner, laps))
    if laps.duration_ns is not None:
        due = laps.duration_ns
        into.append(Operation("again", laps.line, path, due_ns=due, anchor=anchor))
