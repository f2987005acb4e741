"""Profiles: what counts for one kind of user, and what to recommend to them."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

from yardstick_core.compare.composite import Part, in_text, together
from yardstick_core.compare.difference import NO_INTERVAL
from yardstick_core.compare.estimate import NO_EVENTS, Estimate
from yardstick_core.compare.rows import Row, qualified_label
from yardstick_core.compare.study import Judgement, is_withheld
from yardstick_core.compare.verdict import AHEAD, BEHIND, LEVEL, OPEN, decide, runs_to_decide

KEPT, BROKEN, UNKNOWN = "kept", "broken", "not known"
TAKE, STAY, NONE = "take", "stay", "no recommendation"


@dataclass(frozen=True, slots=True)
class Weight:
    """How much one metric of one stretch counts; weights are relative."""

    metric: str
    stretch: tuple[str, ...]
    weight: float = 1.0


@dataclass(frozen=True, slots=True)
class Limit:
    """A metric that must not get worse by more than `tolerance` percent of the baseline.

    For metrics compared in their own unit the tolerance is in that unit; None takes what matters.
    """

    metric: str
    stretch: tuple[str, ...]
    tolerance: float | None = None


@dataclass(frozen=True, slots=True)
class Profile:
    """A kind of user: what counts for them, and what must not get worse."""

    name: str
    about: str = ""
    weights: tuple[Weight, ...] = ()
    limits: tuple[Limit, ...] = ()


@dataclass(frozen=True, slots=True)
class JudgedLimit:
    """A limit, whether one candidate keeps it, and what was found, in words."""

    metric: str
    stretch: tuple[str, ...]
    state: str
    name: str
    found: str


@dataclass(frozen=True, slots=True)
class Score:
    """A candidate for one profile: its weighted gain on logs with limits, and its limits.

    `band` is the largest gain too small to matter. `verdict_withheld` is true where a verdict it
    rests on is held back, `failing` where its runs surely fail more often than the baseline's: it
    is recommended to nobody.
    """

    variant: int
    verdict: str
    gain: float
    low: float
    high: float
    factor_text: str
    limits: tuple[JudgedLimit, ...]
    runs_to_decide: int | None
    band: float = math.nan
    verdict_withheld: bool = False
    failing: bool = False


@dataclass(frozen=True, slots=True)
class Reason:
    """What speaks for or against a candidate, and the row it comes from."""

    text: str
    metric: str
    stretch: tuple[str, ...]


@dataclass(frozen=True, slots=True)
class Advice:
    """What to recommend to the users of a profile, why, and what is missing."""

    profile: str
    about: str
    recommendation: str
    variants: tuple[int, ...]
    sentence: str
    reasons: tuple[Reason, ...]
    scores: tuple[Score, ...]
    missing: tuple[str, ...]


def advise(profile: Profile, judgement: Judgement, variants: list[str], baseline: int) -> Advice:
    """Recommend one or several variants, the baseline, or say why nothing can be recommended."""
    by_place = {(row.metric.key, row.stretch): row for row in judgement.rows}
    parts, missing = [], []
    for weight in profile.weights:
        row = by_place.get((weight.metric, weight.stretch))
        if row is None:
            missing.append(f"no run has a reading of {weight.metric} of {weight.stretch[-1]}")
        elif weight.weight > 0:
            parts.append(Part(row, weight.weight))
    scores = [
        score
        for index in range(len(variants))
        if index != baseline
        and (score := _score(profile, judgement, by_place, parts, baseline, index)) is not None
    ]
    recommendation, chosen, sentence = _choice(judgement, parts, scores, variants, baseline)
    if not profile.weights:
        sentence = "nothing counts in this profile yet"
    elif missing:
        recommendation, chosen = NONE, ()
        sentence = "something that counts has not been read: " + "; ".join(missing)
    reasons = _reasons(parts, scores, chosen, variants)
    return Advice(
        profile.name, profile.about, recommendation, chosen, sentence, reasons, tuple(scores),
        tuple(missing),
    )  # fmt: skip


def _score(
    profile: Profile,
    judgement: Judgement,
    by_place: dict[tuple[str, tuple[str, ...]], Row],
    parts: Sequence[Part],
    baseline: int,
    index: int,
) -> Score | None:
    found = together(parts, baseline, index, in_rounds=judgement.in_rounds, alpha=judgement.alpha)
    if found is None:
        return None
    withheld = any(is_withheld(part.row, index) for part in parts)
    failing = index in judgement.failing
    limits = tuple(
        _limit(limit, by_place.get((limit.metric, limit.stretch)), index)
        for limit in profile.limits
    )
    nan = math.nan
    if found.gain is None:
        return Score(index, OPEN, nan, nan, nan, "", limits, None, nan, withheld, failing)
    gain = found.gain
    verdict = OPEN if withheld else decide(gain, found.band)
    runs = min(found.baseline_runs, found.candidate_runs)
    return Score(
        index,
        verdict,
        gain.estimate,
        gain.low,
        gain.high,
        factor(found),
        limits,
        runs_to_decide(gain, found.band, runs, judgement.alpha)
        if verdict == OPEN and not withheld
        else None,
        found.band,
        withheld,
        failing,
    )


def factor(found: Estimate) -> str:
    """A weighted gain as a factor with its interval; empty without one."""
    return in_text(found.gain) if found.gain is not None else ""


def _limit(limit: Limit, row: Row | None, index: int) -> JudgedLimit:
    """Kept where a loss larger than the tolerance is ruled out, broken where it is shown.

    Where no tolerance was named, any loss that matters and is shown breaks it.
    """
    if row is None:
        name = f"{limit.metric} of {limit.stretch[-1]}"
        return JudgedLimit(limit.metric, limit.stretch, UNKNOWN, name, "has not been read")
    name = qualified_label(row)
    difference = row.differences[index]
    if (
        difference is not None
        and difference.undecided == NO_EVENTS
        and not difference.verdict_withheld
    ):
        return JudgedLimit(limit.metric, limit.stretch, KEPT, name, "none in any run")
    if difference is None or difference.method == NO_INTERVAL:
        return JudgedLimit(limit.metric, limit.stretch, UNKNOWN, name, "is not known")
    tolerance = _tolerance(limit, row, difference.band)
    shown = difference.percent_text or difference.change_text
    behind = difference.verdict == BEHIND
    if difference.verdict_withheld:
        state, text = UNKNOWN, "has no verdict"
    elif difference.gain_low > -tolerance:
        state, text = KEPT, shown
    elif difference.gain_high < -tolerance or (limit.tolerance is None and behind):
        state, text = BROKEN, shown
    else:
        state, text = UNKNOWN, f"{shown}, not known well enough"
    return JudgedLimit(limit.metric, limit.stretch, state, name, text)


def _tolerance(limit: Limit, row: Row, band: float) -> float:
    """The largest loss allowed, on the scale of the rule."""
    if limit.tolerance is None:
        return band
    if row.metric.on_logs:
        return math.log1p(limit.tolerance / 100)
    return band * limit.tolerance / row.metric.material_amount if row.metric.material_amount else 0


def _choice(
    judgement: Judgement,
    parts: Sequence[Part],
    scores: Sequence[Score],
    variants: list[str],
    baseline: int,
) -> tuple[str, tuple[int, ...], str]:
    """What to recommend, which variants, and the sentence."""
    if not scores:
        return NONE, (), "there are no readings of both sides yet"
    sound = [s for s in scores if not s.failing]
    free = [s for s in sound if all(limit.state == KEPT for limit in s.limits)]
    better = sorted((s for s in free if s.verdict == AHEAD), key=lambda s: -s.gain)
    hopeful = [
        s
        for s in sound
        if s not in better
        and s.verdict in (AHEAD, OPEN)
        and not any(limit.state == BROKEN for limit in s.limits)
    ]
    if better:
        chosen = [s.variant for s in better]
        best = _not_worse_than_best(judgement, parts, chosen)
        doubt = [s for s in hopeful if s.high > better[0].low]
        also = f"; {_names(doubt, variants)} may be as good, that is open" if doubt else ""
        if len(best) == 1:
            return TAKE, best, f"take {variants[best[0]]}: {better[0].factor_text}{also}"
        named = " or ".join(variants[v] for v in best)
        return TAKE, best, f"take {named}: too close to call between them{also}"
    if hopeful:
        said = []
        for score in hopeful:
            unknown = [
                f"whether {limit.name} gets worse is open"
                for limit in score.limits
                if limit.state == UNKNOWN
            ]
            if score.verdict == AHEAD:
                said.append(f"{variants[score.variant]} is ahead, but {' and '.join(unknown)}")
            elif score.verdict_withheld:
                said.append(
                    f"{variants[score.variant]} is held back, for it was not measured alike"
                )
            else:
                said.append(f"{variants[score.variant]} is not known well enough")
        return NONE, (), "no recommendation yet: " + "; ".join(said)
    return (
        STAY,
        (baseline,),
        f"stay with {variants[baseline]}: "
        + "; ".join(_why_not(score, variants) for score in scores),
    )


def _names(scores: Sequence[Score], variants: list[str]) -> str:
    return " and ".join(variants[score.variant] for score in scores)


def _why_not(score: Score, variants: list[str]) -> str:
    broken = [
        f"{limit.name} gets worse: {limit.found}" for limit in score.limits if limit.state == BROKEN
    ]
    name = variants[score.variant]
    if score.failing:
        lead = f"{name} is ahead, but it" if score.verdict == AHEAD else name
        return f"{lead} fails more often than chance explains"
    if broken:
        lead = f"{name} is ahead, but" if score.verdict == AHEAD else f"in {name}"
        return f"{lead} {' and '.join(broken)}"
    if score.verdict == LEVEL:
        return f"{name} is level"
    return f"{name} is behind: {score.factor_text}"


def _not_worse_than_best(
    judgement: Judgement, parts: Sequence[Part], chosen: list[int]
) -> tuple[int, ...]:
    """The best candidate and those that it does not beat."""
    best = [chosen[0]]
    for other in chosen[1:]:
        found = together(
            parts, other, chosen[0], in_rounds=judgement.in_rounds, alpha=judgement.alpha
        )
        beaten = found is not None and found.gain is not None
        if not (beaten and decide(found.gain, found.band) == AHEAD):  # type: ignore[union-attr, arg-type]
            best.append(other)
    return tuple(best)


def _reasons(
    parts: Sequence[Part], scores: Sequence[Score], chosen: tuple[int, ...], variants: list[str]
) -> tuple[Reason, ...]:
    """What speaks most for and against each candidate, heaviest first."""
    reasons = []
    for score in scores:
        if chosen and score.variant not in chosen and len(chosen) == 1 and score.verdict == BEHIND:
            continue
        shown = [
            (part.weight * abs(d.gain), part.row, d)
            for part in parts
            if (d := part.row.differences[score.variant]) is not None
            and d.verdict in (AHEAD, BEHIND)
        ]
        shown.sort(key=lambda item: -item[0])
        for verdict, word in ((AHEAD, "for"), (BEHIND, "against")):
            found = [item for item in shown if item[2].verdict == verdict][:2]
            for _, row, d in found:
                said = d.percent_text or d.change_text
                text = f"{word} {variants[score.variant]}: {qualified_label(row)}, {said}"
                reasons.append(Reason(text, row.metric.key, row.stretch))
    return tuple(reasons)
