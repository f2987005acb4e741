"""How the columns of a log are understood: said once, kept under a name, used for the next file."""

from __future__ import annotations

from dataclasses import asdict, dataclass, field
from typing import Any

(
    SKIP, TIME, FRAME_TIME, RATE, PROCESSOR, MEMORY, MARKER, OTHER, BEGIN, END, DURATION, VARIANT,
) = ROLES = (
    "skip", "time", "frame time", "rate", "processor", "memory", "marker", "other", "begin", "end",
    "duration", "variant",
)  # fmt: skip

#: What a value of each unit is in the unit of the record: ns, cores, bytes.
TIME_UNITS = {
    "s": 1e9,
    "ms": 1e6,
    "µs": 1e3,
    "100 ns": 100.0,
    "ns": 1.0,
    "min": 60e9,
    "day": 86_400e9,
}
MEMORY_UNITS = {
    "B": 1.0, "KiB": 2.0**10, "MiB": 2.0**20, "GiB": 2.0**30, "kB": 1e3, "MB": 1e6, "GB": 1e9,
}  # fmt: skip
PROCESSOR_UNITS = {"cores": 1.0, "% of a core": 0.01, "% of the machine": 0.01}
#: Units of what is shorter than a day's work.
SPAN_UNITS = tuple(unit for unit in TIME_UNITS if unit != "day")
DATE, CLOCK, SPAN = "date and time", "time of day", "minutes:seconds"
#: Units of what is written with colons or as a date, and not as a number.
WRITTEN = (DATE, CLOCK, SPAN)
#: Columns of text, and those that may be written as dates or clocks have it.
TEXTS, CLOCKED = (MARKER, VARIANT), (TIME, BEGIN, END, DURATION)
UNITS: dict[str, tuple[str, ...]] = {
    SKIP: ("",),
    TIME: (*TIME_UNITS, DATE, CLOCK),
    FRAME_TIME: SPAN_UNITS,
    RATE: ("fps",),
    PROCESSOR: tuple(PROCESSOR_UNITS),
    MEMORY: tuple(MEMORY_UNITS),
    MARKER: ("",),
    OTHER: (),
    BEGIN: (*TIME_UNITS, DATE, CLOCK),
    END: (*TIME_UNITS, DATE, CLOCK),
    DURATION: (*SPAN_UNITS, SPAN),
    VARIANT: ("",),
}
#: What the text of a marker column means.
MOMENTS, STEPS, RUNS = MARKERS = ("moments", "steps", "runs")
#: What several columns of durations in a row are: a run each, or timings of one run.
EACH_A_RUN, OF_ONE_RUN = DURATIONS = ("runs", "timings")
BLANKS = "  "
SEPARATORS = {
    ",": "comma", ";": "semicolon", "\t": "tab", "|": "bar", " ": "blank", BLANKS: "any blanks",
}  # fmt: skip
MOST_COLUMNS = 1000
_LONGEST_S = 86_400.0


class MappingError(ValueError):
    """The mapping contradicts itself; the message says how."""


@dataclass(frozen=True, slots=True)
class Column:
    """One column of a file: its name there, what it is, and in which unit."""

    name: str
    role: str = SKIP
    unit: str = ""


@dataclass(frozen=True, slots=True)
class Mapping:
    """How a file is read.

    `kind` is "separated", "json lines" or "parquet". `header` lines are passed over, the last of
    them may hold the names. `frames` says what the frames of the record are taken from: "frame
    time" (each row is a frame of that length), "time" (each row is a frame shown at that time) or
    "" (no frames). `markers` says what a marker column means. `cores` is how many the machine had,
    for processor use in percent of the machine. `durations` says what several columns of durations
    are. `every_s` is how far apart rows are where no column says when; 0 where that is not known.
    """

    kind: str
    columns: tuple[Column, ...]
    separator: str = ","
    decimal: str = "."
    header: int = 1
    frames: str = ""
    markers: str = MOMENTS
    cores: int = 1
    encoding: str = field(default="utf-8")
    durations: str = EACH_A_RUN
    every_s: float = 0.0

    def of(self, role: str) -> list[int]:
        """Places of the columns with a role."""
        return [place for place, column in enumerate(self.columns) if column.role == role]

    def only(self, role: str) -> int | None:
        """Place of the one column with a role, None where there is none."""
        places = self.of(role)
        return places[0] if places else None

    @property
    def events(self) -> bool:
        """Whether each row is something that begins and ends: a timing.

        One of the two may be told by how long it took.
        """
        instants = len(self.of(BEGIN)) + len(self.of(END))
        return instants == 2 or (instants == 1 and len(self.of(DURATION)) == 1)

    @property
    def results(self) -> bool:
        """Whether each row is the result of a run of its own, as a table of results has it."""
        return bool(self.of(DURATION)) and not self.events and self.only(TIME) is None

    def as_dict(self) -> dict[str, Any]:
        return asdict(self)


def mapping_from(data: dict[str, Any]) -> Mapping:
    """A mapping from what `as_dict` gave. Raises MappingError for one that makes no sense."""
    try:
        columns = tuple(
            Column(str(c["name"])[:200], str(c["role"]), str(c.get("unit", ""))[:40])
            for c in data["columns"]
        )
        mapping = Mapping(
            str(data["kind"]), columns, str(data.get("separator", ",")),
            str(data.get("decimal", ".")), int(data.get("header", 1)), str(data.get("frames", "")),
            str(data.get("markers", MOMENTS)), int(data.get("cores", 1)),
            str(data.get("encoding", "utf-8")), str(data.get("durations", EACH_A_RUN)),
            float(data.get("every_s") or 0.0),
        )  # fmt: skip
    except (KeyError, TypeError, ValueError) as error:
        raise MappingError(f"the mapping cannot be read: {error}") from error
    check(mapping)
    return mapping


def check(mapping: Mapping) -> None:
    """Raises MappingError where a mapping contradicts itself."""
    if mapping.kind not in ("separated", "json lines", "parquet"):
        raise MappingError(f"“{mapping.kind}” is no kind of file")
    if not 1 <= len(mapping.columns) <= MOST_COLUMNS:
        raise MappingError(f"a log has 1 to {MOST_COLUMNS} columns")
    if mapping.separator not in SEPARATORS or mapping.decimal not in (".", ","):
        raise MappingError("the separator or the decimal mark is none that is known")
    if mapping.separator == mapping.decimal and mapping.kind == "separated":
        raise MappingError("the comma cannot separate columns and be the decimal mark at once")
    if not 0 <= mapping.header <= 1000 or not 1 <= mapping.cores <= 4096:
        raise MappingError("there are 0 to 1000 header lines and 1 to 4096 cores")
    if not 0 <= mapping.every_s <= _LONGEST_S:
        raise MappingError("rows are between 0 and 86,400 seconds apart")
    for column in mapping.columns:
        if column.role not in ROLES:
            raise MappingError(f"“{column.role}” is nothing a column can be")
        if UNITS[column.role] and column.unit not in UNITS[column.role]:
            raise MappingError(f"“{column.unit}” is no unit for {column.role} ({column.name})")
    for role in (TIME, FRAME_TIME, PROCESSOR, MEMORY, MARKER, BEGIN, END, VARIANT):
        if len(mapping.of(role)) > 1:
            raise MappingError(f"only one column can be the {role}")
    if mapping.frames not in ("", FRAME_TIME, TIME):
        raise MappingError("frames are taken from the frame time, from the time, or from nothing")
    if mapping.frames and mapping.only(mapping.frames) is None:
        raise MappingError(f"frames cannot be taken from a {mapping.frames} column: there is none")
    if mapping.markers not in MARKERS:
        raise MappingError(f"“{mapping.markers}” is nothing that markers can mean")
    if mapping.durations not in DURATIONS:
        raise MappingError(f"“{mapping.durations}” is nothing that durations can be")
    if (mapping.of(BEGIN) or mapping.of(END)) and not mapping.events:
        raise MappingError(
            "what begins must end: both need a column, or one of them and one duration"
        )
    if mapping.events or mapping.results:
        if mapping.frames:
            raise MappingError("rows that are timings are no frames")
        return
    timed = mapping.only(TIME) is not None or mapping.frames == FRAME_TIME
    if not timed and not mapping.every_s:
        raise MappingError(
            "no column says when: one must be the time, or frames the frame time, or rows must "
            "come at a steady pace"
        )
    if all(column.role in (SKIP, TIME, MARKER) for column in mapping.columns) and (
        mapping.frames != TIME
    ):
        raise MappingError("nothing but time and markers would be kept")
