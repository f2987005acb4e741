"""Judges a study: every metric of every stretch, every candidate against the baseline."""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np

from yardstick_core.compare import words
from yardstick_core.compare.difference import NO_INTERVAL, Difference, Sample, compare
from yardstick_core.compare.verdict import (
    AHEAD,
    BEHIND,
    LEVEL,
    OPEN,
    benjamini_hochberg,
)
from yardstick_core.readings.derive import WHOLE, Reading
from yardstick_core.readings.metric import METRICS, Metric
from yardstick_core.record import FINISHED

ONLY_BY_CORRECTION = "clear by itself, but not after allowing for how many metrics were looked at"


@dataclass(frozen=True, slots=True)
class JudgedRun:
    """A run with its readings; `variant` is its position in the study."""

    run: int
    variant: int
    round: int
    cold: bool
    outcome: str
    readings: tuple[Reading, ...]


@dataclass(frozen=True, slots=True)
class Row:
    """One metric of one stretch: samples per variant in the order taken, and the differences."""

    stretch: tuple[str, ...]
    metric: Metric
    samples: tuple[tuple[Sample, ...], ...]
    medians: tuple[float | None, ...]
    differences: tuple[Difference | None, ...]
    sentence: str
    warnings: tuple[str, ...] = ()


@dataclass(frozen=True, slots=True)
class Judgement:
    """All rows of a study and its answer in a sentence."""

    rows: tuple[Row, ...]
    headline: str
    #: For each candidate, how many metrics got each verdict.
    counts: tuple[dict[str, int], ...]


def judge(
    runs: list[JudgedRun],
    variants: list[str],
    baseline: int = 0,
    *,
    in_rounds: bool = True,
    alpha: float = 0.05,
) -> Judgement:
    """Judge all runs of a study; `variants` are their names, `baseline` the index of one."""
    read = _what_was_read([run for run in runs if not run.cold])
    rows = [
        _row(METRICS[key], stretch, found, len(variants), baseline, in_rounds, alpha)
        for (stretch, key), found in read.items()
    ]
    rows = _corrected(rows, alpha)
    rows = [replace(row, sentence=_sentence(row, variants, baseline)) for row in rows]
    counts = tuple(_counts(rows, index) for index in range(len(variants)))
    return Judgement(tuple(rows), _headline(rows, counts, variants, baseline), counts)


_Read = dict[tuple[tuple[str, ...], str], list[tuple[JudgedRun, Reading]]]


def _what_was_read(runs: list[JudgedRun]) -> _Read:
    """Readings with their runs, by stretch and metric, stretches in the order of the session."""
    stretches: dict[tuple[str, ...], _Read] = {}
    for run in runs:
        for reading in run.readings:
            key = (reading.stretch, reading.metric)
            stretches.setdefault(reading.stretch, {}).setdefault(key, []).append((run, reading))
    whole = stretches.pop((WHOLE,), {})
    found: _Read = {}
    for part in (*stretches.values(), whole):
        found |= part
    return found


def _row(
    metric: Metric,
    stretch: tuple[str, ...],
    read: list[tuple[JudgedRun, Reading]],
    variants: int,
    baseline: int,
    in_rounds: bool,
    alpha: float,
) -> Row:
    samples: list[list[Sample]] = [[] for _ in range(variants)]
    warnings: dict[str, None] = {}
    for run, reading in read:
        if run.outcome != FINISHED and not reading.longer_than:
            continue
        samples[run.variant].append(Sample(run.run, run.round, reading.value, reading.longer_than))
        if reading.warning:
            warnings.setdefault(reading.warning)
    differences: list[Difference | None] = [
        compare(metric, samples[baseline], side, in_rounds=in_rounds, alpha=alpha)
        if metric.judged and index != baseline and side and samples[baseline]
        else None
        for index, side in enumerate(samples)
    ]
    medians = tuple(float(np.median([s.value for s in side])) if side else None for side in samples)
    return Row(
        stretch, metric, tuple(tuple(side) for side in samples), medians, tuple(differences), "",
        tuple(warnings),
    )  # fmt: skip


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
    if row.metric.key == "duration":
        return row.stretch[-1]
    return row.metric.name


def _sentence(row: Row, variants: list[str], baseline: int) -> str:
    """The row's answer in words: the baseline's reading, then what each candidate shows."""
    base = row.medians[baseline]
    if base is None:
        return f"There is no reading of {variants[baseline]} to compare with."
    parts = [f"{label(row)} is {words.quantity(row.metric, base)} in {variants[baseline]}"]
    for index, difference in enumerate(row.differences):
        reading = row.medians[index]
        if difference is not None and reading is not None:
            value = words.quantity(row.metric, reading)
            parts.append(f"in {variants[index]} it is {value}: {_shown(difference)}")
    return "; ".join(parts) + "."


def _shown(difference: Difference) -> str:
    """What one difference shows, in a few words."""
    if difference.method == NO_INTERVAL:
        return difference.reservations[-1]
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
        return f"open on {count[OPEN]} of {total}: more rounds would tell"
    text = f"ahead on {count[AHEAD]} of {total}"
    if not count[BEHIND]:
        return text + ", behind on none"
    worst = standout(rows, index, BEHIND)
    if worst is None:
        return text
    where = f"{label(worst)} in {worst.stretch[0]}" if len(worst.stretch) > 1 else ""
    return f"{text}, behind on {count[BEHIND]}: most in {where or label(worst)}"
