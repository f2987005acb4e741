"""A run as the judging sees it."""

from __future__ import annotations

from dataclasses import dataclass

from yardstick_core.readings.derive import Reading


@dataclass(frozen=True, slots=True)
class JudgedRun:
    """A run with its readings; `variant` is its position in the study.

    `rig` and `boot` name the machine and its start; empty where not known. `left_out` says why a
    person left the run out; it stays visible and is counted. `level` names the level of the ladder
    it was played at, such as "ends 400": readings of two levels are never compared. A run of no
    round, brought in from elsewhere, has a negative one.
    """

    run: int
    variant: int
    round: int
    cold: bool
    outcome: str
    readings: tuple[Reading, ...]
    rig: str = ""
    boot: str = ""
    left_out: str = ""
    level: str = ""
    #: Timed by a person, by a watch or on a film: the ± of its readings goes into the intervals.
    by_hand: bool = False

    @property
    def compared(self) -> bool:
        """Whether its readings are meant to be compared with those of other warm runs."""
        return not self.cold and not self.left_out
