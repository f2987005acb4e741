"""Finds mistakes that no single line shows: order, names used twice, endless repeats."""

from __future__ import annotations

from collections.abc import Iterator

from yardstick_core.script.model import (
    Click,
    Drag,
    Expect,
    Frames,
    Laps,
    Move,
    Press,
    Repeat,
    Restart,
    Script,
    ScriptProblem,
    Scroll,
    Start,
    Statement,
    Step,
    Stop,
    Take,
    Timing,
    Type,
    Until,
)

INPUTS = (Press, Type, Click, Move, Drag, Scroll)
MOST_OPERATIONS = 200_000


def walk(statements: tuple[Statement, ...]) -> Iterator[Statement]:
    """Every statement, blocks before what is in them, in the order written."""
    for statement in statements:
        yield statement
        if isinstance(statement, (Step, Timing, Frames, Repeat, Laps)):
            yield from walk(statement.body)


def check(script: Script) -> list[ScriptProblem]:
    """Problems of a script whose lines are each well formed."""
    problems: list[ScriptProblem] = []
    if not script.title:
        problems.append(ScriptProblem(1, 1, "the script has no title", 'session "What is done"'))
    if not script.steps:
        problems.append(ScriptProblem(1, 1, "the session has no step", 'step "Name"'))
    problems += _order(script)
    problems += _names(script)
    problems += _blocks(script)
    return problems


def _order(script: Script) -> list[ScriptProblem]:
    """What is started twice, or waited for and never started; "" stands for the subject."""
    problems: list[ScriptProblem] = []
    running: set[str] = set()
    ever: set[str] = set()
    for statement in walk(script.steps):
        if isinstance(statement, Start):
            if statement.copies < 1:
                problems.append(_at(statement, "no copy at all", "at least 1"))
            for name in statement.names:
                if name in running:
                    who = f"“{name}”" if name else "the subject"
                    problems.append(_at(statement, f"{who} is already started", "`stop` before"))
                running.add(name)
                ever.add(name)
        elif isinstance(statement, Restart):
            running.clear()
        elif isinstance(statement, Stop):
            running.discard(statement.companion)
        elif "" not in running and isinstance(statement, INPUTS):
            problems.append(_at(statement, "nothing is running that could take input", "`start`"))
        of = _companion_of(statement)
        if of and of not in ever:
            problems.append(_at(statement, f"“{of}” has not been started", "its `start` before"))
    return problems


def _companion_of(statement: Statement) -> str:
    if isinstance(statement, (Until, Expect)):
        return statement.condition.of
    return statement.of if isinstance(statement, Take) else ""


def _names(script: Script) -> list[ScriptProblem]:
    problems = []
    steps: set[str] = set()
    for step in script.steps:
        if step.name in steps:
            problems.append(_at(step, f"a second step “{step.name}”", "another name"))
        steps.add(step.name)
        problems += _names_within(step.body, set())
    return problems


def _names_within(body: tuple[Statement, ...], seen: set[str]) -> list[ScriptProblem]:
    problems = []
    for statement in body:
        if isinstance(statement, (Timing, Frames, Laps, Take)):
            if statement.name in seen:
                problems.append(_at(statement, f"“{statement.name}” twice here", "another name"))
            seen.add(statement.name)
        if isinstance(statement, (Timing, Frames, Laps)):
            problems += _names_within(statement.body, set())
        elif isinstance(statement, Repeat):
            for inner in walk(statement.body):
                if isinstance(inner, (Timing, Frames)):
                    problems.append(_at(inner, "a timing inside `repeat`", "it around the repeat"))
                if isinstance(inner, Take):
                    problems.append(_at(inner, "`take` inside `repeat`", "it after the repeat"))
    return problems


def _blocks(script: Script) -> list[ScriptProblem]:
    problems = []
    for statement in walk(script.steps):
        if isinstance(statement, Timing) and not any(
            isinstance(inner, Until) for inner in walk(statement.body)
        ):
            problems.append(
                _at(statement, f"nothing says when “{statement.name}” ends", "an `until` in it")
            )
        if isinstance(statement, Repeat) and statement.count < 1:
            problems.append(_at(statement, "a repeat of nothing", "at least 1"))
        if isinstance(statement, Laps):
            problems += _laps(statement)
        if isinstance(statement, (Repeat, Laps, Frames)):
            problems += [
                _at(inner, "a restart inside `repeat`, laps or `frames`", "it in a step of its own")
                for inner in walk(statement.body)
                if isinstance(inner, Restart)
            ]
    size = sum(_size(step) for step in script.steps)
    if not problems and size > MOST_OPERATIONS:
        problems.append(
            ScriptProblem(1, 1, f"{size} operations", f"at most {MOST_OPERATIONS} in a session")
        )
    return problems


def _laps(laps: Laps) -> list[ScriptProblem]:
    problems = []
    if laps.count is not None and laps.count < 1:
        problems.append(_at(laps, "laps of nothing", "at least 1"))
    for inner in walk(laps.body):
        if isinstance(inner, Laps):
            problems.append(_at(inner, "laps inside laps", "one of the two as `repeat`"))
        if isinstance(inner, Frames):
            problems.append(_at(inner, "`frames` inside laps", "it around the laps"))
        if isinstance(inner, Take):
            problems.append(_at(inner, "`take` inside laps", "it after the laps"))
    return problems


def _size(statement: Statement) -> int:
    if isinstance(statement, (Step, Timing, Frames, Repeat, Laps)):
        times = (statement.count or 1) if isinstance(statement, (Repeat, Laps)) else 1
        return times * sum(_size(inner) for inner in statement.body) + 2
    return statement.times if isinstance(statement, Press) else 1


def _at(statement: Statement, found: str, expected: str) -> ScriptProblem:
    return ScriptProblem(statement.line, 1, found, expected)
