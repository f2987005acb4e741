"""Entries of a run's journal: which fields each kind has, checked where they come in.

Each kind is declared once, as a type that code which reads and writes journals is checked against;
what a field must fit stands beside its type and is checked of every entry that comes in. An entry
of a kind that is not here is kept as it came, and nothing reads it: `Entry` says nothing of it.

Annotations here are evaluated: which fields may be left out cannot be told from their text.
"""

import json
import math
from collections.abc import Callable, Mapping, Sequence
from functools import cache
from typing import Annotated, Any, Literal, NotRequired, TypedDict, cast, get_args, get_type_hints

from yardstick_core.keepable import LONGEST_TEXT, unkeepable
from yardstick_core.streams.chunk import ChunkError

#: No run lasts a year, and no clock of one is further off.
LATEST_NS = 366 * 86_400 * 1_000_000_000
LONGEST_PATH = 32
MOST_LOOKS = 50


def _instant(value: Any) -> bool:
    return isinstance(value, int) and not isinstance(value, bool) and abs(value) <= LATEST_NS


def _text(value: Any) -> bool:
    return isinstance(value, str) and len(value) <= LONGEST_TEXT


def _path(value: Any) -> bool:
    return isinstance(value, list) and 0 < len(value) <= LONGEST_PATH and all(map(_text, value))


def _number(value: Any) -> bool:
    plain = isinstance(value, (int, float)) and not isinstance(value, bool)
    return plain and math.isfinite(value)


def _object(value: Any) -> bool:
    return isinstance(value, dict)


def _number_or_none(value: Any) -> bool:
    return value is None or _number(value)


def _looks(value: Any) -> bool:
    """Pictures, by the names under which they are kept, and how often each was seen."""
    return (
        isinstance(value, list)
        and len(value) <= MOST_LOOKS
        and all(
            isinstance(one, dict) and _text(one.get("picture")) and type(one.get("count")) is int
            for one in value
        )
    )


#: ns since the run's start.
Instant = Annotated[int, _instant]
Text = Annotated[str, _text]
#: The names of a stretch and of those around it, the outermost first.
StretchPath = Annotated[Sequence[str], _path]
Number = Annotated[float, _number]
NumberOrNone = Annotated[float | None, _number_or_none]


StretchKind = Literal["step", "time", "frames", "lap"]


class StretchEntry(TypedDict):
    """A stretch of the session that has ended."""

    kind: StretchKind
    at: Instant
    path: StretchPath
    start: Instant
    end: Instant
    plus_minus: NotRequired[Number]
    right_censored: NotRequired[bool]
    longer_than: NotRequired[bool]
    unanswered: NotRequired[bool]
    hertz: NotRequired[NumberOrNone]
    film_step: NotRequired[Number]


class OpenedEntry(TypedDict):
    """A stretch that has begun."""

    kind: Literal["opened"]
    at: Instant
    path: StretchPath
    stretch: NotRequired[str]


class InputEntry(TypedDict):
    """What was sent to the subject, and how many ns after it was due."""

    kind: Literal["input"]
    at: Instant
    what: Text
    late: NotRequired[Number]


class MarkEntry(TypedDict):
    """A named instant."""

    kind: Literal["mark"]
    at: Instant
    name: Text


class StartedEntry(TypedDict):
    """The subject's start, or that of a companion."""

    kind: Literal["started"]
    at: Instant
    pid: NotRequired[int]
    companion: NotRequired[str]


class StoppedEntry(TypedDict):
    """The subject's end, or that of a companion."""

    kind: Literal["stopped"]
    at: Instant
    how: NotRequired[str]
    companion: NotRequired[str]


class OutcomeEntry(TypedDict):
    """How the session ended, and why."""

    kind: Literal["outcome"]
    at: Instant
    outcome: Text
    detail: NotRequired[str]


class FactsEntry(TypedDict):
    """The machine, and the instant of its clock that the run's time counts from."""

    kind: Literal["facts"]
    at: Instant
    facts: Annotated[dict[str, Any], _object]
    clock_ns: NotRequired[int]


class FixturesEntry(TypedDict):
    """SHA-256 of each fixture by its file name."""

    kind: Literal["fixtures"]
    at: Instant
    files: Annotated[dict[str, str], _object]


class FootprintEntry(TypedDict):
    """What the rig names as installed."""

    kind: Literal["footprint"]
    at: Instant
    bytes: Number
    files: Number


class SettingsEntry(TypedDict):
    """The subject's settings before or after the session, and what could not be read."""

    kind: Literal["settings"]
    at: Instant
    when: Text
    values: Annotated[dict[str, Any], _object]
    troubles: NotRequired[Sequence[str]]


class PreconditionEntry(TypedDict):
    """What had to be so, what was found, and who ticked it since when."""

    kind: Literal["precondition"]
    at: Instant
    what: Text
    state: Text
    found: NotRequired[str]
    by: NotRequired[str]
    since: NotRequired[str]


class UpEntry(TypedDict):
    """When the subject's largest window was first shown."""

    kind: Literal["up"]
    at: Instant
    shown: Instant
    title: NotRequired[str]


class SpentEntry(TypedDict):
    """Processor time of the subject and all it started, as the kernel counted it at their end."""

    kind: Literal["spent"]
    at: Instant
    processor_s: Number
    #: When the subject ended, by itself or when it was asked to.
    ended: NotRequired[Instant]


class TakenEntry(TypedDict):
    """A number that the program told of itself; none where nothing that fits was found."""

    kind: Literal["taken"]
    at: Instant
    path: StretchPath
    value: NumberOrNone
    unit: Text
    higher_is_better: bool
    text: NotRequired[str | None]
    source: NotRequired[str]


class PictureEntry(TypedDict):
    """A picture that is kept, and what it shows."""

    kind: Literal["picture"]
    at: Instant
    name: Text
    what: Text


class Look(TypedDict):
    """A picture that was seen, by the name under which it is kept, and how often."""

    picture: str
    count: int


class ShownEntry(TypedDict):
    """Pictures of a place of the screen that a number is to be read from."""

    kind: Literal["shown"]
    at: Instant
    path: StretchPath
    unit: Text
    pattern: Text
    looks: Annotated[Sequence[Look], _looks]
    higher_is_better: bool


class CounterEntry(TypedDict):
    """A counter of the rig's own, and the stream that holds its samples."""

    kind: Literal["counter"]
    at: Instant
    stream: Text
    name: Text
    unit: Text
    better: NotRequired[str]


class CounterTroubleEntry(TypedDict):
    """Why a counter of the rig's own told nothing."""

    kind: Literal["counter trouble"]
    at: Instant
    trouble: Text


class ColumnEntry(TypedDict):
    """A column of a log that was brought in, and the stream that holds its samples."""

    kind: Literal["column"]
    at: Instant
    stream: Text
    name: Text
    unit: Text


class CompanionEntry(TypedDict):
    """A program started beside the subject, and the stream that holds its samples."""

    kind: Literal["companion"]
    at: Instant
    name: Text
    stream: Text


class RestartingEntry(TypedDict):
    """That the machine is about to be restarted, by itself or by a person."""

    kind: Literal["restarting"]
    at: Instant
    by_hand: NotRequired[bool]


class RestartedEntry(TypedDict):
    """What a restart took; `kernel` is when the kernel began, none where that is not told.

    `display` is when the rig's own display could first be reached.
    """

    kind: Literal["restarted"]
    at: Instant
    path: StretchPath
    asked: Instant
    kernel: NumberOrNone
    back: Instant
    plus_minus: Number
    firmware_ns: NotRequired[NumberOrNone]
    memory_bytes: NotRequired[NumberOrNone]
    by_hand: NotRequired[bool]
    simulated: NotRequired[bool]
    display: NotRequired[Instant]


class ThrottledEntry(TypedDict):
    """How often the processor was held back for heat."""

    kind: Literal["throttled"]
    at: Instant
    count: Number


class BackgroundProgram(TypedDict):
    """A program that took processor time beside the subject, percent of the machine."""

    name: str
    share: float


class BackgroundEntry(TypedDict):
    """What else took processor time during the run, the busiest first."""

    kind: Literal["background"]
    at: Instant
    programs: Sequence[BackgroundProgram]


class ObserverEntry(TypedDict):
    """Pictures seen and how they were told, how late the recorder came, windows shown."""

    kind: Literal["observer"]
    at: Instant
    frames: NotRequired[int]
    told_by: NotRequired[str]
    trusted_hz: NotRequired[float | None]
    parted: NotRequired[int]
    redraws: NotRequired[int]
    stamped_by: NotRequired[Literal["compiled", "interpreted"]]
    starved: NotRequired[int]
    longest_lag_ms: NotRequired[float]
    windows: NotRequired[int]
    watch: NotRequired[Literal["full", "outer"]]


class ExpectedEntry(TypedDict):
    """What the script expected, and whether it held."""

    kind: Literal["expected"]
    at: Instant
    what: Text
    line: NotRequired[int]
    held: NotRequired[bool]


Entry = (
    StretchEntry | OpenedEntry | InputEntry | MarkEntry | StartedEntry | StoppedEntry
    | OutcomeEntry | FactsEntry | FixturesEntry | FootprintEntry | SettingsEntry
    | PreconditionEntry | UpEntry | SpentEntry | TakenEntry | PictureEntry | ShownEntry
    | CounterEntry | CounterTroubleEntry | ColumnEntry | CompanionEntry | RestartingEntry
    | RestartedEntry | ThrottledEntry | BackgroundEntry | ObserverEntry | ExpectedEntry
)  # fmt: skip
Check = Callable[[Any], bool]


@cache
def _checks() -> dict[str, tuple[dict[str, Check], dict[str, Check]]]:
    """Of each kind: checks of the fields it must have, and of those it may have."""
    found = {}
    for one in get_args(Entry):
        hints = get_type_hints(one, include_extras=True)
        kinds = get_args(hints.pop("kind"))
        hints.pop("at")
        must = {name: hints[name] for name in one.__required_keys__ & hints.keys()}
        may = {name: get_args(hints[name])[0] for name in one.__optional_keys__}
        for kind in kinds:
            found[kind] = (_annotated(must), _annotated(may))
    return found


def _annotated(hints: dict[str, Any]) -> dict[str, Check]:
    """The checks that stand beside types; a field without one is only described."""
    return {
        name: hint.__metadata__[0] for name, hint in hints.items() if hasattr(hint, "__metadata__")
    }


def read_entry(text: str) -> Entry:
    """The entry that a line of JSON holds. Raises ChunkError where it is none."""
    try:
        found = json.loads(text)
    except (ValueError, RecursionError) as error:
        raise ChunkError(f"an entry of the journal cannot be read: {error}") from None
    if not isinstance(found, dict):
        raise ChunkError("an entry of the journal cannot be read: it is no object")
    check_entry(found)
    return cast(Entry, found)


def check_entry(entry: Mapping[str, Any]) -> None:
    """Raises ChunkError where an entry is not what everything that reads journals relies on."""
    kind = entry.get("kind")
    if not isinstance(kind, str) or not 0 < len(kind) <= 40:
        raise ChunkError("an entry of the journal has no kind")
    if not _instant(entry.get("at")):
        raise ChunkError(f"an entry of kind {kind} has no instant")
    must, may = _checks().get(kind, ({}, {}))
    for name, fits in must.items():
        if not fits(entry.get(name)):
            raise ChunkError(f"an entry of kind {kind} has no {name} that can be used")
    for name, fits in may.items():
        if name in entry and not fits(entry[name]):
            raise ChunkError(f"an entry of kind {kind} has a {name} that cannot be used")
    trouble = unkeepable(entry)
    if trouble:
        raise ChunkError(f"an entry of kind {kind} cannot be kept: {trouble}")
