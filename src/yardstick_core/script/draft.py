"""Turns what a person did with a program into a script that does the same, ready to be edited.

Equal inputs at an even pace become a repeat on a schedule; where the program answered with a window
or a picture, the script waits for that and not for as long as the person did.
"""

from __future__ import annotations

import re
from collections.abc import Iterable
from dataclasses import dataclass, field
from itertools import pairwise
from statistics import median

from yardstick_core.script import keys
from yardstick_core.script.layout import formatted
from yardstick_core.script.lexer import is_part_of_a_name

MS = 1_000_000
_LINE_ENDS = re.compile(r"[\x00-\x1f\x7f\x85\u2028\u2029]")
TYPING_GAP_NS = 1_500 * MS
WHEEL_GAP_NS = 60 * MS
DOUBLE_CLICK_NS = 350 * MS
SLOWEST_SERIES_NS = 1_500 * MS
FEWEST_OF_A_SERIES = 3
FEWEST_FOR_FRAMES = 10
ANSWER_NS = 200 * MS
PAUSE_NS = 400 * MS
NEW_STEP_NS = 2_000 * MS
#: Somebody leaves a program alone for this long, and what they did is over so long after it.
ALONE_NS, ALONE_AFTER_NS = 1_000 * MS, 500 * MS
_MOSTLY_STILL = 0.1
#: What a program draws by itself is measured where it was looked at for so long.
PLAYED_NS = 2_000 * MS
SECOND_NS = 1_000 * MS
NEAR_PIXELS = 5
WHEEL = {4: "up", 5: "down", 6: "left", 7: "right"}
BUTTONS = {1: "", 2: "middle ", 3: "right "}
_MODIFIERS = {code: name for name, code in keys.MODIFIERS.items()} | {
    0xFFE2: "Shift", 0xFFE4: "Ctrl", 0xFFEA: "Alt", 0xFFEC: "Super",
}  # fmt: skip
_NAMES = {code: name for name, code in keys.NAMED.items() if code > 0xFF} | {0xFF8D: "Enter"}


@dataclass(frozen=True, slots=True)
class Heard:
    """One thing that happened, at an instant in ns.

    `kind` is *key* or *button*, going `down` or up, with its keysym or number as `code`; *shown* or
    *gone*, a window of that title; *titled*, a window that is called so from then on; *picture*, a
    change of the picture; *log*, a line of the log; *exited*. Buttons have their place in the
    window they lie in: `title` is empty for the main one.
    """

    kind: str
    at_ns: int
    code: int = 0
    down: bool = True
    x: int = 0
    y: int = 0
    title: str = ""


@dataclass(slots=True)
class _Action:
    """One line of the script and when it was done; `key` is equal for equal actions."""

    line: str
    at_ns: int
    end_ns: int
    name: str
    count: int = 1
    every_ns: int = 0
    answers: list[Heard] = field(default_factory=list)
    until_ns: int = 0


def draft(events: Iterable[Heard], title: str, window: str, files: Iterable[str] = ()) -> str:
    """A script for what was heard; `window` is the title of the program's main window.

    `files` are the fixtures that lay ready; a text that was typed and names one becomes its value.
    """
    events = sorted(events, key=lambda event: event.at_ns)
    used: set[str] = set()
    fixtures = {file: _unused(_value_name(file), used, "_") for file in files}
    events = _first_titles(events, fixtures)
    actions = _series(_actions(events))
    _answered(actions, events)
    moving = _draws_on(events)
    seen = "is shown" if moving else "is steady for 400ms"
    lines = [f"session {quoted(title)}"]
    lines += [f"  fixture {name} = {quoted(file)}" for file, name in fixtures.items()]
    lines += [
        "", 'step "Launch"', "  time launch", "    start",
        f'    until window "{_plain(window)}" {seen}, within 30s', "",
    ]  # fmt: skip
    begun = actions[0].at_ns if actions else events[-1].at_ns if events else 0
    alone_ns = begun - next((event.at_ns for event in events if event.kind == "picture"), begun)
    if moving and alone_ns >= PLAYED_NS:
        lines += ['step "Play"', *(f"  {line}" for line in _played("playing", alone_ns)), ""]
    lines += _steps(actions, fixtures, moving)
    ended = any(event.kind == "exited" for event in events)
    closing = [] if ended else ["  stop"]
    lines += ["", 'step "End"', *closing, "  until exited, within 10s"]
    return formatted("\n".join(lines))


def _draws_on(events: list[Heard]) -> bool:
    """Whether the picture goes on changing while nobody does anything, as a player's does."""
    inputs = [event.at_ns for event in events if event.kind in ("key", "button")]
    pictures = [event.at_ns for event in events if event.kind == "picture"]
    if not pictures:
        return False
    alone_ns = still_ns = 0
    for first, last in pairwise([pictures[0], *inputs, events[-1].at_ns]):
        first += ALONE_AFTER_NS
        if last - first < ALONE_NS:
            continue
        within = [first, *(at for at in pictures if first < at < last), last]
        alone_ns += last - first
        still_ns += sum(two - one for one, two in pairwise(within) if two - one >= PAUSE_NS)
    return alone_ns > 0 and still_ns <= _MOSTLY_STILL * alone_ns


def _played(name: str, length_ns: int) -> list[str]:
    """Frames of what a program draws by itself for so long."""
    return [f"frames {name}", f"  wait {round(length_ns / SECOND_NS)}s"]


def _first_titles(events: list[Heard], fixtures: dict[str, str]) -> list[Heard]:
    """The events, of titles only those by which a file first stands in one: it has been opened."""
    found: list[Heard] = []
    named: set[str] = set()
    for event in events:
        if event.kind == "titled":
            fresh = {file for file in fixtures if file in event.title} - named
            named |= fresh
            if not fresh:
                continue
        found.append(event)
    return found


def quoted(text: str) -> str:
    """A text as a script says it: between quotes, meaning just itself."""
    return f'"{_plain(text)}"'


def _plain(text: str) -> str:
    """A text as it stands between quotes, with nothing in it that would be a value or a line."""
    text = _LINE_ENDS.sub(" ", text)
    return text.replace("\\", "\\\\").replace('"', '\\"').replace("{", "").replace("}", "")


# -- what was done --------------------------------------------------------------------


def _actions(events: list[Heard]) -> list[_Action]:
    found: list[_Action] = []
    held: set[str] = set()
    pressed: dict[int, Heard] = {}
    typed = ""
    for event in events:
        if event.kind == "key" and event.code in _MODIFIERS:
            (held.add if event.down else held.discard)(_MODIFIERS[event.code])
        elif event.kind == "key" and event.down:
            character = keys.keysym_character(event.code)
            if character and not held - {"Shift"}:
                last = found[-1] if found and typed else None
                if last is not None and event.at_ns - last.end_ns < TYPING_GAP_NS:
                    typed += character
                    last.line, last.end_ns = f'type "{_plain(typed)}"', event.at_ns
                else:
                    typed = character
                    line = f'type "{_plain(typed)}"'
                    found.append(_Action(line, event.at_ns, event.at_ns, "Type"))
                continue
            chord = _chord(event.code, held)
            if chord:
                found.append(_Action(f"press {chord}", event.at_ns, event.at_ns, f"Press {chord}"))
            typed = ""
        elif event.kind in ("shown", "gone"):
            typed = ""  # what is typed next is an answer to that
        elif event.kind == "button":
            typed = ""
            _button(event, pressed, found)
    return found


def _chord(code: int, held: set[str]) -> str:
    """What a script calls a key with the modifiers held; empty where it has no name for it."""
    character = keys.keysym_character(code)
    name = _NAMES.get(code) or (character or "").strip()
    name = {"+": "Plus", "-": "Minus", ",": "Comma"}.get(name, name)
    if code == keys.NAMED["Space"]:
        name = "Space"
    if not name or keys.unknown_key(name) is not None:
        return ""
    shift = {"Shift"} if character is None or held - {"Shift"} else set()
    before = [modifier for modifier in ("Ctrl", "Shift", "Alt", "Super") if modifier in held]
    kept = [modifier for modifier in before if modifier != "Shift" or shift]
    return "+".join([*kept, name.upper() if kept and len(name) == 1 else name])


def _button(event: Heard, pressed: dict[int, Heard], found: list[_Action]) -> None:
    place = f"{max(0, event.x)},{max(0, event.y)}"
    place += f' in "{_plain(event.title)}"' if event.title else ""
    if event.code in WHEEL:
        if event.down:
            _wheel(event, place, found)
        return
    if event.code not in BUTTONS:
        return
    if event.down:
        pressed[event.code] = event
        return
    start = pressed.pop(event.code, None)
    if start is None:
        return
    far = max(abs(event.x - start.x), abs(event.y - start.y)) > NEAR_PIXELS
    if far and event.code == 1:
        over = max(10, round((event.at_ns - start.at_ns) / MS / 10) * 10)
        line = f"drag {max(0, start.x)},{max(0, start.y)} to {place} over {over}ms"
        found.append(_Action(line, start.at_ns, event.at_ns, "Drag"))
        return
    line = f"click {BUTTONS[event.code]}at {place}"
    last = found[-1] if found else None
    if last and last.line == line and start.at_ns - last.end_ns < DOUBLE_CLICK_NS:
        last.line, last.end_ns = f"click double at {place}", event.at_ns
    else:
        found.append(_Action(line, start.at_ns, event.at_ns, "Click"))


def _wheel(event: Heard, place: str, found: list[_Action]) -> None:
    """A notch of the wheel; notches in quick succession are one turn of it."""
    way = WHEEL[event.code]
    last = found[-1] if found else None
    if last and last.name == f"Scroll {way}" and event.at_ns - last.end_ns < WHEEL_GAP_NS:
        words = last.line.split(" ")
        last.line = " ".join([*words[:2], str(int(words[2]) + 1), *words[3:]])
        last.end_ns = event.at_ns
    else:
        line = f"scroll {way} 1 at {place}"
        found.append(_Action(line, event.at_ns, event.at_ns, f"Scroll {way}"))


def _series(actions: list[_Action]) -> list[_Action]:
    """Equal actions at an even pace, taken together."""
    found: list[_Action] = []
    place = 0
    while place < len(actions):
        end = place + 1
        while end < len(actions) and _alike(actions[place], actions[end]):
            end += 1
        run = actions[place:end]
        gaps = [b.at_ns - a.at_ns for a, b in pairwise(run)]
        if len(run) >= FEWEST_OF_A_SERIES and max(gaps) <= SLOWEST_SERIES_NS:
            every = max(10, round(median(gaps) / MS / 10) * 10) * MS
            first = run[0]
            found.append(
                _Action(_usual_line(run), first.at_ns, run[-1].end_ns, first.name, len(run), every)
            )
        else:
            found += run
        place = end
    return found


def _alike(one: _Action, other: _Action) -> bool:
    """Whether two actions may be turns of one series: the same, or the wheel the same way."""
    return one.line == other.line or (one.name == other.name and one.name.startswith("Scroll"))


def _usual_line(run: list[_Action]) -> str:
    """The line of a series; of a wheel turned unevenly, the usual number of notches."""
    if not run[0].name.startswith("Scroll"):
        return run[0].line
    words = run[0].line.split(" ")
    notches = median(int(action.line.split(" ")[2]) for action in run)
    return " ".join([*words[:2], str(max(1, round(notches))), *words[3:]])


# -- what came of it -----------------------------------------------------------------


def _answered(actions: list[_Action], events: list[Heard]) -> None:
    """Give each action what the program did after it, until the next one."""
    for number, action in enumerate(actions):
        last = number + 1 == len(actions)
        action.until_ns = events[-1].at_ns + 1 if last else actions[number + 1].at_ns
        kinds = ("shown", "gone", "titled", "picture", "log")
        action.answers = [
            event
            for event in events
            if event.kind in kinds and action.end_ns <= event.at_ns < action.until_ns
        ]


def _steps(actions: list[_Action], fixtures: dict[str, str], moving: bool) -> list[str]:
    lines: list[str] = []
    used: set[str] = {"Launch", "End"}
    timings: set[str] = set()
    fresh = True
    for action in actions:
        if fresh:
            lines += ["", f"step {quoted(_unused(action.name, used))}"]
            timings = set()
        lines += [f"  {line}" for line in _written(action, fixtures, timings, moving)]
        windows = any(event.kind in ("shown", "gone") for event in action.answers)
        fresh = windows or action.until_ns - action.end_ns > NEW_STEP_NS
    return lines


def _written(
    action: _Action, fixtures: dict[str, str], timings: set[str], moving: bool
) -> list[str]:
    """An action with its wait, and with what its timing may be called.

    A program that is always `moving` is not waited for until it stands still.
    """
    line = action.line
    for file, name in fixtures.items():
        if line == f'type "{_plain(file)}"':
            line = f'type "{{{name}}}"'
    if action.count > 1:
        body = [f"repeat {action.count} every {action.every_ns // MS}ms", f"  {line}"]
        if action.count >= FEWEST_FOR_FRAMES:
            name = _unused(action.name.lower(), timings)
            return [f"frames {name}", *(f"  {part}" for part in body)]
        return body
    until = _until(action, fixtures, moving)
    said = [event.title for event in action.answers if event.kind == "log"][:1]
    comment = [f"# the log said: {' '.join(said[0].split())}"] if said else []
    if not until:
        pause = action.until_ns - action.end_ns
        if moving and pause >= PLAYED_NS:
            name = _unused(_timing_name(f"after {action.name.lower()}"), timings)
            return [*comment, line, *_played(name, pause)]
        wait = ["wait 300ms"] if pause > PAUSE_NS and not line.startswith("type") else []
        return [*comment, line, *wait]
    name = _unused(_timing_name(_answer_name(action, fixtures)), timings)
    return [*comment, f"time {name}", f"  {line}", f"  {until}"]


def _until(action: _Action, fixtures: dict[str, str], moving: bool) -> str:
    """What to wait for after an action; empty where nothing worth waiting for came of it.

    A file whose name comes to stand in a title says more than the dialog that went away before.
    """
    opened = _opened(action, fixtures)
    if opened:
        return f'until window "{{{opened}}}" is shown'
    for event in action.answers:
        if event.kind in ("shown", "gone") and event.title:
            return f'until window "{_plain(event.title)}" is {event.kind}'
    pictures = [event.at_ns for event in action.answers if event.kind == "picture"]
    if not moving and pictures and pictures[-1] - action.end_ns >= ANSWER_NS:
        return "until picture is steady for 400ms"
    return ""


def _opened(action: _Action, fixtures: dict[str, str]) -> str:
    """The value of a file whose name came to stand in a title after an action; else empty."""
    titles = [event.title for event in action.answers if event.kind == "titled"]
    return next((name for file, name in fixtures.items() for t in titles if file in t), "")


def _answer_name(action: _Action, fixtures: dict[str, str]) -> str:
    """What the wait after an action is called: by the file that was opened or the window that came
    or went, where there is one.

    A name is made of the letters and digits of a title, of which some words are enough.
    """
    opened = _opened(action, fixtures)
    if opened:
        return f"{opened.replace('_', ' ')} opened"
    for event in action.answers:
        if event.kind in ("shown", "gone") and event.title:
            plain = "".join(c if c.isalnum() else " " for c in event.title.lower())
            words = [word for word in plain.split() if is_part_of_a_name(word)][:4]
            if words:
                return f"{' '.join(words)} {event.kind}"
    return f"after {action.name.removeprefix('Press ').lower()}"


def _value_name(file: str) -> str:
    """What a fixture is called in a script: by its file's name, without what comes after a dot."""
    stem = "".join(c if c.isascii() and c.isalnum() else " " for c in file.split(".")[0])
    name = "_".join(stem.lower().split())
    return name if name[:1].isalpha() else f"file_{name}".rstrip("_")


def _timing_name(name: str) -> str:
    return " ".join(word for word in name.replace("+", " ").split() if is_part_of_a_name(word))


def _unused(name: str, used: set[str], between: str = " ") -> str:
    """The name, with a number where it is taken."""
    number, found = 2, name
    while found in used:
        found, number = f"{name}{between}{number}", number + 1
    used.add(found)
    return found
