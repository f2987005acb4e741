"""Judges a study: every metric of every stretch, every candidate against the baseline."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass, replace
from typing import Protocol

from yardstick_core.compare import words
from yardstick_core.compare.difference import NO_INTERVAL, Difference, compare_all
from yardstick_core.compare.estimate import Sample
from yardstick_core.compare.ladder_words import LadderReading, ladder_readings
from yardstick_core.compare.notes import held_back, same_start, what_cannot_be_said
from yardstick_core.compare.runs import JudgedRun
from yardstick_core.compare.terms import Terms
from yardstick_core.compare.verdict import (
    AHEAD,
    BEHIND,
    LEVEL,
    OPEN,
    benjamini_hochberg,
)
from yardstick_core.readings.derive import WHOLE
from yardstick_core.readings.metric import SAID, Metric
from yardstick_core.record import FINISHED

ONLY_BY_CORRECTION = "clear by itself, but not after allowing for how many metrics were looked at"


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


@dataclass(frozen=True, slots=True)
class Judgement:
    """All rows of a study and its answer in a sentence.

    `notes` say what cannot be concluded, and why; `alpha` is that of every interval.
    """

    rows: tuple[Row, ...]
    headline: str
    #: For each candidate, how many metrics got each verdict.
    counts: tuple[dict[str, int], ...]
    notes: tuple[str, ...] = ()
    alpha: float = 0.05
    in_rounds: bool = True
    #: What the levels of a ladder show together.
    ladders: tuple[LadderReading, ...] = ()


def judge(
    runs: list[JudgedRun],
    variants: list[str],
    baseline: int = 0,
    *,
    in_rounds: bool = True,
    alpha: float = 0.05,
    terms: Terms | None = None,
    touches: Sequence[Beside] = (),
) -> Judgement:
    """Judge all runs of a study; `variants` are their names, `baseline` the index of one.

    `touches` is what stands beside verdicts because the runs were not measured alike.
    """
    rows = _rows(runs, len(variants), terms or Terms())
    held = held_back(runs, variants, baseline)
    doubts = same_start(runs, variants, baseline)
    for index in range(len(variants)):
        if index != baseline:
            rows = _compared(rows, baseline, index, in_rounds, alpha, doubts.get(index))
    rows = (
        [_hold(row, held) for row in _corrected(rows, alpha)] if held else _corrected(rows, alpha)
    )
    rows = [_beside(row, touches) for row in rows] if touches else rows
    rows = [replace(row, sentence=_sentence(row, variants, baseline)) for row in rows]
    counts = tuple(_counts(rows, index) for index in range(len(variants)))
    missing = _without_reading(rows, len(variants))
    notes = what_cannot_be_said(runs, variants, baseline, missing)
    headline = _headline(rows, counts, variants, baseline)
    ladders = tuple(ladder_readings(runs, variants, baseline, alpha))
    return Judgement(
        tuple(rows), headline, counts, (*held.values(), *notes), alpha, in_rounds, ladders
    )


def at_level(stretch: tuple[str, ...], level: str) -> tuple[str, ...]:
    """What a stretch is called at a level of a ladder: `Open draft · ends 400`."""
    return (f"{stretch[0]} · {level}", *stretch[1:]) if level else stretch


class _Gathered:
    """What was read of one metric of one stretch, by how its runs count and by variant."""

    __slots__ = ("cold", "left_out", "warm", "warnings")

    def __init__(self, variants: int) -> None:
        self.warm: list[list[Sample]] = [[] for _ in range(variants)]
        self.cold: list[list[Sample]] = [[] for _ in range(variants)]
        self.left_out: list[list[Sample]] = [[] for _ in range(variants)]
        self.warnings: dict[str, None] = {}


def _rows(runs: list[JudgedRun], variants: int, terms: Terms) -> list[Row]:
    """What was read, by stretch in the order of the session, then by metric; nothing compared."""
    found: dict[tuple[str, ...], dict[str, _Gathered]] = {}
    for run in runs:
        part = "left_out" if run.left_out else "cold" if run.cold else "warm"
        finished = run.outcome == FINISHED
        for reading in run.readings:
            metrics = found.setdefault(at_level(reading.stretch, run.level), {})
            gathered = metrics.get(reading.metric)
            if gathered is None:
                gathered = metrics[reading.metric] = _Gathered(variants)
            if finished or reading.longer_than:
                unsure = reading.plus_minus if run.by_hand else 0.0
                sample = Sample(
                    run.run, run.round, reading.value, reading.longer_than, run.rig, unsure
                )
                getattr(gathered, part)[run.variant].append(sample)
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
    medians = [_median(side) for side in gathered.warm]
    return Row(
        stretch,
        metric,
        _frozen(gathered.warm),
        tuple(value for value, _ in medians),
        (None,) * len(gathered.warm),
        "",
        tuple(gathered.warnings),
        _frozen(gathered.cold),
        _frozen(gathered.left_out),
        tuple(longer for _, longer in medians),
    )


def _frozen(sides: list[list[Sample]]) -> tuple[tuple[Sample, ...], ...]:
    return tuple(tuple(side) for side in sides)


def _median(side: Sequence[Sample]) -> tuple[float | None, bool]:
    """Median of a side, and whether all that is known of it is that it is longer than that."""
    if not side:
        return None, False
    ordered = sorted(side, key=lambda sample: (sample.longer_than, sample.value))
    middle = len(ordered) // 2
    if len(ordered) % 2:
        return ordered[middle].value, ordered[middle].longer_than
    left, right = ordered[middle - 1], ordered[middle]
    return (left.value + right.value) / 2, right.longer_than


def _compared(
    rows: list[Row], baseline: int, candidate: int, in_rounds: bool, alpha: float, doubt: str | None
) -> list[Row]:
    """The rows with their differences of one candidate."""
    able = [
        place
        for place, row in enumerate(rows)
        if row.metric.judged and row.samples[baseline] and row.samples[candidate]
    ]
    found = compare_all(
        [rows[place].metric for place in able],
        [rows[place].samples[baseline] for place in able],
        [rows[place].samples[candidate] for place in able],
        in_rounds=in_rounds,
        alpha=alpha,
    )
    result = list(rows)
    for place, difference in zip(able, found, strict=True):
        if doubt:
            difference = replace(difference, reservations=(*difference.reservations, doubt))
        known = list(rows[place].differences)
        known[candidate] = difference
        result[place] = replace(rows[place], differences=tuple(known))
    return result


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
    """Benjamini-Hochberg over all differences of the study."""
    tests = [d.p for row in rows for d in row.differences if d is not None and d.p == d.p]
    stands = iter(benjamini_hochberg(tests, alpha))
    result = []
    for row in rows:
        judged: list[Difference | None] = []
        for difference in row.differences:
            if difference is not None and difference.p == difference.p:
                holds = next(stands)
                if difference.verdict in (AHEAD, BEHIND) and not holds:
                    difference = replace(
                        difference,
                        verdict=OPEN,
                        reservations=(*difference.reservations, ONLY_BY_CORRECTION),
                    )
            judged.append(difference)
        result.append(replace(row, differences=tuple(judged)))
    return result


def _counts(rows: list[Row], index: int) -> dict[str, int]:
    found = dict.fromkeys((AHEAD, BEHIND, LEVEL, OPEN), 0)
    for row in rows:
        difference = row.differences[index]
        if difference is not None:
            found[difference.verdict] += 1
    return found


def standout(rows: list[Row], index: int, verdict: str) -> Row | None:
    """The row in which a candidate is furthest ahead or behind, main metrics first."""
    found = [(row, d) for row in rows if (d := row.differences[index]) and d.verdict == verdict]
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
    if difference.percent_words:
        return f"{difference.percent_words}, {difference.factor_words}"
    return difference.change_words


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
        held = sum(bool(d and d.held) for d in (row.differences[index] for row in rows))
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
