"""What every source of counters is, and where the kernel's files are found."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass
from pathlib import Path
from typing import Protocol, Self

#: A counter's name and its value.
Sampled = tuple[str, float]


@dataclass(frozen=True, slots=True)
class Roots:
    """Where the kernel shows its files; elsewhere only where a stand-in takes their place."""

    proc: Path = Path("/proc")
    sys: Path = Path("/sys")

    @classmethod
    def below(cls, made_up: str) -> Self:
        """Where a stand-in shows them, below a folder; the kernel's where none is named."""
        return cls(Path(made_up) / "proc", Path(made_up) / "sys") if made_up else cls()

    @property
    def simulated(self) -> bool:
        """Whether what is read there is made up."""
        return self != Roots()


class Source(Protocol):
    """Something that can be sampled; read anew every so many beats of the sampler."""

    name: str
    beats: int
    #: Whether its counters add up: then a last look tells what came after the one before.
    sums: bool

    @classmethod
    def found(cls, roots: Roots) -> Self | None:
        """The source as this machine has it; None where it has none that may be read."""
        ...

    def sample(self, at_ns: int, subject: list[int]) -> Iterable[Sampled]:
        """The counters now; what cannot be read this time is left out."""
        ...


def number(file: Path) -> int | None:
    """The whole number that a file of the kernel holds; None where it cannot be read."""
    try:
        return int(file.read_text())
    except (OSError, ValueError):
        return None


def line(file: Path) -> str:
    """The first line of a file; empty where it cannot be read."""
    try:
        return file.read_text(errors="replace").split("\n")[0].strip()
    except OSError:
        return ""


class Integral:
    """Adds up a rate over time by the trapezoid rule: watts to joules."""

    def __init__(self) -> None:
        self.total = 0.0
        self._last: tuple[int, float] | None = None

    def add(self, at_ns: int, rate: float) -> float:
        """The sum up to an instant at which the rate is known."""
        if self._last is not None:
            before, was = self._last
            self.total += (at_ns - before) / 1e9 * (rate + was) / 2
        self._last = (at_ns, rate)
        return self.total

    def pause(self) -> None:
        """The rate is not known for a while: nothing is added for that time."""
        self._last = None
