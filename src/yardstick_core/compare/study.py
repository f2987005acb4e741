"""Judges a study: every metric of every stretch, every candidate against the baseline."""

from __future__ import annotations

import math
from collections.abc import Collection, Iterable, Sequence
from dataclasses import dataclass, replace
from math import isfinite
from operator import attrgetter
from typing import Protocol

from yardstick_core.compare import words
from yardstick_core.compare.difference import (
    MORE_RUNS,
    NO_INTERVAL,
    Difference,
    compare_all,
)
from yardstick_core.compare.estimate import Sample
from yardstick_core.compare.ladder_words import LadderReading, ladder_readings
from yardstick_core.compare.multiplicity import DECIDING, MAIN, OTHER, DifferenceTest, stands
from yardstick_core.compare.notes import held_back, same_start, what_cannot_be_said
from yardstick_core.compare.runs import JudgedRun
from yardstick_core.compare.terms import Terms
from yardstick_core.compare.verdict import AHEAD, BEHIND, LEVEL, OPEN
from yardstick_core.readings.derive import WHOLE
from yardstick_core.readings.families import family_of, lead_of
from yardstick_core.readings.metric import SAID, Metric
from yardstick_core.record import FINISHED

ONLY_BY_CORRECTION = "clear by itself, but not after allowing for how many metrics were looked at"
NO_NUMBER = "a reading that is no number is left out"
CANNOT_BE_JUDGED = "cannot_be_judged"
#: A metric of one stretch.
Place = tuple[str, tuple[str, ...]]


class Beside(Protocol):
    """Something that was not alike in the runs of a candidate and of the baseline."""

    @property
    def words(self) -> str: ...

    @property
    def grave(self) -> bool: ...

    def concerns(self, candidate: int, metric: str) -> bool: ...


@dataclass(frozen=True, slots=True)
class Row:
    """One metric of one stretch: samples per variant in the order taken, and the differences.

    `cold` and `left_out` hold, per variant, the readings of runs that are shown and not compared.
    """

    stretch: tuple[str, ...]
    metric: Metric
    samples: tuple[tuple[Sample, ...], ...]
    medians: tuple[float | None, ...]
    differences: tuple[Difference | None, ...]
    sentence: str
    warnings: tuple[str, ...] = ()
    cold: tuple[tuple[Sample, ...], ...] = ()
    left_out: tuple[tuple[Sample, ...], ...] = ()
    #: For each variant, whether the median is only known to be exceeded.
    longer: tuple[bool, ...] = ()
    #: The metric of the same stretch that this one follows from by definition; it is counted there.
    echo_of: str = ""
    #: Whether the study's question is about it: tested first, at the whole level.
    deciding: bool = False

    @property
    def family(self) -> str:
        return family_of(self.metric.key)

    @property
    def counted(self) -> bool:
        """Whether it counts in what a variant is ahead or behind on."""
        return self.metric.judged and not self.echo_of


@dataclass(frozen=True, slots=True)
class Judgement:
    """All rows of a study and its answer in a sentence.

    `notes` say what cannot be concluded, and why; `alpha` is that of every interval.
    """

    rows: tuple[Row, ...]
    headline: str
    #: For each candidate, how many metrics got each verdict; echoes of others are not counted.
    counts: tuple[dict[str, int], ...]
    notes: tuple[str, ...] = ()
    alpha: float = 0.05
    in_rounds: bool = True
    #: What the levels of a ladder show together.
    ladders: tuple[LadderReading, ...] = ()
    #: The rounds that the differences rest on; None for all.
    compared_rounds: tuple[int, ...] | None = None

    def at_look(self) -> Judgement:
        """The same with the readings of the compared rounds alone."""
        if self.compared_rounds is None:
            return self
        rows = [
            replace(
                row,
                samples=tuple(_of_rounds(side, self.compared_rounds) for side in row.samples),
            )
            for row in self.rows
        ]
        return replace(self, rows=tuple(rows), compared_rounds=None)


def judge(
    runs: list[JudgedRun],
    variants: list[str],
    baseline: int = 0,
    *,
    in_rounds: bool = True,
    alpha: float = 0.05,
    terms: Terms | None = None,
    touches: Sequence[Beside] = (),
    deciding: Collection[Place] = (),
    compared_rounds: Collection[int] | None = None,
) -> Judgement:
    """Judge all runs of a study; `variants` are their names, `baseline` the index of one.

    `touches` is what stands beside verdicts because the runs were not measured alike. `deciding`
    are the metrics the question is about; where none is named, all main ones come first alike.
    Differences rest on `compared_rounds` alone where these are given: between two looks of a plan
    nothing new is concluded. Runs of no round are always compared.
    """
    rows = _with_places(_rows(runs, len(variants), terms or Terms()), deciding)
    held = held_back(runs, variants, baseline)
    doubts = same_start(runs, variants, baseline)
    compared = {
        index: _compared(
            rows, baseline, index, in_rounds, alpha, doubts.get(index), compared_rounds
        )
        for index in range(len(variants))
        if index != baseline
    }
    rows = [
        replace(
            row,
            differences=tuple(
                compared[index].get(place) if index in compared else None
                for index in range(len(variants))
            ),
        )
        for place, row in enumerate(rows)
    ]
    rows = (
        [_hold(row, held) for row in _corrected(rows, alpha)] if held else _corrected(rows, alpha)
    )
    rows = [_beside(row, touches) for row in rows] if touches else rows
    rows = [replace(row, sentence=_sentence(row, variants, baseline)) for row in rows]
    counts = tuple(_counts(rows, index) for index in range(len(variants)))
    missing = _without_reading(rows, len(variants))
    notes = what_cannot_be_said(runs, variants, baseline, missing)
    headline = _headline(rows, counts, variants, baseline)
    looked_at = [
        run
        for run in runs
        if compared_rounds is None or run.round < 0 or run.round in compared_rounds
    ]
    ladders = tuple(ladder_readings(looked_at, variants, baseline, alpha))
    return Judgement(
        tuple(rows),
        headline,
        counts,
        (*held.values(), *notes),
        alpha,
        in_rounds,
        ladders,
        None if compared_rounds is None else tuple(compared_rounds),
    )


def _with_places(rows: list[Row], deciding: Collection[Place]) -> list[Row]:
    """The rows with what decides and what echoes another marked; what decides is counted itself."""
    there = {
        (row.metric.key, row.stretch) for row in rows if row.metric.judged and any(row.samples)
    }
    wanted = set(deciding) & there
    found = []
    for row in rows:
        decides = (row.metric.key, row.stretch) in wanted
        lead = lead_of(row.metric.key)
        echo = lead if (lead, row.stretch) in there and not decides else ""
        found.append(replace(row, echo_of=echo, deciding=decides) if echo or decides else row)
    return found


def at_level(stretch: tuple[str, ...], level: str) -> tuple[str, ...]:
    """What a stretch is called at a level of a ladder: `Open draft · ends 400`."""
    return (f"{stretch[0]} · {level}", *stretch[1:]) if level else stretch


#: How a run counts: compared, cold, or left out by a person.
PARTS = WARM, COLD, LEFT_OUT = range(3)


class _Gathered:
    """What was read of one metric of one stretch, by how its runs count and by variant."""

    __slots__ = ("parts", "warnings")

    def __init__(self, variants: int) -> None:
        self.parts: list[list[list[Sample]]] = [[[] for _ in range(variants)] for _ in PARTS]
        self.warnings: dict[str, None] = {}


def _rows(runs: list[JudgedRun], variants: int, terms: Terms) -> list[Row]:
    """What was read, by stretch in the order of the session, then by metric; nothing compared."""
    found: dict[tuple[str, ...], dict[str, _Gathered]] = {}
    new = tuple.__new__
    for run in runs:
        number, turn, rig, variant = run.run, run.round, run.rig, run.variant
        part = LEFT_OUT if run.left_out else COLD if run.cold else WARM
        finished, by_hand, level = run.outcome == FINISHED, run.by_hand, run.level
        stretch, metrics = None, {}
        for reading in run.readings:
            if reading.stretch is not stretch:
                stretch = reading.stretch
                metrics = found.setdefault(at_level(stretch, level) if level else stretch, {})
            gathered = metrics.get(reading.metric)
            if gathered is None:
                gathered = metrics[reading.metric] = _Gathered(variants)
            value, longer = reading.value, reading.longer_than
            if not isfinite(value):
                gathered.warnings.setdefault(NO_NUMBER)
            elif finished or longer:
                unsure = reading.plus_minus if by_hand else 0.0
                # tuple.__new__ makes the same Sample, and there may be very many
                sample = new(Sample, (number, turn, value, longer, rig, unsure))
                gathered.parts[part][variant].append(sample)
                if reading.warning:
                    gathered.warnings.setdefault(reading.warning)
    for stretch in [stretch for stretch in found if stretch[0].startswith(WHOLE)]:
        found[stretch] = found.pop(stretch)
    return [
        _row(terms.metric(key, stretch), stretch, gathered)
        for stretch, metrics in found.items()
        for key, gathered in metrics.items()
    ]


def _row(metric: Metric, stretch: tuple[str, ...], gathered: _Gathered) -> Row:
    warm, cold, left_out = gathered.parts
    medians = [_median(side) for side in warm]
    return Row(
        stretch,
        metric,
        _frozen(warm),
        tuple(value for value, _ in medians),
        (None,) * len(warm),
        "",
        tuple(gathered.warnings),
        _frozen(cold),
        _frozen(left_out),
        tuple(longer for _, longer in medians),
    )


def _frozen(sides: list[list[Sample]]) -> tuple[tuple[Sample, ...], ...]:
    return tuple(tuple(side) for side in sides)


VALUE, LONGER_THAN = attrgetter("value"), attrgetter("longer_than")


def _median(side: Sequence[Sample]) -> tuple[float | None, bool]:
    """Median of a side, and whether all that is known of it is that it is longer than that."""
    if not side:
        return None, False
    if not any(map(LONGER_THAN, side)):
        values = sorted(map(VALUE, side))
        middle = len(values) // 2
        if len(values) % 2:
            return values[middle], False
        return (values[middle - 1] + values[middle]) / 2, False
    ordered = sorted(side, key=lambda sample: (sample.longer_than, sample.value))
    middle = len(ordered) // 2
    if len(ordered) % 2:
        return ordered[middle].value, ordered[middle].longer_than
    left, right = ordered[middle - 1], ordered[middle]
    return (left.value + right.value) / 2, right.longer_than


def _compared(
    rows: list[Row],
    baseline: int,
    candidate: int,
    in_rounds: bool,
    alpha: float,
    doubt: str | None,
    compared_rounds: Collection[int] | None,
) -> dict[int, Difference]:
    """The differences of one candidate, by the place of their row."""
    sides = [
        (
            _of_rounds(row.samples[baseline], compared_rounds),
            _of_rounds(row.samples[candidate], compared_rounds),
        )
        if row.metric.judged
        else ((), ())
        for row in rows
    ]
    able = [place for place, (a, b) in enumerate(sides) if a and b]
    found = _differences(
        [rows[place].metric for place in able],
        [sides[place] for place in able],
        in_rounds,
        alpha,
    )
    if doubt:
        found = [replace(d, reservations=(*d.reservations, doubt)) for d in found]
    return dict(zip(able, found, strict=True))


def _of_rounds(side: tuple[Sample, ...], rounds: Collection[int] | None) -> tuple[Sample, ...]:
    if rounds is None:
        return side
    return tuple(sample for sample in side if sample.round < 0 or sample.round in rounds)


def _differences(
    metrics: list[Metric],
    sides: list[tuple[tuple[Sample, ...], tuple[Sample, ...]]],
    in_rounds: bool,
    alpha: float,
) -> list[Difference]:
    """All differences; where one cannot be worked out the others still are, and it says so."""
    left, right = [a for a, _ in sides], [b for _, b in sides]
    try:
        return compare_all(metrics, left, right, in_rounds=in_rounds, alpha=alpha)
    except (ArithmeticError, ValueError) as problem:
        if len(metrics) == 1:
            return [_cannot_be_judged(metrics[0], left[0], right[0], problem)]
    return [
        difference
        for metric, side in zip(metrics, sides, strict=True)
        for difference in _differences([metric], [side], in_rounds, alpha)
    ]


def _cannot_be_judged(
    metric: Metric, a: Sequence[Sample], b: Sequence[Sample], problem: Exception
) -> Difference:
    return Difference(
        metric.key,
        OPEN,
        _median(a)[0] or 0.0,
        _median(b)[0] or 0.0,
        len(a),
        len(b),
        reservations=(f"these readings cannot be judged: {problem}",),
        undecided=CANNOT_BE_JUDGED,
    )


def _hold(row: Row, held: dict[int, str]) -> Row:
    """No verdict where something else than the factor differs, whatever the numbers say."""
    differences = [
        replace(
            d,
            verdict=OPEN,
            held=True,
            runs_to_decide=None,
            reservations=(held[index], *d.reservations),
        )
        if d is not None and index in held
        else d
        for index, d in enumerate(row.differences)
    ]
    return replace(row, differences=tuple(differences))


def _beside(row: Row, touches: Sequence[Beside]) -> Row:
    """Put beside each verdict what was not alike; what is grave holds the verdict back."""
    differences = list(row.differences)
    for index, difference in enumerate(differences):
        if difference is None:
            continue
        concerned = [touch for touch in touches if touch.concerns(index, row.metric.key)]
        concerned.sort(key=lambda touch: not touch.grave)
        said = tuple(touch.words for touch in concerned)
        difference = replace(difference, reservations=(*said, *difference.reservations))
        if any(touch.grave for touch in concerned):
            difference = replace(difference, verdict=OPEN, held=True, runs_to_decide=None)
        differences[index] = difference
    return replace(row, differences=tuple(differences))


def is_held(row: Row, candidate: int | None = None) -> bool:
    """Whether a verdict of a row is held back: that on one candidate, or on any."""
    differences = row.differences if candidate is None else (row.differences[candidate],)
    return any(difference is not None and difference.held for difference in differences)


def _without_reading(rows: Iterable[Row], variants: int) -> list[list[Metric]]:
    """For each variant, the judged metrics that have readings in another and none in it."""
    missing: list[list[Metric]] = [[] for _ in range(variants)]
    for row in rows:
        if row.metric.judged and any(row.samples):
            for index, side in enumerate(row.samples):
                if not side:
                    missing[index].append(row.metric)
    return missing


def _corrected(rows: list[Row], alpha: float) -> list[Row]:
    """Let no difference stand that is clear by itself and not among all that were looked at."""
    tested = [
        (place, index, difference)
        for place, row in enumerate(rows)
        for index, difference in enumerate(row.differences)
        if difference is not None and not math.isnan(difference.p)
    ]
    holds = stands([_test(rows[n], index, d) for n, index, d in tested], alpha)
    result = list(rows)
    for (place, index, difference), stays in zip(tested, holds, strict=True):
        if stays or difference.verdict not in (AHEAD, BEHIND):
            continue
        known = list(result[place].differences)
        known[index] = replace(
            difference,
            verdict=OPEN,
            undecided=MORE_RUNS,
            reservations=(*difference.reservations, ONLY_BY_CORRECTION),
        )
        result[place] = replace(result[place], differences=tuple(known))
    return result


def _test(row: Row, candidate: int, difference: Difference) -> DifferenceTest:
    step = DECIDING if row.deciding else MAIN if row.metric.primary and row.counted else OTHER
    matters = abs(difference.gain) >= difference.band
    p = difference.p if matters else 1.0
    return DifferenceTest(step, candidate, p, difference.verdict == LEVEL)


def _counts(rows: list[Row], index: int) -> dict[str, int]:
    found = dict.fromkeys((AHEAD, BEHIND, LEVEL, OPEN), 0)
    for row in rows:
        difference = row.differences[index]
        if difference is not None and row.counted:
            found[difference.verdict] += 1
    return found


def standout(rows: list[Row], index: int, verdict: str) -> Row | None:
    """The row in which a candidate is furthest ahead or behind, main metrics first."""
    found = [
        (row, d)
        for row in rows
        if row.counted and (d := row.differences[index]) and d.verdict == verdict
    ]
    best = max(found, key=lambda pair: (pair[0].metric.primary, abs(pair[1].gain)), default=None)
    return best[0] if best else None


def label(row: Row) -> str:
    """What a row is called by itself: `open` for a timing, `1 % low` for other metrics."""
    if row.metric.key == "duration" or row.metric.key.startswith(SAID):
        return row.stretch[-1]
    return row.metric.name


def placed(row: Row) -> str:
    """What a row is called among those of other steps: `1 % low in Scroll cloth`."""
    return words.placed(label(row), row.stretch)


def _sentence(row: Row, variants: list[str], baseline: int) -> str:
    """The row's answer in words: the baseline's reading, then what each candidate shows."""
    base = row.medians[baseline]
    if base is None:
        return f"There is no reading of {variants[baseline]} to compare with."
    parts = [f"{label(row)} is {_reading(row, baseline, base)} in {variants[baseline]}"]
    for index, difference in enumerate(row.differences):
        reading = row.medians[index]
        if difference is not None and reading is not None:
            value = _reading(row, index, reading)
            parts.append(f"in {variants[index]} it is {value}: {_shown(difference)}")
    return "; ".join(parts) + "."


def _reading(row: Row, index: int, value: float) -> str:
    longer = "longer than " if row.longer[index] else ""
    return longer + words.quantity(row.metric, value)


def _shown(difference: Difference) -> str:
    """What one difference shows, in a few words."""
    if difference.method == NO_INTERVAL:
        return difference.reservations[-1]
    if difference.held:
        return "no verdict, for the runs were not measured alike"
    if difference.verdict == OPEN:
        return "not known well enough to say which is better"
    if difference.verdict == LEVEL:
        return "any difference is too small to matter"
    # the interval first: after a verdict its middle is more often too large than too small
    if difference.percent_words:
        return f"{difference.range_words} ({difference.percent_words}, {difference.factor_words})"
    return f"{difference.interval_words} ({difference.change_words})"


def _headline(
    rows: list[Row], counts: tuple[dict[str, int], ...], variants: list[str], baseline: int
) -> str:
    if len(variants) == 1:
        return f"{variants[0]} stands alone: nothing is compared" if rows else ""
    parts = []
    for index, count in enumerate(counts):
        total = sum(count.values())
        if index == baseline or not total:
            continue
        parts.append(f"{variants[index]} is {_standing(rows, index, count, total)}")
    return "; ".join(parts)


def _standing(rows: list[Row], index: int, count: dict[str, int], total: int) -> str:
    if not count[AHEAD] and not count[BEHIND]:
        if count[LEVEL] > total / 2:
            return f"level on {count[LEVEL]} of {total}"
        held = sum(
            bool(d and d.held) for d in (row.differences[index] for row in rows if row.counted)
        )
        if held:
            return f"held back on {held} of {total}: the runs were not measured alike"
        return f"open on {count[OPEN]} of {total}: more rounds would tell"
    text = f"ahead on {count[AHEAD] or 'none'} of {total}"
    if not count[BEHIND]:
        return text + ", behind on none"
    worst = standout(rows, index, BEHIND)
    if worst is None:
        return text
    return f"{text}, behind on {count[BEHIND]}: most in {placed(worst)}"
