"""Two crossed factors: what each does at every level of the other, and whether one number will do.

All contrasts are taken within rounds, so that what a round shares cancels. An interaction is the
ratio of two ratios (on logs: a difference of differences), judged by the same rules as any other
difference; of several at once each is told at its part of the level (Bonferroni). Limits from the
joint distribution of all (max-t) would be 1 to 3 % narrower (docs/decisions/0036).

Of several metrics, what is clear by itself must stand among all that were looked at
(`crossed_together`), as on the board.
"""

from __future__ import annotations

import math
from collections import Counter
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace

from yardstick_core.compare import text
from yardstick_core.compare.estimate import Estimate, Sample, estimates
from yardstick_core.compare.multiplicity import DECIDING, DifferenceTest, stands
from yardstick_core.compare.verdict import LEVEL, OPEN, decide, runs_to_decide
from yardstick_core.readings.metric import Metric

ONE_NUMBER, READ_CELLS, NOT_KNOWN = "one number", "read the cells", "not known yet"
MISSING_CELLS = "cells missing"

#: Level of the first factor (row) and of the second (column).
Place = tuple[int, int]
Cells = Mapping[Place, Sequence[Sample]]


def cells_problem(variants: Sequence[tuple[str, str]], missing: Sequence[tuple[str, str]]) -> str:
    """Why levels of two factors make no cells, in words; empty where they do.

    `variants` has both levels of each variant, or none; `missing` those of cells without one.
    """
    if any(bool(first) != bool(second) for first, second in variants):
        return "a variant has a level of both factors, or of none"
    taken = Counter([cell for cell in variants if cell[0]] + list(missing))
    twice = [cell for cell, times in taken.items() if times > 1]
    if twice:
        first, second = twice[0]
        return f"the cell of {first} and {second} is said twice"
    return ""


@dataclass(frozen=True, slots=True)
class CrossedMetric:
    """The cells of a metric, and its step among those that are looked at (`multiplicity`)."""

    metric: Metric
    cells: Cells
    step: int = DECIDING


@dataclass(frozen=True, slots=True)
class Effect:
    """One cell held against another that differs from it in one factor only."""

    baseline: Place
    candidate: Place
    estimate: Estimate
    stands: bool = True

    @property
    def verdict(self) -> str:
        return _verdict(self.estimate, self.stands)


@dataclass(frozen=True, slots=True)
class Interaction:
    """How the second factor's step to `column` does at `row` what it does not at `base_row`.

    Its gain is on the scale of judgement: positive where the step helps `row` more. One that does
    not stand is clear by itself, and not among all that were looked at.
    """

    row: int
    base_row: int
    column: int
    base_column: int
    estimate: Estimate
    rounds_to_decide: int | None = None
    stands: bool = True

    @property
    def verdict(self) -> str:
        return _verdict(self.estimate, self.stands)


@dataclass(frozen=True, slots=True)
class MainEffect:
    """A step of the second factor over all rows at once, only where it is one number."""

    column: int
    base_column: int
    rows: tuple[int, ...]
    answer: str
    estimate: Estimate | None
    rounds_to_decide: int | None = None


@dataclass(frozen=True, slots=True)
class Crossed:
    """What a metric says of two factors; effects along rows, along columns, and where they meet."""

    metric: Metric
    along_columns: tuple[Effect, ...]
    along_rows: tuple[Effect, ...]
    interactions: tuple[Interaction, ...]
    main: tuple[MainEffect, ...]
    missing: tuple[Place, ...]


def crossed(
    metric: Metric, cells: Cells, rows: int, columns: int, base: Place = (0, 0),
    alpha: float = 0.05,
) -> Crossed:  # fmt: skip
    """What the cells of one metric show by itself (`crossed_together`)."""
    return crossed_together([CrossedMetric(metric, cells)], rows, columns, base, alpha)[0]


def _there(cells: Cells) -> dict[Place, Sequence[Sample]]:
    """The cells that have readings; those without are left out of what they touch."""
    return {place: list(side) for place, side in cells.items() if side}


def _crossed(one: CrossedMetric, rows: int, columns: int, base: Place, alpha: float) -> Crossed:
    """What the cells of a metric show before it is known how many were looked at."""
    metric, there = one.metric, _there(one.cells)
    other_rows = [row for row in range(rows) if row != base[0]]
    other_columns = [column for column in range(columns) if column != base[1]]
    along_columns = [
        Effect((row, base[1]), (row, column), found)
        for row in range(rows)
        for column in other_columns
        if (found := _between(metric, there, (row, base[1]), (row, column), alpha)) is not None
    ]
    along_rows = [
        Effect((base[0], column), (row, column), found)
        for column in range(columns)
        for row in other_rows
        if (found := _between(metric, there, (base[0], column), (row, column), alpha)) is not None
    ]
    whole = {column: _whole_rows(there, rows, base, column) for column in other_columns}
    part = alpha / max(1, sum(len(own) - 1 for own in whole.values() if own))
    interactions = [
        _interaction(metric, there, (row, column), (own[0], base[1]), part)
        for column, own in whole.items()
        for row in own[1:]
    ]
    return Crossed(
        metric, tuple(along_columns), tuple(along_rows), tuple(interactions),
        tuple(_main(metric, there, own, column, base[1], interactions, alpha)
              for column, own in whole.items()),
        tuple((r, c) for r in range(rows) for c in range(columns) if (r, c) not in there),
    )  # fmt: skip


def _whole_rows(there: Cells, rows: int, base: Place, column: int) -> tuple[int, ...]:
    """The rows that have both cells of a column's step; the baseline's first, where it has."""
    order = [base[0], *(row for row in range(rows) if row != base[0])]
    return tuple(row for row in order if (row, base[1]) in there and (row, column) in there)


def _between(
    metric: Metric, there: Cells, first: Place, second: Place, alpha: float
) -> Estimate | None:
    if first not in there or second not in there:
        return None
    return estimates([metric], [there[first]], [there[second]], in_rounds=True, alpha=alpha)[0]


def _interaction(
    metric: Metric, there: Cells, place: Place, base: Place, alpha: float
) -> Interaction:
    """The step from the base column, at one row, against the same step at the base row."""
    (row, column), (base_row, base_column) = place, base
    on_logs = _on_logs(metric, there)
    at_base = _steps(there[base_row, base_column], there[base_row, column], on_logs)
    at_row = _steps(there[row, base_column], there[row, column], on_logs)
    if not at_base or not at_row:
        found = Estimate(metric, on_logs, math.nan, math.nan, len(at_base), len(at_row))
    else:
        found = estimates([_of_steps(metric)], [at_base], [at_row], in_rounds=True, alpha=alpha)[0]
        found = replace(found, band=_band(metric, there, found))
    advice = None
    if found.gain is not None and _verdict(found) == OPEN:
        fewest = min(len(at_base), len(at_row))
        advice = runs_to_decide(found.gain, found.band, fewest, alpha)
    return Interaction(row, base_row, column, base_column, found, advice)


def _on_logs(metric: Metric, there: Cells) -> bool:
    return metric.on_logs and all(one.value > 0 for side in there.values() for one in side)


def _of_steps(metric: Metric) -> Metric:
    """The metric that steps are of: no amount of it by itself matters, only its share."""
    return replace(metric, material_amount=metric.material_amount if not metric.on_logs else 0.0)


def _band(metric: Metric, there: Cells, found: Estimate) -> float:
    """The largest interaction too small to matter: as for any difference of the metric."""
    if found.on_logs:
        return math.log1p(metric.material_share)
    if metric.unit == "%":
        return metric.material_amount
    largest = max(abs(one.value) for side in there.values() for one in side)
    return max(metric.material_amount, metric.material_share * largest)


def _steps(first: Sequence[Sample], second: Sequence[Sample], on_logs: bool) -> list[Sample]:
    """Of each round what the second is of the first: a ratio on logs, else a difference."""
    known = {one.round: one for one in first}
    return [
        one._replace(
            value=one.value / known[one.round].value
            if on_logs
            else one.value - known[one.round].value,
            right_censored=one.right_censored or known[one.round].right_censored,
        )
        for one in second
        if one.round in known
    ]


def _main(
    metric: Metric, there: Cells, whole: tuple[int, ...], column: int, base_column: int,
    interactions: Sequence[Interaction], alpha: float,
) -> MainEffect:  # fmt: skip
    """Whether a column's step is one number for all rows that have it, and then which."""
    own = [one for one in interactions if one.column == column]
    if len(whole) < 2:
        return MainEffect(column, base_column, whole, MISSING_CELLS, None)
    verdicts = [one.verdict for one in own]
    if any(verdict not in (LEVEL, OPEN) for verdict in verdicts):
        return MainEffect(column, base_column, whole, READ_CELLS, None)
    if any(verdict == OPEN for verdict in verdicts):
        known = [one.rounds_to_decide for one in own if one.verdict == OPEN]
        most = None if None in known else max(one for one in known if one is not None)
        return MainEffect(column, base_column, whole, NOT_KNOWN, None, most)
    on_logs = _on_logs(metric, there)
    sides = [_over_rows(there, whole, at, on_logs) for at in (base_column, column)]
    found = estimates([metric], [sides[0]], [sides[1]], in_rounds=True, alpha=alpha)[0]
    return MainEffect(column, base_column, whole, ONE_NUMBER, found)


def _over_rows(there: Cells, rows: Sequence[int], column: int, on_logs: bool) -> list[Sample]:
    """Of each round that holds all rows their mean, geometric on logs."""
    held = [{one.round: one for one in there[row, column]} for row in rows]
    whole = sorted(set.intersection(*(set(one) for one in held)))
    found = []
    for turn in whole:
        values = [one[turn].value for one in held]
        mean = (
            math.exp(sum(map(math.log, values)) / len(values))
            if on_logs
            else sum(values) / len(values)
        )
        censored = any(one[turn].right_censored for one in held)
        found.append(held[0][turn]._replace(value=mean, right_censored=censored))
    return found


def _verdict(found: Estimate, stays: bool = True) -> str:
    if found.gain is None:
        return OPEN
    verdict = decide(found.gain, found.band)
    return verdict if stays or verdict == LEVEL else OPEN


# -- of several metrics ------------------------------------------------------------------


def crossed_together(
    metrics: Sequence[CrossedMetric], rows: int, columns: int, base: Place = (0, 0),
    alpha: float = 0.05,
) -> list[Crossed]:  # fmt: skip
    """What the cells of several metrics show; no difference is told that is chance among so many.

    Whether a metric has an interaction at all is one test, at the best of its own; effects between
    cells of which none is the baseline are tested each. What they have against it is the board's.
    """
    found = [_crossed(one, rows, columns, base, alpha) for one in metrics]
    meet = stands([_interacts(one, own) for one, own in zip(metrics, found, strict=True)], alpha)
    apart = [
        [_differs(one.step, place, effect) for place, effect in _off_base(own, base)]
        for one, own in zip(metrics, found, strict=True)
    ]
    hold = iter(stands([test for own in apart for test in own], alpha))
    return [
        _corrected(one, own, base, meets, [next(hold) for _ in tests], alpha)
        for one, own, meets, tests in zip(metrics, found, meet, apart, strict=True)
    ]


def _interacts(one: CrossedMetric, found: Crossed) -> DifferenceTest:
    tests = [_p(each.estimate) for each in found.interactions]
    level = all(each.verdict == LEVEL for each in found.interactions)
    return DifferenceTest(one.step, 0, min([1.0, *(p * len(tests) for p in tests)]), level)


def _differs(step: int, place: int, effect: Effect) -> DifferenceTest:
    return DifferenceTest(step, place, _p(effect.estimate), effect.verdict == LEVEL)


def _p(found: Estimate) -> float:
    """1 where there is no interval, and for what is too small to matter."""
    gain = found.gain
    return 1.0 if gain is None or not abs(gain.estimate) >= found.band else gain.p


def _off_base(found: Crossed, base: Place) -> list[tuple[int, Effect]]:
    """Effects between cells of which none is the baseline, each with its place among all."""
    every = (*found.along_columns, *found.along_rows)
    return [(place, one) for place, one in enumerate(every) if one.baseline != base]


def _corrected(
    one: CrossedMetric, found: Crossed, base: Place, interacts: bool, holds: Sequence[bool],
    alpha: float,
) -> Crossed:  # fmt: skip
    """The same with what does not stand said to be open, and what follows from it."""
    fallen = {place for (place, _), stays in zip(_off_base(found, base), holds, strict=True)
              if not stays}  # fmt: skip
    along = [
        replace(effect, stands=place not in fallen)
        for place, effect in enumerate((*found.along_columns, *found.along_rows))
    ]
    interactions = [replace(each, stands=interacts) for each in found.interactions]
    there = _there(one.cells)
    main = [
        _main(one.metric, there, each.rows, each.column, each.base_column, interactions, alpha)
        for each in found.main
    ]
    split = len(found.along_columns)
    return replace(
        found, along_columns=tuple(along[:split]), along_rows=tuple(along[split:]),
        interactions=tuple(interactions), main=tuple(main),
    )  # fmt: skip


# -- in words --------------------------------------------------------------------------


def change_of(metric: Metric, found: Estimate) -> str:
    """An effect with its interval: `18 % more (15 to 22)`; empty without one."""
    if found.gain is None or found.raw is None:
        return ""
    if not found.on_logs:
        limits = text.change_limits(metric, found.raw.low, found.raw.high)
        return f"{text.signed(metric, found.raw.estimate)} ({limits})"
    return text.ratio_with_limits(metric, *ratios(metric, found))


def ratios(metric: Metric, found: Estimate) -> tuple[float, float, float]:
    """Candidate over baseline with its limits, lower first, of an effect on logs."""
    assert found.gain is not None
    sign = 1 if metric.higher_is_better else -1
    ratio, one, other = (
        math.exp(sign * value) for value in (found.gain.estimate, found.gain.low, found.gain.high)
    )
    return ratio, min(one, other), max(one, other)


def interaction_words(one: Interaction, metric: Metric) -> str:
    """The interaction with its interval: `1.28 × (1.24 to 1.33)`; above 1 it helps the row more."""
    gain = one.estimate.gain
    if gain is None:
        return "no interval yet"
    if not one.estimate.on_logs:
        assert one.estimate.raw is not None
        limits = text.change_limits(metric, one.estimate.raw.low, one.estimate.raw.high)
        return f"{text.signed(metric, one.estimate.raw.estimate)} ({limits})"
    first, low, high = (
        text.significant(math.exp(value)) for value in (gain.estimate, gain.low, gain.high)
    )
    return f"{first}{text.THIN}× ({low} to {high})"


def in_words(found: Crossed, rows: Sequence[str], columns: Sequence[str], column: int) -> str:
    """What a step of the second factor does, in a sentence: at every row, or once for all.

    Where the cells must be read each row's own effect is said.
    """
    main = next(one for one in found.main if one.column == column)
    name = columns[column]
    if main.answer == MISSING_CELLS:
        return f"{name} was measured with fewer than two of {', '.join(rows)}: nothing crosses."
    if main.answer == ONE_NUMBER and main.estimate is not None:
        change = change_of(found.metric, main.estimate)
        if _verdict(main.estimate) == LEVEL:
            return f"{name} makes no difference that matters, in any of {_listed(rows, main)}."
        return f"{name}: {change}, alike in {_listed(rows, main)}."
    own = [
        f"{change_of(found.metric, one.estimate)} in {rows[one.candidate[0]]}"
        for one in found.along_columns
        if one.candidate[1] == column and change_of(found.metric, one.estimate)
    ]
    if main.answer == READ_CELLS:
        return f"{name}: {'; '.join(own)}. There is no one number for them: read the cells."
    return (
        f"Whether {name} does the same in {_listed(rows, main)} is not known yet: "
        f"{'; '.join(own) or 'no cell has an interval'}."
    )


def _listed(rows: Sequence[str], main: MainEffect) -> str:
    names = [rows[row] for row in main.rows]
    return " and ".join((", ".join(names[:-1]), names[-1])) if len(names) > 1 else names[0]
