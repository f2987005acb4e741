"""Runs of a session side by side: where each is on the baseline's way, and who leads by how much.

A racer's place is told in the baseline's own time: the instant at which the baseline was where the
racer is now. How far that is ahead of the baseline's clock is the racer's lead, in seconds.
"""

from __future__ import annotations

import math
from bisect import bisect_right
from collections import Counter
from collections.abc import Sequence
from dataclasses import dataclass
from itertools import pairwise

from yardstick_core.record import RunRecord, StretchRecord

#: Of kinds that follow one another in a session, what is looked at within a step.
WITHIN = ("time", "lap", "frames")
#: Somebody has passed another once the lead is so much the other way: not each time both are level.
PASSED_NS = 50_000_000
_REACHES_S = (0.1, 0.2, 0.5, 1, 2, 3, 5, 10, 20, 30, 60, 120, 300, 600, 1800, 3600)
START, STEP, MARK, INPUT = ALIGNMENTS = ("start", "step", "mark", "input")


@dataclass(frozen=True, slots=True)
class RaceStep:
    """A step of a racer, ns since its run began; `match` is its number among the baseline's."""

    name: str
    start_ns: int
    end_ns: int
    match: int | None


@dataclass(frozen=True, slots=True)
class RaceTiming:
    """A timing of a racer that is part of no other, ns since its run began.

    Its end is when what ends it became true: the session may go on later, once it is sure.
    `match` is its number among the baseline's.
    """

    name: str
    start_ns: int
    end_ns: int
    right_censored: bool
    match: int | None


@dataclass(frozen=True, slots=True)
class Racer:
    """A run in a race. Its clock is 0 at `zero_ns`; `knots` are own instant and the baseline's."""

    steps: tuple[RaceStep, ...]
    zero_ns: int
    end_ns: int
    knots: tuple[tuple[int, int], ...]
    timings: tuple[RaceTiming, ...] = ()

    def place_ns(self, at_ns: int) -> float:
        """Where the baseline was, on its run's clock, when it was where this one is at an instant
        of its own run.
        """
        if not self.knots:
            return float(at_ns)
        after = bisect_right(self.knots, (at_ns, math.inf))
        if not after:
            own, base = self.knots[0]
            return float(base + min(0, at_ns - own))
        own, base = self.knots[after - 1]
        if after == len(self.knots):
            return float(base)
        next_own, next_base = self.knots[after]
        return base + (next_base - base) * (at_ns - own) / (next_own - own)


@dataclass(frozen=True, slots=True)
class Pass:
    """One racer gets ahead of another, by their numbers, ns of the race's clock."""

    racer: int
    other: int
    at_ns: int


@dataclass(frozen=True, slots=True)
class Race:
    """Runs on one clock, which is 0 where each is at the instant they are aligned at."""

    racers: tuple[Racer, ...]
    baseline: int

    @property
    def end_ns(self) -> int:
        """When the last one is done, on the race's clock."""
        return max(racer.end_ns - racer.zero_ns for racer in self.racers)

    @property
    def reach_s(self) -> float:
        """A round number of seconds that no lead at the end of a step or a timing is near.

        It is the scale of all leads. What ended before the race's clock began counts for none.
        """
        ends = [
            (number, end_ns - racer.zero_ns)
            for number, racer in enumerate(self.racers)
            for end_ns in (
                *(step.end_ns for step in racer.steps), *(one.end_ns for one in racer.timings)
            )
        ]  # fmt: skip
        leads = [abs(self.lead_ns(number, at)) / 1e9 for number, at in ends if at >= 0]
        widest = max(leads, default=0.0)
        return next((reach for reach in _REACHES_S if reach >= widest * 1.25), widest * 1.25)

    def lead_ns(self, racer: int, at_ns: int) -> float:
        """How far one is ahead of the baseline; negative behind it.

        As long as the baseline still needs to get there. Whoever is done keeps what they had.
        """
        one, base = self.racers[racer], self.racers[self.baseline]
        own_ns = min(at_ns + one.zero_ns, one.end_ns)
        theirs_ns = at_ns if at_ns + one.zero_ns <= one.end_ns else one.end_ns - one.zero_ns
        return one.place_ns(own_ns) - base.zero_ns - theirs_ns

    def timing_lead_ns(self, racer: int, timing: RaceTiming) -> int | None:
        """How far before the baseline one ended a timing; None where it cannot be said."""
        if timing.match is None:
            return None
        one, base = self.racers[racer], self.racers[self.baseline]
        theirs = base.timings[timing.match]
        if timing.right_censored or theirs.right_censored:
            return None
        return (theirs.end_ns - base.zero_ns) - (timing.end_ns - one.zero_ns)

    def step_of(self, racer: int, at_ns: int) -> int | None:
        """The number of the step that one is in, or was in last; None before the first."""
        own_ns = at_ns + self.racers[racer].zero_ns
        begun = [n for n, step in enumerate(self.racers[racer].steps) if step.start_ns <= own_ns]
        return begun[-1] if begun else None

    def timing_of(self, racer: int, at_ns: int) -> RaceTiming | None:
        """The timing that one ended last within the step that it is in."""
        step = self.step_of(racer, at_ns)
        if step is None:
            return None
        one = self.racers[racer]
        began_ns, own_ns = one.steps[step].start_ns, at_ns + one.zero_ns
        ended = [each for each in one.timings if began_ns <= each.start_ns <= each.end_ns <= own_ns]
        return ended[-1] if ended else None

    def steps_ahead(self, racer: int, at_ns: int) -> int:
        """How many of the steps that both have one has ended more than the baseline."""
        common = {step.match for step in self.racers[racer].steps} - {None}

        def ended(one: Racer) -> int:
            now_ns = at_ns + one.zero_ns
            return sum(step.match in common and step.end_ns <= now_ns for step in one.steps)

        return ended(self.racers[racer]) - ended(self.racers[self.baseline])

    def passes(self) -> list[Pass]:
        """Who passes whom once the race's clock has begun, and when, in order."""
        found = []
        for one in range(len(self.racers)):
            for other in range(one):
                found += self._passes_between(one, other)
        return sorted(found, key=lambda each: each.at_ns)

    def _passes_between(self, one: int, other: int) -> list[Pass]:
        instants = {
            own - racer.zero_ns - just_before
            for racer in (self.racers[one], self.racers[other])
            for own, _ in (*racer.knots, (racer.end_ns, 0))
            for just_before in (0, 1)
        }
        found, ahead, crossed = [], 0, 0
        gap_before, before = 0.0, 0
        for at in sorted({0, *(at for at in instants if at > 0)}):
            gap = self.lead_ns(one, at) - self.lead_ns(other, at)
            if gap * gap_before < 0:
                crossed = round(before + (at - before) * gap_before / (gap_before - gap))
            elif gap_before == 0:
                crossed = before
            side = (gap > PASSED_NS) - (gap < -PASSED_NS)
            if side and side != ahead:
                if ahead:
                    first, second = (one, other) if side > 0 else (other, one)
                    found.append(Pass(first, second, crossed))
                ahead = side
            gap_before, before = gap, at
        return found


def race(records: Sequence[RunRecord], baseline: int, zeros_ns: Sequence[int]) -> Race:
    """Put runs on one clock. `zeros_ns` is, in each, the instant that they are aligned at."""
    base = records[baseline]
    racers = []
    theirs = _numbered(_outermost(base))
    for record, zero in zip(records, zeros_ns, strict=True):
        steps = _matched(_steps(record), _steps(base))
        end = max((step.end_ns for step in steps), default=zero)
        knots = tuple(_knots(record, base, steps))
        racers.append(Racer(tuple(steps), zero, end, knots, _timings(record, theirs)))
    return Race(tuple(racers), baseline)


def alignments(records: Sequence[RunRecord]) -> list[tuple[str, str]]:
    """What runs can be aligned at, as code and words: what each of them has.

    >>> alignments([RunRecord(), RunRecord()])
    [('start', 'the start')]
    """
    found = [(START, "the start")]
    steps = [{step.name for step in _steps(record)} for record in records]
    for step in _steps(records[0]) if records else ():
        if all(step.name in one for one in steps):
            found.append((f"{STEP}:{step.name}", f"the step {step.name}"))
    marks = [{name for _, name in record.marks} for record in records]
    named = dict.fromkeys(name for _, name in records[0].marks) if records else {}
    for name in named:
        if all(name in one for one in marks):
            found.append((f"{MARK}:{name}", f"the mark {name}"))
    fewest = min((len(record.inputs) for record in records), default=0)
    for number in range(min(fewest, 40)):
        what = records[0].inputs[number].what
        found.append((f"{INPUT}:{number}", f"input {number + 1}: {what}"))
    return found


def instant_of(record: RunRecord, alignment: str) -> int | None:
    """When a run is at what it is aligned at, ns since it began; None where it has no such."""
    kind, _, name = alignment.partition(":")
    steps = _steps(record)
    if kind == START:
        return steps[0].start_ns if steps else 0
    if kind == STEP:
        return next((step.start_ns for step in steps if step.name == name), None)
    if kind == MARK:
        return next((at for at, said in record.marks if said == name), None)
    if kind == INPUT and name.isascii() and name.isdigit() and int(name) < len(record.inputs):
        return record.inputs[int(name)].at_ns
    return None


def _steps(record: RunRecord) -> list[StretchRecord]:
    return [one for one in record.stretches if one.kind == "step" and len(one.path) == 1]


def _outermost(record: RunRecord) -> list[StretchRecord]:
    """Timings that are part of no other one, in order."""
    timings = [one for one in record.stretches if one.kind == "time"]
    found: list[StretchRecord] = []
    for one in sorted(timings, key=lambda each: (each.start_ns, -each.end_ns)):
        if not found or one.end_ns > found[-1].end_ns:
            found.append(one)
    return found


def _numbered(timings: list[StretchRecord]) -> dict[tuple[object, ...], int]:
    """The number of each timing by its path and which of that path it is, in order."""
    seen: Counter[tuple[str, ...]] = Counter()
    found: dict[tuple[object, ...], int] = {}
    for number, one in enumerate(timings):
        found[one.path, seen[one.path]] = number
        seen[one.path] += 1
    return found


def _timings(record: RunRecord, base: dict[tuple[object, ...], int]) -> tuple[RaceTiming, ...]:
    mine = _outermost(record)
    return tuple(
        RaceTiming(one.path[-1], one.start_ns, one.end_ns, one.right_censored, base.get(key))
        for one, key in zip(mine, _numbered(mine), strict=True)
    )


def _matched(steps: list[StretchRecord], base: list[StretchRecord]) -> list[RaceStep]:
    """Steps with the baseline's step of the same name, in order; others are a racer's own."""
    found, reached = [], 0
    for step in steps:
        match = next((n for n in range(reached, len(base)) if base[n].name == step.name), None)
        if match is not None:
            reached = match + 1
        found.append(RaceStep(step.name, step.start_ns, step.end_ns, match))
    return found


def _knots(record: RunRecord, base: RunRecord, steps: Sequence[RaceStep]) -> list[tuple[int, int]]:
    """Instants at which a racer is where the baseline was: ends of steps, and what is within."""
    theirs = _steps(base)
    knots: list[tuple[int, int]] = []
    for step in steps:
        if step.match is None:
            continue
        other = theirs[step.match]
        inner = _inner(record, base, step, other)
        knots += [(step.start_ns, other.start_ns), *inner, (step.end_ns, other.end_ns)]
    rising: list[tuple[int, int]] = []
    for own, at in knots:
        if not rising or (own >= rising[-1][0] and at >= rising[-1][1]):
            rising.append((own, at))
    # where the baseline has a step that the racer lacks, its place jumps: two knots at an instant
    return [one for one, following in pairwise([*rising, (-1, 0)]) if one != following]


def _inner(
    record: RunRecord, base: RunRecord, step: RaceStep, other: StretchRecord
) -> list[tuple[int, int]]:
    """Starts and ends of stretches within a step that both have, where both run forwards."""
    mine, theirs = _within(record, step.start_ns, step.end_ns), _within(base, *_span(other))
    pairs = sorted((mine[key], theirs[key]) for key in mine.keys() & theirs.keys())
    kept: list[tuple[int, int]] = []
    for own, at in pairs:
        low = kept[-1] if kept else (step.start_ns, other.start_ns)
        if own > low[0] and at >= low[1] and own < step.end_ns and at <= other.end_ns:
            kept.append((own, at))
    return kept


def _span(stretch: StretchRecord) -> tuple[int, int]:
    return stretch.start_ns, stretch.end_ns


def _within(record: RunRecord, start: int, end: int) -> dict[tuple[object, ...], int]:
    """Instants at which stretches start and end within a span, by which of its kind each is."""
    seen: Counter[tuple[object, ...]] = Counter()
    found: dict[tuple[object, ...], int] = {}
    for one in record.stretches:
        if one.kind in WITHIN and start <= one.start_ns and one.end_ns <= end:
            key = (one.kind, one.path)
            found[(*key, seen[key], "start")] = one.start_ns
            found[(*key, seen[key], "end")] = one.end_ns
            seen[key] += 1
    return found
