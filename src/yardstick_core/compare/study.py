"""Judges a study: every metric of every stretch, every candidate against the baseline."""

from __future__ import annotations

import math
from collections.abc import Collection, Iterable, Sequence
from dataclasses import dataclass, replace
from typing import Protocol

from yardstick_core.compare import text
from yardstick_core.compare.difference import (
    FUTILITY,
    MORE_RUNS,
    NO_INTERVAL,
    Difference,
    compare_all,
)
from yardstick_core.compare.endings import failing, unfinished
from yardstick_core.compare.estimate import Sample
from yardstick_core.compare.ladder_text import LadderReading, ladder_readings
from yardstick_core.compare.materiality import MaterialityRules, MetricOfStretch
from yardstick_core.compare.moved import moved_work
from yardstick_core.compare.multiplicity import DECIDING, MAIN, OTHER, DifferenceTest, stands
from yardstick_core.compare.notes import inconclusive_notes, mixed_rig_exclusions, same_start
from yardstick_core.compare.rows import (
    Row,
    gather_rows,
    label,
    median,
    qualified_label,
    with_family_roles,
)
from yardstick_core.compare.runs import JudgedRun
from yardstick_core.compare.verdict import AHEAD, BEHIND, LEVEL, OPEN
from yardstick_core.readings.metric import Metric

ONLY_BY_CORRECTION = "clear by itself, but not after allowing for how many metrics were looked at"
CANNOT_BE_JUDGED = "cannot_be_judged"


class Caveat(Protocol):
    """Something that was not alike in the runs of a candidate and of the baseline."""

    @property
    def text(self) -> str: ...

    @property
    def grave(self) -> bool: ...

    def concerns(self, candidate: int, metric: str) -> bool: ...


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
    #: Candidates that surely crash, hang or fail more often than the baseline.
    failing: tuple[int, ...] = ()
    #: Of each variant how its warm runs ended where none of them finished; else empty.
    unfinished: tuple[str, ...] = ()

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
    terms: MaterialityRules | None = None,
    parity_caveats: Sequence[Caveat] = (),
    deciding: Collection[MetricOfStretch] = (),
    compared_rounds: Collection[int] | None = None,
) -> Judgement:
    """Judge all runs of a study; `variants` are their names, `baseline` the index of one.

    `parity_caveats` is what stands beside verdicts because the runs were not measured alike.
    `deciding` are the metrics the question is about; where none is named, all main ones come first
    alike.
    Differences rest on `compared_rounds` alone where these are given: between two looks of a plan
    nothing new is concluded. Runs of no round are always compared.
    """
    terms = terms or MaterialityRules()
    rows = with_family_roles(gather_rows(runs, len(variants), terms), terms, deciding)
    excluded = mixed_rig_exclusions(runs, variants, baseline)
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
        [_withhold(row, excluded) for row in _corrected(rows, alpha)]
        if excluded
        else _corrected(rows, alpha)
    )
    rows = [_with_caveats(row, parity_caveats) for row in rows] if parity_caveats else rows
    rows = [replace(row, sentence=_sentence(row, variants, baseline)) for row in rows]
    counts = tuple(_counts(rows, index) for index in range(len(variants)))
    missing = _without_reading(rows, len(variants))
    notes = [
        *inconclusive_notes(runs, variants, baseline, missing, alpha),
        *moved_work(rows, variants, baseline),
    ]
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
        (*excluded.values(), *notes),
        alpha,
        in_rounds,
        ladders,
        None if compared_rounds is None else tuple(compared_rounds),
        failing(runs, len(variants), baseline, alpha),
        unfinished(runs, variants),
    )


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
        found = [replace(d, caveats=(*d.caveats, doubt)) for d in found]
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
        median(a)[0] or 0.0,
        median(b)[0] or 0.0,
        len(a),
        len(b),
        caveats=(f"these readings cannot be judged: {problem}",),
        undecided=CANNOT_BE_JUDGED,
    )


def _withhold(row: Row, excluded: dict[int, str]) -> Row:
    """No verdict where something else than the factor differs, whatever the numbers say."""
    differences = [
        replace(
            d,
            verdict=OPEN,
            verdict_withheld=True,
            runs_to_decide=None,
            caveats=(excluded[index], *d.caveats),
        )
        if d is not None and index in excluded
        else d
        for index, d in enumerate(row.differences)
    ]
    return replace(row, differences=tuple(differences))


def _with_caveats(row: Row, parity_caveats: Sequence[Caveat]) -> Row:
    """Put beside each verdict what was not alike; what is grave holds the verdict back."""
    differences = list(row.differences)
    for index, difference in enumerate(differences):
        if difference is None:
            continue
        concerned = [touch for touch in parity_caveats if touch.concerns(index, row.metric.key)]
        concerned.sort(key=lambda touch: not touch.grave)
        said = tuple(touch.text for touch in concerned)
        difference = replace(difference, caveats=(*said, *difference.caveats))
        if any(touch.grave for touch in concerned):
            difference = replace(
                difference, verdict=OPEN, verdict_withheld=True, runs_to_decide=None
            )
        differences[index] = difference
    return replace(row, differences=tuple(differences))


def is_withheld(row: Row, candidate: int | None = None) -> bool:
    """Whether a verdict of a row is held back: that on one candidate, or on any."""
    differences = row.differences if candidate is None else (row.differences[candidate],)
    return any(difference is not None and difference.verdict_withheld for difference in differences)


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
            caveats=(*difference.caveats, ONLY_BY_CORRECTION),
        )
        result[place] = replace(result[place], differences=tuple(known))
    return result


def step_of(row: Row) -> int:
    """Which of those that are looked at it is tested with (`multiplicity`)."""
    return DECIDING if row.deciding else MAIN if row.metric.primary and row.counted else OTHER


def _test(row: Row, candidate: int, difference: Difference) -> DifferenceTest:
    matters = abs(difference.gain) >= difference.band
    p = difference.p if matters else 1.0
    return DifferenceTest(step_of(row), candidate, p, difference.verdict == LEVEL)


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


def _is_further(row: Row, than: Row, index: int) -> bool:
    """Whether a candidate is behind in a row by more than in another."""
    one, other = row.differences[index], than.differences[index]
    return bool(one and other and one.verdict == BEHIND and abs(one.gain) > abs(other.gain))


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
    return longer + text.quantity(row.metric, value)


def _shown(difference: Difference) -> str:
    """What one difference shows, in a few words."""
    if difference.method == NO_INTERVAL:
        return difference.caveats[-1]
    if difference.verdict_withheld:
        return "no verdict, for the runs were not measured alike"
    if difference.verdict == LEVEL:
        return "any difference is too small to matter"
    if difference.verdict == OPEN and not difference.perhaps_immaterial:
        return "not known well enough to say which is better"
    perhaps = ", perhaps too little to matter" if difference.verdict == OPEN else ""
    # the interval first: after a verdict its middle is more often too large than too small
    if difference.percent_text:
        told = f"{difference.percent_text}, {difference.factor_text}"
        return f"{difference.range_text} ({told}){perhaps}"
    return f"{difference.interval_text} ({difference.change_text}){perhaps}"


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
        parts.append(f"{variants[index]} is {_headline_part(rows, index, count, total)}")
    return "; ".join(parts)


def _headline_part(rows: list[Row], index: int, count: dict[str, int], total: int) -> str:
    if not count[AHEAD] and not count[BEHIND]:
        if count[LEVEL] > total / 2:
            return f"level on {count[LEVEL]} of {total}"
        held = sum(
            bool(d and d.verdict_withheld)
            for d in (row.differences[index] for row in rows if row.counted)
        )
        if held:
            return f"held back on {held} of {total}: the runs were not measured alike"
        still = [d for d in (row.differences[index] for row in rows if row.counted) if d]
        futile = all(d.undecided in FUTILITY for d in still if d.verdict == OPEN)
        tell = "no sensible number of rounds would tell" if futile else "more rounds would tell"
        return f"open on {count[OPEN]} of {total}: {tell}"
    sentence = f"ahead on {count[AHEAD] or 'none'} of {total}"
    if not count[BEHIND]:
        return sentence + ", behind on none"
    worst = standout(rows, index, BEHIND)
    if worst is None:
        return sentence
    others = [row for row in rows if row.counted and row is not worst]
    further = any(_is_further(row, worst, index) for row in others)
    where = ":" if count[BEHIND] == 1 else ", among them" if further else ", furthest in"
    return f"{sentence}, behind on {count[BEHIND]}{where} {qualified_label(worst)}"
