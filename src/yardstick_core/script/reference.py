"""The words of the session language, with what each does: for its help and its colours.

The grammar knows which word may stand where; this says to persons what it means. The web interface
reads it as `words.json`, which `./yardstick check --write` makes.
"""

from __future__ import annotations

from dataclasses import asdict, dataclass
from typing import Any


@dataclass(frozen=True, slots=True)
class Word:
    """A word, how it is used, and what it says."""

    word: str
    use: str
    says: str


#: Words that open a line of the head.
HEAD = (
    Word(
        "fixture",
        'fixture NAME = "file"',
        "a file the session works on; every run gets a fresh copy",
    ),
    Word(
        "set",
        "set NAME = VALUE",
        "a text, number or duration, used as {NAME}",
    ),
    Word(
        "place",
        "place NAME = X,Y or region X,Y WxH",
        "a point or region in the subject's main window, in pixels",
    ),
    Word(
        "fact",
        "fact NAME = VALUE",
        "what the work is: sizes, counts, quality; shown with the results",
    ),
    Word(
        "ladder",
        "ladder NAME = LEVEL, LEVEL, …",
        "load levels: every round plays the session once at each, used as {NAME}",
    ),
    Word(
        "every",
        "every run, with lines below it",
        "what each run does or needs before it starts; else it is refused",
    ),
)

#: Words below `every run`.
EVERY_RUN = (
    Word(
        "settle",
        "settle cpu below P% [for D] [, within D]",
        "waits until the whole machine has been that quiet",
    ),
    Word(
        "clear",
        "clear cache",
        "empties the caches, where the rig says they are",
    ),
    Word(
        "keep",
        "keep cache",
        "leaves the caches as they are, and says so",
    ),
    Word(
        "require",
        "require network off | power mains | display WxH | cores | memory | disk at least N",
        "what the rig must be like",
    ),
    Word(
        "confirm",
        'confirm "text"',
        "ticked by a person once for each rig",
    ),
)

#: Words that open a line of a step.
STATEMENTS = (
    Word(
        "start",
        'start ["COMPANION" …] [with "FILE"] [N times [every D]]',
        "start the variant under test, or companions that the rig knows, each so many times",
    ),
    Word(
        "stop",
        'stop ["COMPANION"]',
        "ask the subject to close, after 5 s make it",
    ),
    Word(
        "restart",
        "restart [by hand] [, within D]",
        "restart the machine, where its own file allows it, and go on; without `within` it must be "
        "back after 10 min",
    ),
    Word(
        "press",
        "press CHORD [N times]",
        "a key or chord such as Enter or Ctrl+Shift+S",
    ),
    Word(
        "type",
        'type "text"',
        "characters, 4 ms apart; {NAME} puts a value in",
    ),
    Word(
        "click",
        "click [right|middle|double] at PLACE",
        "press and release a button of the pointer",
    ),
    Word(
        "move",
        "move to PLACE",
        "move the pointer",
    ),
    Word(
        "drag",
        "drag PLACE to PLACE over D",
        "press, move in even steps, release",
    ),
    Word(
        "scroll",
        "scroll up|down|left|right N [at PLACE]",
        "N notches of the wheel",
    ),
    Word(
        "wait",
        "wait D",
        "let time pass; prefer `until`",
    ),
    Word(
        "mark",
        "mark NAME",
        "names an instant",
    ),
    Word(
        "until",
        "until CONDITION [, within D]",
        "goes on at the instant the condition became true; without `within` after 30 s at most",
    ),
    Word(
        "expect",
        "expect CONDITION [, within D]",
        "what must hold for the result to be right; else the run is a wrong result",
    ),
    Word(
        "take",
        "take NAME from log /…(…)…/ as UNIT, higher is better",
        "a number the program says itself: the one group of the pattern, in its log or a file; or "
        "what stands in a picture, `from picture at PLACE`",
    ),
    Word(
        "repeat",
        "repeat N [every D]",
        "the lines below, N times; with `every` on a schedule that does not slip",
    ),
    Word(
        "laps",
        "laps N as NAME",
        "the lines below, N times, every turn a stretch of its own",
    ),
    Word(
        "for",
        "for D as NAME",
        "laps until D has passed",
    ),
    Word(
        "time",
        "time NAME",
        "a timing: from its first input to the instant its last `until` became true",
    ),
    Word(
        "frames",
        "frames NAME [at N Hz]",
        "a stretch in which every gap between two pictures counts as a frame; held to a rate of "
        "your own",
    ),
)

#: What `until` and `expect` wait for.
CONDITIONS = (
    Word(
        "window",
        'window "text" [of "COMPANION"] is shown | gone | steady [for D]',
        "a window whose title holds the text",
    ),
    Word(
        "picture",
        'picture [at|except REGION] is steady [for D], or looks like "fixture" [within P%]',
        "the last change of the subject's windows, or of a part, that is followed by quiet",
    ),
    Word(
        "file",
        'file "name" is written, equals "fixture", or looks like "fixture" [within P%]',
        "the last write of a file in the working folder",
    ),
    Word(
        "log",
        'log [of "COMPANION"] "text" or /pattern/',
        "a line of the variant's log",
    ),
    Word(
        "cpu",
        "cpu is below P% [for D]",
        "the whole machine is less busy than that",
    ),
    Word(
        "exited",
        "exited",
        "the subject has ended",
    ),
)

#: Names of keys that `press` knows besides letters, digits and signs.
KEYS = (
    "Enter", "Escape", "Tab", "Space", "Backspace", "Delete", "Home", "End", "PageUp", "PageDown",
    "Left", "Right", "Up", "Down",
)  # fmt: skip

#: Words that stand within lines, after those that open them.
WITHIN = (
    "session", "region", "step", "if", "variant", "has", "lacks", "as", "within", "below",
    "equals", "is", "steady", "shown", "gone", "written", "at", "to", "over", "times", "run",
    "cache", "from", "of", "looks", "like", "except", "with", "in", "network", "power", "mains",
    "battery", "on", "off", "display", "cores", "memory", "disk", "higher", "lower", "better",
    "Hz",
)  # fmt: skip


def as_dict() -> dict[str, Any]:
    """Everything, as the web interface reads it."""
    lists = {
        "head": HEAD,
        "everyRun": EVERY_RUN,
        "statements": STATEMENTS,
        "conditions": CONDITIONS,
    }
    return {
        **{name: [asdict(word) for word in words] for name, words in lists.items()},
        "keys": list(KEYS),
        "within": list(WITHIN),
    }
