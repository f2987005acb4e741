"""More than two variants: places with ties, points over metrics.

Source: Holm 1979, over the pairs of variants of one metric.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from itertools import combinations

from yardstick_core.compare.estimate import Estimate, estimates
from yardstick_core.compare.study import Row, is_held


@dataclass(frozen=True, slots=True)
class Standing:
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
    standings: tuple[Standing, ...]


def ranking(rows: Sequence[Row], variants: int, *, in_rounds: bool, alpha: float) -> Ranking:
    """Place = 1 + number of variants that beat it: Holm p below alpha, and the gain matters.

    A row is ranked where every variant has readings, every pair an interval, and no verdict is held
    back.
    """
    able = [place for place, row in enumerate(rows) if all(row.samples) and not is_held(row)]
    pairs = list(combinations(range(variants), 2))
    found = {
        pair: estimates(
            [rows[place].metric for place in able],
            [rows[place].samples[pair[0]] for place in able],
            [rows[place].samples[pair[1]] for place in able],
            in_rounds=in_rounds,
            alpha=alpha,
        )
        for pair in pairs
    }
    places: list[tuple[int, ...] | None] = [None] * len(rows)
    beaten_by: list[list[list[int]]] = []
    for number, place in enumerate(able):
        beats = _beats({pair: found[pair][number] for pair in pairs}, variants, alpha)
        if beats is not None:
            beaten_by.append(beats)
            places[place] = tuple(1 + len(better) for better in beats)
    return Ranking(tuple(places), tuple(_standing(v, beaten_by, variants) for v in range(variants)))


def _beats(
    pairs: dict[tuple[int, int], Estimate], variants: int, alpha: float
) -> list[list[int]] | None:
    """For each variant, which ones beat it; None where some pair has no interval."""
    tests = []
    for pair, estimate in pairs.items():
        if estimate.gain is None:
            return None
        tests.append((estimate.gain.p, pair, estimate))
    tests.sort(key=lambda test: test[0])
    beaten: list[list[int]] = [[] for _ in range(variants)]
    largest = 0.0
    for number, (p, (first, second), estimate) in enumerate(tests):
        largest = max(largest, p * (len(tests) - number))
        gain = estimate.gain
        if gain is None or largest >= alpha or abs(gain.estimate) < estimate.band:
            continue
        winner, loser = (second, first) if gain.estimate > 0 else (first, second)
        beaten[loser].append(winner)
    return beaten


def _standing(variant: int, ranked: list[list[list[int]]], variants: int) -> Standing:
    wins = [0] * variants
    for beaten in ranked:
        for loser, winners in enumerate(beaten):
            wins[loser] += variant in winners
    return Standing(
        variant,
        sum(1 + len(beaten[variant]) for beaten in ranked),
        sum(not beaten[variant] for beaten in ranked),
        tuple(wins),
    )
