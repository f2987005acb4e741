"""More than two variants: places with ties, points over metrics.

Source: Holm 1979, over the pairs of variants of one metric.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from itertools import combinations

from yardstick_core.compare.difference import NO_INTERVAL
from yardstick_core.compare.estimate import NO_EVENTS, Estimate, estimates
from yardstick_core.compare.rows import Row
from yardstick_core.compare.study import is_withheld
from yardstick_core.compare.verdict import AHEAD, BEHIND


@dataclass(frozen=True, slots=True)
class RankEntry:
    """A variant over the metrics chosen: its points (places summed, fewer is better)."""

    variant: int
    points: int
    firsts: int
    beats: tuple[int, ...]


@dataclass(frozen=True, slots=True)
class Ranking:
    """Places by row, one a variant; rows that cannot be ranked hold None.

    Ties are not transitive: two variants may share a place though a third separates them.
    """

    places: tuple[tuple[int, ...] | None, ...]
    standings: tuple[RankEntry, ...]


def ranking(
    rows: Sequence[Row], variants: int, baseline: int = 0, *, in_rounds: bool, alpha: float
) -> Ranking:
    """Place = 1 + number of variants that beat it.

    Against the baseline the verdict of the row says who beats whom, so that places and verdicts
    never disagree. Two candidates are held against one another where a verdict on some candidate
    of the row stands, and told apart by a Holm p below alpha and a gain that matters: where nobody
    differs from the baseline, nothing is left of the level to tell candidates apart with.

    A row is ranked where every candidate has an interval, and no verdict is held back.
    """
    beaten_by = [_against_baseline(row, variants, baseline) for row in rows]
    told_apart = [
        place for place, beats in enumerate(beaten_by) if beats is not None and any(beats)
    ]
    candidates = [index for index in range(variants) if index != baseline]
    pairs = list(combinations(candidates, 2))
    found = {
        (first, second): estimates(
            [rows[place].metric for place in told_apart],
            [rows[place].samples[first] for place in told_apart],
            [rows[place].samples[second] for place in told_apart],
            in_rounds=in_rounds,
            alpha=alpha,
        )
        for first, second in pairs
    }
    for number, place in enumerate(told_apart):
        beats = beaten_by[place]
        if beats is not None:
            _among_candidates(beats, {pair: found[pair][number] for pair in pairs}, alpha)
    places = tuple(
        None if beats is None else tuple(1 + len(better) for better in beats) for beats in beaten_by
    )
    ranked = [beats for beats in beaten_by if beats is not None]
    return Ranking(places, tuple(_rank_entry(v, ranked, variants) for v in range(variants)))


def _against_baseline(row: Row, variants: int, baseline: int) -> list[list[int]] | None:
    """For each variant, which ones beat it by the row's verdicts; None where it is not ranked."""
    if is_withheld(row) or not all(row.samples):
        return None
    beaten: list[list[int]] = [[] for _ in range(variants)]
    for index, difference in enumerate(row.differences):
        if index == baseline:
            continue
        if difference is None or (
            difference.method == NO_INTERVAL and difference.undecided != NO_EVENTS
        ):
            return None
        if difference.verdict == AHEAD:
            beaten[baseline].append(index)
        elif difference.verdict == BEHIND:
            beaten[index].append(baseline)
    return beaten


def _among_candidates(
    beaten: list[list[int]], pairs: dict[tuple[int, int], Estimate], alpha: float
) -> None:
    """Add who among the candidates beats whom."""
    tests = [
        (estimate.gain.p, pair, estimate)
        for pair, estimate in pairs.items()
        if estimate.gain is not None
    ]
    tests.sort(key=lambda test: test[0])
    largest = 0.0
    for number, (p, (first, second), estimate) in enumerate(tests):
        largest = max(largest, p * (len(tests) - number))
        gain = estimate.gain
        if gain is None or largest >= alpha or abs(gain.estimate) < estimate.band:
            continue
        if gain.contains(0):
            continue
        winner, loser = (second, first) if gain.estimate > 0 else (first, second)
        beaten[loser].append(winner)


def _rank_entry(variant: int, ranked: list[list[list[int]]], variants: int) -> RankEntry:
    wins = [0] * variants
    for beaten in ranked:
        for loser, winners in enumerate(beaten):
            wins[loser] += variant in winners
    return RankEntry(
        variant,
        sum(1 + len(beaten[variant]) for beaten in ranked),
        sum(not beaten[variant] for beaten in ranked),
        tuple(wins),
    )
