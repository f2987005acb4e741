"""What a session script says, as plain immutable values."""

from __future__ import annotations

from dataclasses import dataclass, field


@dataclass(frozen=True, slots=True)
class ScriptProblem:
    """One mistake: where it stands, what was found, what was expected, the word meant."""

    line: int
    column: int
    found: str
    expected: str = ""
    meant: str = ""

    def __str__(self) -> str:
        text = f"line {self.line}, column {self.column}: {self.found}"
        if self.expected:
            text += f"; expected {self.expected}"
        if self.meant:
            text += f" — did you mean “{self.meant}”?"
        return text


#: More mistakes than this are not looked for: whoever sees so many begins with the first.
MOST_PROBLEMS = 100


class EnoughProblems(Exception):
    """So many mistakes were found that no more are looked for."""


class Problems(list[ScriptProblem]):
    """Mistakes of a script; one too many ends the reading of it with EnoughProblems."""

    def append(self, problem: ScriptProblem) -> None:
        super().append(problem)
        if len(self) >= MOST_PROBLEMS:
            raise EnoughProblems


class ScriptError(Exception):
    """The script has mistakes."""

    def __init__(self, problems: list[ScriptProblem]) -> None:
        self.problems = sorted(problems, key=lambda p: (p.line, p.column))
        super().__init__("\n".join(str(problem) for problem in self.problems))


@dataclass(frozen=True, slots=True)
class ScreenRegion:
    """A point or region in window co-ordinates, in pixels.

    `window` is a text that the window's title holds; empty stands for the main window.
    """

    x: int
    y: int
    width: int = 0
    height: int = 0
    window: str = ""

    @property
    def centre(self) -> tuple[int, int]:
        return self.x + self.width // 2, self.y + self.height // 2


@dataclass(frozen=True, slots=True)
class Condition:
    """What an `until` waits for. `subject` is a window title, file name or log text.

    `other` is the file that a file or picture must equal or look like; `percent` the processor use
    to stay below, where 100 is the whole machine, or the share of pixels that may differ. `place`
    is the part of the picture that is looked at, or with `apart` the part that is not. `of` names a
    companion; empty stands for the subject.
    """

    kind: str
    subject: str = ""
    quiet_ns: int = 0
    other: str = ""
    percent: float = 0.0
    place: ScreenRegion | None = None
    apart: bool = False
    of: str = ""

    def __str__(self) -> str:
        quiet = f" for {self.quiet_ns / 1e6:g} ms" if self.quiet_ns else ""
        alike = f"looks like “{self.other}” within {self.percent:g} %"
        part = ""
        if self.place is not None:
            x, y, width, height = (
                self.place.x, self.place.y, self.place.width, self.place.height,
            )  # fmt: skip
            part = f" {'except' if self.apart else 'at'} {x},{y} {width}x{height}"
        of = f" of “{self.of}”" if self.of else ""
        window = f"window “{self.subject}”{of}" if self.subject else f"a window{of}"
        return {
            "window shown": f"{window} is shown",
            "window gone": f"{window} is gone",
            "window steady": f"{window} is steady{quiet}",
            "picture steady": f"picture{part} is steady{quiet}",
            "picture like": f"picture{part} {alike}",
            "file written": f"file “{self.subject}” is written",
            "file equals": f"file “{self.subject}” equals “{self.other}”",
            "file like": f"file “{self.subject}” {alike}",
            "cpu below": f"cpu is below {self.percent:g} %{quiet}",
            "log text": f"log{of} “{self.subject}”",
            "log regex": f"log{of} /{self.subject}/",
            "exited": f"exited{of}",
        }[self.kind]


@dataclass(frozen=True, slots=True)
class Statement:
    """Base of all statements; `line` is where it stands in the text."""

    line: int


@dataclass(frozen=True, slots=True)
class Start(Statement):
    """Start the variant under test, or companions by their names; `files` are opened with each.

    Several are started one right after another, in that order; so many `copies` of each, `every_ns`
    apart.
    """

    companion: str = ""
    files: tuple[str, ...] = ()
    also: tuple[str, ...] = ()
    copies: int = 1
    every_ns: int = 0

    @property
    def names(self) -> tuple[str, ...]:
        return (self.companion, *self.also)


@dataclass(frozen=True, slots=True)
class Restart(Statement):
    """Restart the machine and go on; `by_hand`: a person switches it off and on again."""

    by_hand: bool = False
    within_ns: int = 0


@dataclass(frozen=True, slots=True)
class Stop(Statement):
    """Ask the subject, or a companion, to end, then make it end."""

    companion: str = ""


@dataclass(frozen=True, slots=True)
class Press(Statement):
    chord: str
    times: int = 1


@dataclass(frozen=True, slots=True)
class Type(Statement):
    text: str


@dataclass(frozen=True, slots=True)
class Click(Statement):
    place: ScreenRegion
    button: str = "left"
    double: bool = False


@dataclass(frozen=True, slots=True)
class Move(Statement):
    place: ScreenRegion


@dataclass(frozen=True, slots=True)
class Drag(Statement):
    start: ScreenRegion
    end: ScreenRegion
    over_ns: int


@dataclass(frozen=True, slots=True)
class Scroll(Statement):
    direction: str
    notches: int
    place: ScreenRegion | None = None


@dataclass(frozen=True, slots=True)
class Wait(Statement):
    duration_ns: int


@dataclass(frozen=True, slots=True)
class Mark(Statement):
    name: str


@dataclass(frozen=True, slots=True)
class Until(Statement):
    condition: Condition
    within_ns: int


@dataclass(frozen=True, slots=True)
class Repeat(Statement):
    count: int
    every_ns: int | None
    body: tuple[Statement, ...]


@dataclass(frozen=True, slots=True)
class Laps(Statement):
    """The same work again and again, each turn a stretch of its own.

    `laps N as NAME` does it `count` times, `for D as NAME` until `duration_ns` have passed.
    """

    name: str
    body: tuple[Statement, ...]
    count: int | None = None
    duration_ns: int | None = None


@dataclass(frozen=True, slots=True)
class Expect(Statement):
    """What must be true now, or the result of the run is wrong; the session goes on."""

    condition: Condition
    within_ns: int


@dataclass(frozen=True, slots=True)
class Take(Statement):
    """Take a number that the program says: the one group of `pattern`, in a log or a file.

    With a `region` it is read from a picture of it; without a pattern nothing else stands there.
    """

    name: str
    pattern: str
    unit: str
    higher_is_better: bool
    file: str = ""
    of: str = ""
    within_ns: int = 0
    region: ScreenRegion | None = None

    @property
    def source(self) -> str:
        if self.region is not None:
            return "picture"
        return f"file “{self.file}”" if self.file else f"log{f' of “{self.of}”' if self.of else ''}"


@dataclass(frozen=True, slots=True)
class ClearCache(Statement):
    """Empty the subject's caches, where the rig says that they are."""


@dataclass(frozen=True, slots=True)
class Require(Statement):
    """What the rig must be like, or the run is refused: `what` is one of REQUIRED."""

    what: str
    value: str

    def __str__(self) -> str:
        least = "at least " if REQUIRED[self.what].endswith("at least") else ""
        unit = " GiB" if self.what in ("memory", "disk") else ""
        return f"{self.what} {least}{self.value}{unit}"


#: What may be required of a rig, and in which words.
REQUIRED = {
    "network": "on or off",
    "power": "mains or battery",
    "display": "a size such as 1280x800",
    "cores": "at least",
    "memory": "at least",
    "disk": "at least",
}


@dataclass(frozen=True, slots=True)
class Confirm(Statement):
    """What a person must have confirmed once for the rig before it plays the session."""

    text: str


@dataclass(frozen=True, slots=True)
class Timing(Statement):
    """`time NAME`: from its first input to the instant its last condition became true."""

    name: str
    body: tuple[Statement, ...]


@dataclass(frozen=True, slots=True)
class Frames(Statement):
    """`frames NAME [at N Hz]`: a stretch in which every gap between pictures counts as a frame.

    `hertz` is the rate that it should keep, where the script names one.
    """

    name: str
    body: tuple[Statement, ...]
    hertz: float | None = None


@dataclass(frozen=True, slots=True)
class Step(Statement):
    """A named part of the session; with a `tag` only for variants that have, or lack, it."""

    name: str
    body: tuple[Statement, ...]
    tag: str = ""
    wanted: bool = True

    def played_by(self, tags: frozenset[str]) -> bool:
        """Whether a variant with these tags plays it."""
        return not self.tag or (self.tag in tags) == self.wanted


@dataclass(frozen=True, slots=True)
class Fixture:
    name: str
    file: str
    line: int


@dataclass(frozen=True, slots=True)
class Ladder:
    """The load levels of a session: each round plays it once per level."""

    name: str
    levels: tuple[str, ...]
    line: int


@dataclass(frozen=True, slots=True)
class Script:
    """A whole session: its head and its steps, every value already put in."""

    title: str
    fixtures: tuple[Fixture, ...]
    values: dict[str, str]
    places: dict[str, ScreenRegion]
    facts: dict[str, str]
    steps: tuple[Step, ...]
    #: What is done, or must be true, before the subject is started; else the run is refused.
    before: tuple[Statement, ...] = ()
    ladder: Ladder | None = None
    text: str = field(repr=False, default="")
