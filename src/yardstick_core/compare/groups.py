"""Readings of one side that fall into two groups, and what the runs of each group have in common.

No one number stands for both: a session may call a program ready too early in some runs, or the
program finds a warm cache in every second one.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from scipy import stats

from yardstick_core.compare import text
from yardstick_core.readings.metric import Metric

FEWEST = 6
#: Of this, by the number of values, comes how many times as wide as a group the gap must be.
_GAP_FACTOR = 12.0
#: By chance a trait goes with the groups as closely no more often than this, whatever their number.
_CHANCE = 0.01
_UNKNOWN = -1

Array = NDArray[np.float64]


@dataclass(frozen=True, slots=True)
class Trait:
    """What some runs have and others lack: of each 1, 0, or −1 where it is not known."""

    having: str
    lacking: str
    of_runs: NDArray[np.int8]


def parted_in_two(values: Array) -> NDArray[np.int64]:
    """How many values of each row, shape (k, n), form the lower of two groups; 0 where one does.

    Two groups are parted by a gap many times as wide as either group. Of 6 to 30 values of one
    group, whatever its shape, less than 1 % are parted by chance. Neither group is as small as what
    may be wild.
    """
    count, runs = values.shape
    least = runs // 5 + 1
    if runs < FEWEST or runs < 2 * least:
        return np.zeros(count, np.int64)
    ordered = np.sort(values, axis=1)
    gaps = np.diff(ordered, axis=1)[:, least - 1 : runs - least]
    lower = gaps.argmax(axis=1) + least
    rows = np.arange(count)
    wide = np.maximum(
        ordered[rows, lower - 1] - ordered[:, 0], ordered[:, -1] - ordered[rows, lower]
    )
    gap = gaps[rows, lower - least]
    parted = gap > _GAP_FACTOR / (runs - 4) ** 0.9 * wide
    return np.where(parted, lower, 0)


def traits(
    runs: Sequence[int],
    rounds: Sequence[tuple[int, str]],
    others: Sequence[int],
    their_rounds: Sequence[tuple[int, str]],
) -> list[Trait]:
    """What may part the runs of one side, in the order taken: order in a round, time, rig.

    Runs are numbered in the order taken; `others` are those of the side it is compared with.
    """
    partners = dict(zip(their_rounds, others, strict=True))
    first = [_before(run, partners.get(at)) for run, at in zip(runs, rounds, strict=True)]
    count = len(runs)
    earlier = (np.arange(count) < count / 2).astype(np.int8)
    found = [
        Trait(
            "ran before the other variant of their round",
            "ran after the other variant of their round",
            np.array(first, np.int8),
        ),
        Trait("are of the earlier half", "are of the later half", earlier),
    ]
    rigs = sorted({rig for _, rig in rounds})
    for rig in rigs if len(rigs) > 1 else ():
        here = np.array([of == rig for _, of in rounds], np.int8)
        found.append(Trait(f"ran on {rig}", f"ran elsewhere than on {rig}", here))
    return found


def _before(run: int, partner: int | None) -> int:
    return _UNKNOWN if partner is None or partner == run else int(run < partner)


def goes_with(lower: NDArray[np.bool_], found: Sequence[Trait]) -> str:
    """Which trait goes with the lower of two groups, by Fisher's exact test; empty for none.

    >>> lower = np.array([True, False] * 6)
    >>> first = Trait("ran first", "ran second", lower.astype(np.int8))
    >>> goes_with(lower, [first])
    'of the lower 6 of 6 ran first, of the higher 0 of 6'
    """
    best, said = _CHANCE / max(1, len(found)), ""
    for trait in found:
        known = trait.of_runs != _UNKNOWN
        having, among = trait.of_runs[known] == 1, lower[known]
        table = [
            [int((having & side).sum()), int((~having & side).sum())] for side in (among, ~among)
        ]
        if not all(map(sum, table)):
            continue
        chance = float(stats.fisher_exact(np.array(table)).pvalue)
        if chance > best:
            continue
        sizes = [sum(row) for row in table]
        place = 0 if table[0][0] / sizes[0] > table[1][0] / sizes[1] else 1
        what = (trait.having, trait.lacking)[place]
        best = chance
        said = (
            f"of the lower {table[0][place]} of {sizes[0]} {what}, of the higher "
            f"{table[1][place]} of {sizes[1]}"
        )
    return said


def described(metric: Metric, values: Array, lower: NDArray[np.bool_]) -> str:
    """Two groups in words: `3 of about 210 ms and 4 of about 760 ms`."""
    return " and ".join(
        f"{len(group)} of about {text.quantity(metric, float(np.median(group)))}"
        for group in (values[lower], values[~lower])
    )
