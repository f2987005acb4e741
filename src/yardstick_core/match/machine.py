"""Facts of the machine that are not the same in all runs: each graded by what it is and where."""

from __future__ import annotations

from collections.abc import Sequence
from statistics import mean, median
from typing import Any

from yardstick_core.match.facts import (
    BREAKS,
    GRADES,
    HARMLESS,
    NOT_RUNNING,
    UNKNOWN,
    WORD,
    Fact,
    in_text,
    is_known,
)
from yardstick_core.match.sheet import (
    MACHINE,
    ChangePoint,
    Mismatch,
    RunConditions,
    by_variant,
    change_points_of,
    format_value,
    mismatched_rounds,
    rounds_in_text,
    sentence_of,
    where,
)

FEWEST_ON_A_SIDE = 3
#: A program ran beside one side only where its share of the runs differs by so much.
ONE_SIDED = 0.5


def machine_mismatch(
    fact: Fact, values: list[Any], runs: list[RunConditions], variants: Sequence[str], baseline: int
) -> Mismatch | None:
    """What is to say of one fact, found in the runs as `values`; None where it was the same."""
    numeric = fact.tolerance > 0 and all(
        isinstance(value, (int, float)) for value in values if is_known(value)
    )
    if numeric and fact.passing:
        return _passing_number(fact, values, runs, variants, baseline)
    levels = _levels(values, fact.tolerance) if numeric else values
    if len({format_value(fact.key, value) for value in levels}) < 2:
        return None
    if fact.key.startswith("programs."):
        return _program(fact, levels, runs, variants, baseline)
    mixed, shared = mismatched_rounds(levels, runs, baseline)
    touched = tuple(sorted(mixed))
    rounds = tuple(sorted({number for numbers in mixed.values() for number in numbers}))
    most = max((len(mixed[i]) / shared[i] for i in touched), default=0.0)
    places = change_points_of(fact.key, levels, runs, apart=most >= 0.5)
    if len({str(value) for value in levels if is_known(value)}) == 1 and UNKNOWN in levels:
        grade = WORD if most and fact.grade != HARMLESS else HARMLESS
        how = "is not known of all runs"
    elif most >= 0.5:
        grade, how = fact.grade, "differs between the variants"
    elif most > 0:
        grade = HARMLESS if fact.passing else max(fact.grade, WORD, key=GRADES.index)
        how = f"differs between the variants in {rounds_in_text(rounds)}"
    else:
        grade = HARMLESS if fact.passing or fact.grade != BREAKS else WORD
        how = f"changed {where(places)}, for all variants alike"
    return _mismatch(fact, grade, how, levels, runs, variants, touched, rounds, places)


def _program(
    fact: Fact, values: list[Any], runs: list[RunConditions], variants: Sequence[str], baseline: int
) -> Mismatch:
    """A program that ran beside some runs; it weighs where it did so far more for one side."""
    sides: dict[int, list[bool]] = {}
    for run, value in zip(runs, values, strict=True):
        sides.setdefault(run.variant, []).append(value != NOT_RUNNING)
    base = sides.get(baseline, [])
    touched = tuple(
        index
        for index, side in sorted(sides.items())
        if base and index != baseline and abs(mean(side) - mean(base)) >= ONE_SIDED
    )
    places = change_points_of(fact.key, values, runs, apart=bool(touched))
    if touched:
        how = "differs between the variants"
    else:
        how = f"changed {where(places)}" if len(places) == 1 else "came and went"
    grade = fact.grade if touched else HARMLESS
    return _mismatch(fact, grade, how, values, runs, variants, touched, (), places)


def _levels(values: list[Any], tolerance: float) -> list[Any]:
    """Numbers that lie within the tolerance of an earlier one are taken for the same."""
    known: list[float] = []
    found: list[Any] = []
    for value in values:
        if not is_known(value):
            found.append(UNKNOWN)
            continue
        like = next((level for level in known if abs(level - value) <= tolerance), None)
        if like is None:
            known.append(value)
        found.append(value if like is None else like)
    return found


def _passing_number(
    fact: Fact, values: list[Any], runs: list[RunConditions], variants: Sequence[str], baseline: int
) -> Mismatch | None:
    """A number that wavers: held by its medians, per variant and before and after each moment."""
    known = [(run, float(v)) for run, v in zip(runs, values, strict=True) if is_known(v)]
    sides: dict[int, list[float]] = {}
    for run, value in known:
        sides.setdefault(run.variant, []).append(value)
    base = sides.get(baseline)
    touched = tuple(
        index
        for index, side in sorted(sides.items())
        if base and index != baseline and abs(median(side) - median(base)) > fact.tolerance
    )
    place = _step(fact, known)
    if not touched and place is None:
        return None
    grade = fact.grade if touched else HARMLESS
    how = "differs between the variants" if touched else f"changed {where((place,))}"
    medians = tuple(
        ((f"about {in_text(fact.key, median(sides[i]))}", len(sides[i])),) if i in sides else ()
        for i in range(len(variants))
    )
    return Mismatch(
        fact.key, fact.name, MACHINE, grade, medians, fact.caused,
        *sentence_of(fact.name, how, medians, variants), touched,
        places=(place,) if place else (), families=fact.touches,
    )  # fmt: skip


def _step(fact: Fact, known: list[tuple[RunConditions, float]]) -> ChangePoint | None:
    """Where two levels fit the values best (least absolute deviations), if their medians are
    further apart than twice the tolerance.
    """
    best: tuple[float, int] | None = None
    values = [value for _, value in known]
    for cut in range(FEWEST_ON_A_SIDE, len(values) - FEWEST_ON_A_SIDE + 1):
        before, after = median(values[:cut]), median(values[cut:])
        left = sum(abs(v - before) for v in values[:cut])
        misfit = left + sum(abs(v - after) for v in values[cut:])
        if abs(before - after) > 2 * fact.tolerance and (best is None or misfit < best[0]):
            best = (misfit, cut)
    if best is None:
        return None
    cut = best[1]
    last, first = known[cut - 1][0], known[cut][0]
    return ChangePoint(
        last.run, first.run, last.round, first.round,
        f"about {in_text(fact.key, median(values[:cut]))}",
        f"about {in_text(fact.key, median(values[cut:]))}",
    )  # fmt: skip


def _mismatch(
    fact: Fact,
    grade: str,
    how: str,
    values: list[Any],
    runs: list[RunConditions],
    variants: Sequence[str],
    touched: tuple[int, ...],
    rounds: tuple[int, ...],
    places: tuple[ChangePoint, ...],
) -> Mismatch:
    held = by_variant(fact.key, values, runs, len(variants))
    return Mismatch(
        fact.key, fact.name, MACHINE, grade, held, fact.caused,
        *sentence_of(fact.name, how, held, variants), touched, rounds, places, fact.touches,
    )  # fmt: skip
