"""Sessions to begin with: scripts for a program of which little is known yet.

Each part becomes a step. A script that was composed can be taken apart into its parts again, so
that one can be added or left out as long as nobody has written in it.
"""

from __future__ import annotations

from dataclasses import dataclass, replace

from yardstick_core.script import ScriptError, parse
from yardstick_core.script.check import walk
from yardstick_core.script.draft import quoted
from yardstick_core.script.model import Start

#: Parts in the order they are played; the first and the last are always there.
LAUNCH, OPEN, PLAY, PAGE, TYPE, IDLE, LAPS, CLOSE = PARTS = (
    "launch", "open", "play", "page", "type", "idle", "laps", "close",
)  # fmt: skip
NAMES = {
    LAUNCH: "Launch",
    OPEN: "Open a file",
    PLAY: "Let it play",
    PAGE: "Page through it",
    TYPE: "Type",
    IDLE: "Leave it idle",
    LAPS: "Open and close in laps",
    CLOSE: "Close",
}
#: About how long each takes beside the program's own time, seconds.
SECONDS = {LAUNCH: 2, OPEN: 1, PLAY: 10, PAGE: 7, TYPE: 5, IDLE: 10, LAPS: 10, CLOSE: 1}


#: What a program does once it is started: its window comes to rest; it draws on by itself, as a
#: player or a game does; or it shows none and ends by itself, as a command does.
STILL, MOVING, COMMAND = NATURES = ("still", "moving", "command")


@dataclass(frozen=True, slots=True)
class StartingPoint:
    """Which parts a session has, the file it works on, and how that is opened.

    `by_keys` opens it in the running program, by Ctrl+O and its name; else the program is started
    with it. One whose `nature` is moving is never waited for until it stands still; of a command
    nothing is played but its start, until it ends.
    """

    parts: tuple[str, ...] = (LAUNCH, CLOSE)
    file: str = ""
    by_keys: bool = False
    nature: str = STILL

    @property
    def played(self) -> tuple[str, ...]:
        """Its parts in the order they are played; what needs a file is left out without one.

        Of a program that is always moving it is not seen when the same file is there once more.
        """
        if self.nature == COMMAND:
            return (LAUNCH,)
        wanted = {LAUNCH, CLOSE, *self.parts}
        if not self.file or not self.by_keys:
            wanted.discard(OPEN)
        if not self.file or self.nature == MOVING:
            wanted.discard(LAPS)
        return tuple(part for part in PARTS if part in wanted)


def compose(point: StartingPoint) -> str:
    """The script of a starting point."""
    parts = point.played
    names = [NAMES[part].lower() for part in parts if part != CLOSE]
    title = names[0].capitalize() if len(names) == 1 else ", ".join(names).capitalize()
    command = point.nature == COMMAND
    lines = [f"session {quoted('Run it until it ends' if command else title)}"]
    if point.file:
        lines.append(f"  fixture file = {quoted(point.file)}")
    if command:
        lines += ["", 'step "Run"', *_run(point)]
    for part in () if command else parts:
        lines += ["", f"step {quoted(NAMES[part])}", *_STEPS[part](point)]
    return "\n".join(lines) + "\n"


def try_script(session: str) -> str:
    """Starts a program once, with the files that a session starts it with.

    Timed are how long until it shows a window, and until that stays as it is; of a command, until
    it has ended.
    """
    files: tuple[str, ...] = ()
    try:
        starts = [one for one in walk(parse(session).steps) if isinstance(one, Start)]
        files = next((one.files for one in starts if not one.companion), ())
    except ScriptError:
        pass  # what is wrong with it is said where it is written
    lines = ['session "Try it"']
    lines += [f"  fixture file{place} = {quoted(file)}" for place, file in enumerate(files)]
    opened = f" with {', '.join(map(quoted, files))}" if files else ""
    begun = taken_apart(session)
    lines += ["", 'step "Start"']
    if begun and begun.nature == COMMAND:
        lines += ["  time run", f"    start{opened}", "    until exited, within 10min"]
    else:
        lines += [
            "  time shown", f"    start{opened}", "    until window is shown, within 30s",
            "  time steady", "    until window is steady for 700ms, within 15s",
        ]  # fmt: skip
    return "\n".join(lines) + "\n"


def taken_apart(text: str) -> StartingPoint | None:
    """The starting point a script was composed of; None where somebody has written in it."""
    try:
        script = parse(text)
    except ScriptError:
        return None
    steps = {step.name for step in script.steps}
    parts = tuple(part for part in PARTS if NAMES[part] in steps)
    file = script.fixtures[0].file if script.fixtures else ""
    by_keys = bool(file) and "    start\n" in text
    point = StartingPoint(parts, file, by_keys)
    composed = compose(point)
    without_rest = composed.replace(f"{_REST}\n", "", 1)  # as they were composed before
    if text in (composed, without_rest):
        return point
    others = (replace(point, nature=nature) for nature in (MOVING, COMMAND))
    return next((one for one in others if text == compose(one)), None)


#: What a program holds after its start is read once its window has been shown for a second.
_REST = "  wait 1s"


def _still(point: StartingPoint, seen: str, otherwise: str) -> str:
    """A line that waits until the program stands still; `otherwise` for one that never does."""
    return otherwise if point.nature == MOVING else f"until {seen}"


def _start(point: StartingPoint) -> str:
    return f"start with {quoted(point.file)}" if point.file and not point.by_keys else "start"


def _run(point: StartingPoint) -> list[str]:
    return ["  time run", f"    {_start(point)}", "    until exited, within 10min"]


def _launch(point: StartingPoint) -> list[str]:
    shown = _still(point, "window is steady for 400ms, within 60s",
                   "until window is shown, within 60s")  # fmt: skip
    return [
        "  time launch",
        f"    {_start(point)}",
        f"    {shown}",
        _REST,
    ]


def _opened(point: StartingPoint) -> list[str]:
    """The file's name is typed where the program asks for it, until it has been opened."""
    return [
        "press Ctrl+O",
        _still(point, "picture is steady for 300ms, within 10s", "wait 1s"),
        'type "{file}"',
        "time open",
        "  press Enter",
        "  " + _still(point, "picture is steady for 400ms, within 60s",
                      'until window "{file}" is shown, within 60s'),
    ]  # fmt: skip


def _open(point: StartingPoint) -> list[str]:
    return [f"  {line}" for line in _opened(point)]


def _play(_: StartingPoint) -> list[str]:
    return ["  frames playing", "    wait 10s"]


def _page(point: StartingPoint) -> list[str]:
    return [
        "  frames paging",
        "    repeat 30 every 200ms",
        "      press PageDown",
        "  " + _still(point, "picture is steady for 400ms, within 10s", "wait 1s"),
    ]


def _type(point: StartingPoint) -> list[str]:
    return [
        "  frames typing",
        "    repeat 40 every 100ms",
        '      type "a"',
        "  " + _still(point, "picture is steady for 400ms, within 10s", "wait 1s"),
    ]


def _idle(_: StartingPoint) -> list[str]:
    return ["  wait 10s"]


def _laps(point: StartingPoint) -> list[str]:
    again = [line.replace("time open", "time open again") for line in _opened(point)]
    return ["  laps 5 as reopen", *[f"    {line}" for line in again]]


def _close(_: StartingPoint) -> list[str]:
    return ["  stop"]


_STEPS = {
    LAUNCH: _launch, OPEN: _open, PLAY: _play, PAGE: _page, TYPE: _type, IDLE: _idle, LAPS: _laps,
    CLOSE: _close,
}  # fmt: skip
