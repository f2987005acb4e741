"""A set of sessions: the same variants in each, one metric through all of them, and its means."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

from yardstick_core.compare import text
from yardstick_core.compare.composite import (
    FEWEST_SESSIONS,
    counting_alike,
    geometric_mean,
    geometric_mean_in_general,
    in_text,
)
from yardstick_core.compare.estimate import estimates
from yardstick_core.compare.intervals import Interval
from yardstick_core.compare.profiles import BROKEN, JudgedLimit, Score
from yardstick_core.compare.ranking import ranking
from yardstick_core.compare.rows import Row
from yardstick_core.compare.study import is_withheld
from yardstick_core.compare.verdict import AHEAD, BEHIND, LEVEL, OPEN, decide

THESE, BY_SHARE, IN_GENERAL = "these", "share", "general"
#: Why a mean is not told.
NO_RATIO = "compared in its own unit: there is no ratio to take a mean of"
MISSING = "not every session has an interval"
WITHHELD = "held back in a session: the runs were not measured alike"
TOO_FEW = f"from {FEWEST_SESSIONS} sessions on"
NO_SHARES = "nobody has said what share of a day each session is"


@dataclass(frozen=True, slots=True)
class SetRow:
    """The row of a session that the table shows, None where it has none; `share` of a day, %."""

    row: Row | None
    share: float | None = None
    in_rounds: bool = True
    alpha: float = 0.05


@dataclass(frozen=True, slots=True)
class SetMean:
    """A candidate over all sessions: its gain on logs with limits, or why there is none.

    The gain is that of the ratios as they are. For the verdict what matters of each session counts
    alike: small files that open in twice the time and nobody notices, do not count against large
    ones. Where both disagree on who is ahead the verdict is open.
    """

    candidate: int
    gain: Interval | None
    verdict: str = ""
    why: str = ""
    #: The largest gain too small to matter, of the session in which least matters.
    band: float = math.nan

    @property
    def words(self) -> str:
        """`1.90 × (1.88 to 1.92)` as good; empty without a gain."""
        if self.gain is None:
            return ""
        return in_text(self.gain)


@dataclass(frozen=True, slots=True)
class SessionSet:
    """What a metric says over a set: places by session (None where not ranked), their sums, means.

    `means` holds, by kind, one for each candidate.
    """

    places: tuple[tuple[int, ...] | None, ...]
    points: tuple[int, ...]
    means: dict[str, tuple[SetMean, ...]]
    #: Readings as people sum them up, judged nowhere: name, then one a variant.
    asked_for: tuple[tuple[str, tuple[float | None, ...]], ...]


def over_set(sessions: Sequence[SetRow], variants: int, baseline: int) -> SessionSet:
    """Take a set of sessions together; sessions without the metric are left out of every mean."""
    there = [one for one in sessions if one.row is not None and any(one.row.samples)]
    places = tuple(_places(one, variants, baseline) for one in sessions)
    points = tuple(
        sum(found[variant] for found in places if found is not None) for variant in range(variants)
    )
    candidates = [index for index in range(variants) if index != baseline]
    means = {
        kind: tuple(_mean(kind, there, baseline, candidate) for candidate in candidates)
        for kind in (THESE, BY_SHARE, IN_GENERAL)
    }
    return SessionSet(places, points, means, _asked_for(there, variants))


def _places(one: SetRow, variants: int, baseline: int) -> tuple[int, ...] | None:
    if one.row is None or len(one.row.samples) != variants:
        return None
    found = ranking([one.row], variants, baseline, in_rounds=one.in_rounds, alpha=one.alpha)
    return found.places[0]


def _mean(kind: str, sessions: Sequence[SetRow], baseline: int, candidate: int) -> SetMean:
    gains, bands = [], []
    for one in sessions:
        assert one.row is not None
        row = one.row
        if not row.samples[baseline] or not row.samples[candidate]:
            return SetMean(candidate, None, why=MISSING)
        if is_withheld(row, candidate):
            return SetMean(candidate, None, why=WITHHELD)
        (found,) = estimates(
            [row.metric], [row.samples[baseline]], [row.samples[candidate]],
            in_rounds=one.in_rounds, alpha=one.alpha,
        )  # fmt: skip
        if found.gain is None or not math.isfinite(found.gain.spread):
            return SetMean(candidate, None, why=MISSING)
        if not found.on_logs:
            return SetMean(candidate, None, why=NO_RATIO)
        bands.append(found.band)
        gains.append(found.gain)
    alpha = max((one.alpha for one in sessions), default=0.05)
    if not gains:
        return SetMean(candidate, None, why=MISSING)
    shares = [one.share or 0.0 for one in sessions]
    if kind == BY_SHARE and not any(shares):
        return SetMean(candidate, None, why=NO_SHARES)
    factors, band = counting_alike(bands)
    alike = [gain.times(factor) for gain, factor in zip(gains, factors, strict=True)]
    mean, noticed = (_mean_of(kind, one, alpha, shares) for one in (gains, alike))
    if mean is None or noticed is None:
        return SetMean(candidate, None, why=TOO_FEW)
    verdict = decide(noticed, band)
    against = verdict in (AHEAD, BEHIND) and mean.estimate * noticed.estimate <= 0
    return SetMean(candidate, mean, OPEN if against else verdict, band=band)


def _mean_of(
    kind: str, gains: Sequence[Interval], alpha: float, shares: Sequence[float]
) -> Interval | None:
    if kind == IN_GENERAL:
        return geometric_mean_in_general([gain.estimate for gain in gains], alpha)
    return geometric_mean(gains, alpha, shares if kind == BY_SHARE else None)


def _asked_for(
    sessions: Sequence[SetRow], variants: int
) -> tuple[tuple[str, tuple[float | None, ...]], ...]:
    """Sum and mean of the readings, where every session has one in the same unit."""
    rows = [one.row for one in sessions if one.row is not None]
    units = {row.metric.unit for row in rows}
    if not rows or len(units) != 1 or any(len(row.medians) != variants for row in rows):
        return ()
    columns = [[row.medians[variant] for row in rows] for variant in range(variants)]
    known = [None if None in column else [v for v in column if v is not None] for column in columns]
    means = tuple(None if c is None else sum(c) / len(c) for c in known)
    sums = tuple(None if c is None else sum(c) for c in known)
    additive = units <= {"s", "ms", "MiB"}
    return (
        *((("sum of the readings", sums),) if additive else ()),
        ("mean of the readings", means),
    )


def headline(found: SessionSet, names: Sequence[str], baseline: int, sessions: int) -> str:
    """What a set says in a sentence: the best candidate over these sessions, and how often first.

    >>> headline(SessionSet((), (0, 0), {THESE: ()}, ()), ["4.1", "4.2"], 0, 2)
    'Nothing can be said over these 2 sessions yet.'
    """
    known = [one for one in found.means.get(THESE, ()) if one.gain is not None]
    if not known:
        why = next((one.why for one in found.means.get(THESE, ())), "")
        reason = f": {why}" if why else ""
        return f"Nothing can be said over {_these(sessions)} yet{reason}."
    best = max(known, key=lambda one: one.gain.estimate if one.gain else -math.inf)
    firsts = sum(p is not None and p[best.candidate] == 1 for p in found.places)
    alone = sum(
        p is not None and p[best.candidate] == 1 and list(p).count(1) == 1 for p in found.places
    )
    surely = {LEVEL: ", which nobody would notice", OPEN: ", which is not sure"}.get(
        best.verdict, ""
    )
    tied = f", {firsts - alone} of them shared" if firsts > alone else ""
    places = f"; it is first in {firsts} of {sessions}{tied}" if sessions > 1 else ""
    return (
        f"{names[best.candidate]} is {best.words} over {_these(sessions)} against "
        f"{names[baseline]}{surely}{places}."
    )


def _these(sessions: int) -> str:
    return "this one session" if sessions == 1 else f"these {sessions} sessions"


# -- for whom, over all sessions -------------------------------------------------------------


def _why_against(score: Score, title: str, broken: JudgedLimit | None) -> str:
    """Why a candidate is not recommended for what a session shows of it."""
    if broken is not None:
        return f"breaks a limit in “{title}”: {broken.name}"
    if score.failing:
        return f"fails more often than chance explains in “{title}”"
    return f"is held back in “{title}”: the runs were not measured alike"


def advise_over(
    sessions: Sequence[tuple[str, float | None, Sequence[Score]]],
    names: Sequence[str],
    baseline: int,
) -> str:
    """What to tell one kind of user over all sessions: title, share of a day and scores of each.

    A candidate that breaks a limit, or surely fails more often, in any session is not recommended.
    Scores are weighed by the shares where any is said; what matters of each counts alike.
    """
    total = len(sessions)
    weighed = any(share for _, share, _ in sessions)
    against: list[str] = []
    best: tuple[float, float, float, int, int] | None = None
    for candidate, name in enumerate(names):
        if candidate == baseline:
            continue
        known: list[tuple[float, Score]] = []
        for title, share, scores in sessions:
            score = next((one for one in scores if one.variant == candidate), None)
            if score is None or not math.isfinite(score.high - score.low):
                continue
            broken = next((one for one in score.limits if one.state == BROKEN), None)
            if broken is not None or score.verdict_withheld or score.failing:
                against.append(f"{name} {_why_against(score, title, broken)}")
                known = []
                break
            known.append(((share or 0.0) if weighed else 1.0, score))
        weights = sum(weight for weight, _ in known)
        if not weights:
            continue
        factors, band = counting_alike([one.band for _, one in known])
        scaled = [
            (weight / weights, factor, one)
            for (weight, one), factor in zip(known, factors, strict=True)
        ]
        middle = sum(weight * factor * one.gain for weight, factor, one in scaled)
        half = math.hypot(*(w * factor * (one.high - one.low) / 2 for w, factor, one in scaled))
        if best is None or middle > best[0]:
            best = (middle, half, band, candidate, len(known))
    if best is not None and best[0] > best[1] and best[0] >= best[2]:
        middle, half, _, candidate, number = best
        over = f"{number} of {total} sessions" if number < total else f"all {total} sessions"
        first, low, high = (
            text.significant(math.exp(one)) for one in (middle, middle - half, middle + half)
        )
        return f"take {names[candidate]}: {first}{text.THIN}× as good over {over} ({low} to {high})"
    why = "; ".join(against) or "no candidate is surely better over all sessions"
    return f"stay with {names[baseline]}: {why}"
