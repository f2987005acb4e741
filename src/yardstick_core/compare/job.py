"""From the sample to the job: what a difference comes to in a day, a week or a whole job.

A job consists of kinds of items, each measured by one or more sessions. Per item the difference is
that of the session; where several sessions stand for one kind, how they differ among themselves
goes into the range as well. Source: stratified sampling with a finite population, Cochran 1977.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

from scipy import special

from yardstick_core.compare import text
from yardstick_core.readings.metric import Metric


class NotMeasured(ValueError):
    """Kinds of items of the job that no session has measured; nothing is guessed for them."""


@dataclass(frozen=True, slots=True)
class ItemDifference:
    """Candidate − baseline of one item as a session measured it, in the metric's unit."""

    level: float
    change: float
    spread: float
    df: float


@dataclass(frozen=True, slots=True)
class Kind:
    """A kind of items: how many there are in the job, and what share of them is affected, 0…1."""

    name: str
    items: float
    measured: tuple[ItemDifference, ...]
    affected: float = 1.0


@dataclass(frozen=True, slots=True)
class Projection:
    """What the difference comes to over the job, in the metric's unit, negative = less.

    `before` is what the measured work of the job takes with the baseline; `share` the change of
    the time that the whole job takes, where that is known.
    """

    change: float
    low: float
    high: float
    before: float
    share: float | None
    share_low: float | None
    share_high: float | None
    assumptions: tuple[str, ...]

    @property
    def sure(self) -> bool:
        """Whether it is known which way it goes."""
        return self.low > 0 or self.high < 0


def project(
    kinds: Sequence[Kind], *, whole: float | None = None, alpha: float = 0.05
) -> Projection:
    """Sum a job up; `whole` is what all of it takes, in the metric's unit, work not measured too.

    Raises NotMeasured for kinds that no session stands for, ValueError for an empty job.
    """
    wanted = [kind for kind in kinds if kind.items > 0 and kind.affected > 0]
    if not wanted:
        raise ValueError("the job has no items that are affected")
    unknown = [kind.name for kind in wanted if not kind.measured]
    if unknown:
        raise NotMeasured(
            f"{', '.join(unknown)} was not measured: what it would gain or lose is not guessed"
        )
    change = before = variance = 0.0
    parts: list[tuple[float, float]] = []
    for kind in wanted:
        count = kind.items * kind.affected
        change += count * sum(one.change for one in kind.measured) / len(kind.measured)
        levels = sum(one.level for one in kind.measured) / len(kind.measured)
        before += kind.items * levels
        own, df = _variance(kind, count)
        variance += own
        parts.append((own, df))
    reach = 0.0
    if variance > 0:
        df = variance**2 / sum(own**2 / df for own, df in parts if own > 0)
        reach = float(special.stdtrit(max(1.0, df), 1 - alpha / 2)) * math.sqrt(variance)
    low, high = change - reach, change + reach
    share, share_low, share_high = (one / whole if whole else None for one in (change, low, high))
    return Projection(
        change, low, high, before, share, share_low, share_high, _assumptions(wanted, whole)
    )


def _variance(kind: Kind, count: float) -> tuple[float, float]:
    """Variance of a kind's sum and its degrees of freedom: of runs, and between its items."""
    number = len(kind.measured)
    of_runs = sum(one.spread**2 for one in kind.measured) / number**2
    df = min(one.df for one in kind.measured)
    between = 0.0
    if number > 1:
        mean = sum(one.change for one in kind.measured) / number
        spread = sum((one.change - mean) ** 2 for one in kind.measured) / (number - 1)
        left = max(0.0, 1 - number / kind.items)
        between = left * spread / number
        df = min(df, number - 1)
    return count**2 * (of_runs + between), df


def _assumptions(kinds: Sequence[Kind], whole: float | None) -> tuple[str, ...]:
    """What is taken for granted, to be printed with the number."""
    said = []
    for kind in kinds:
        share = "" if kind.affected == 1 else f", {100 * kind.affected:.3g}{text.THIN}% of them"
        sessions = "the one measured" if len(kind.measured) == 1 else (
            f"the {len(kind.measured)} measured"
        )  # fmt: skip
        said.append(f"{kind.items:g} of “{kind.name}”{share}, each like {sessions}")
    said.append("what was measured on this rig holds where the work is done")
    if whole is None:
        said.append("of the rest of the work nothing is said")
    return tuple(said)


def share_that_matters(kinds: Sequence[Kind], threshold: float) -> float | None:
    """From what share of affected items on the change comes to `threshold`, 0…1; None: never.

    All kinds are taken to be affected alike.
    """
    whole = [Kind(one.name, one.items, one.measured) for one in kinds if one.items > 0]
    if not whole or any(not kind.measured for kind in whole) or threshold <= 0:
        return None
    change = abs(project(whole).change)
    return threshold / change if change >= threshold else None


def in_words(metric: Metric, found: Projection, period: str, candidate: str) -> str:
    """`A day with 4.2 takes 34.2 s less (31.0 to 37.5)`; not known which way where it is not."""
    amount = text.amount(metric, found.change).lstrip(text.MINUS)
    way = "less" if found.change < 0 else "more"
    if not found.sure:
        limits = text.change_limits(metric, found.low, found.high)
        return f"With {candidate}, {period}: not known which way it goes ({limits})."
    near, far = sorted((abs(found.low), abs(found.high)))
    limits = f"{text.amount(metric, near)} to {text.amount(metric, far)}"
    said = f"With {candidate}, {period}: {amount} {way} ({limits})"
    if found.share is not None:
        said += f", {text.significant(100 * abs(found.share), 2)}{text.THIN}% of all of it"
    return said + "."
