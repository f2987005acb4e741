"""What the core has decided of a study, as JSON with every number in words."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import asdict
from typing import TypedDict, cast

from yardstick_core.compare import composite, text
from yardstick_core.compare.contributions import Breakdown
from yardstick_core.compare.decision import Decision
from yardstick_core.compare.difference import FUTILITY, WIDE_SPREAD
from yardstick_core.compare.estimate import Estimate
from yardstick_core.compare.growing import growing
from yardstick_core.compare.profiles import Advice, factor
from yardstick_core.compare.rows import Row, qualified_label
from yardstick_core.compare.study import Judgement, is_withheld
from yardstick_core.compare.tradeoff import TradeOff
from yardstick_core.plan import extent
from yardstick_core.readings import METRICS
from yardstick_core.readings.durations import DURATION, STEP_PROCESSOR, STEP_TIME
from yardstick_core.script import parse
from yardstick_server import contracts
from yardstick_server.analysis.board import material_text, sentence, sentences
from yardstick_server.analysis.claims import judged_claims
from yardstick_server.analysis.judging import StudyAnalysis, kept_analyses, machine_mib
from yardstick_server.shelf import active
from yardstick_server.studies.models import Study


def decision_body(analysis: StudyAnalysis) -> contracts.Decision:
    study, judgement, baseline = analysis.study, analysis.judgement, analysis.baseline
    names = analysis.names
    profiles = list(study.profiles.filter(**active()))
    decision = analysis.decision(tuple(profile.core() for profile in profiles))
    return {
        "headline": judgement.headline,
        "variants": names,
        "baseline": baseline,
        "level": text.level(judgement.alpha),
        "rounds": warm_rounds(judgement),
        "extent": extent_of(judgement, names),
        "notes": sentences(judgement.notes),
        "advice": [
            _advice(advice, profile.pk)
            for advice, profile in zip(decision.advice, profiles, strict=True)
        ],
        "places": [
            {**_place(row), "places": places, "unranked": "" if places else _why_unranked(row)}
            for row, places in zip(decision.main, decision.ranking.places, strict=True)
        ],
        "standings": _rank_entries(decision),
        "breakdowns": [_breakdown(breakdown) for breakdown in decision.breakdowns],
        "trade_offs": [_trade_off(trade) for trade in decision.trade_offs],
        "unsettled": [
            {
                **_place(open_.row),
                "candidate": open_.candidate,
                "rounds": open_.rounds,
                "verdict_withheld": open_.verdict_withheld,
                "futility": FUTILITY.get(open_.undecided, ""),
                "why": sentence(_why_open(open_.row, open_.candidate)),
            }
            for open_ in decision.unsettled
        ],
        "claims": judged_claims(study, judgement if baseline == study.baseline else None),
        "over_sessions": over_sessions(study, judgement, baseline),
        "growing": [
            one.text for one in growing(judgement.at_look().rows, names, machine_mib(study))
        ],
    }


class _Place(TypedDict):
    stretch: Sequence[str]
    metric: str
    label: str


def _place(row: Row) -> _Place:
    return {"stretch": row.stretch, "metric": row.metric.key, "label": qualified_label(row)}


def _why_unranked(row: Row) -> str:
    if is_withheld(row):
        return "held back: not measured alike"
    return "not every variant has readings" if not all(row.samples) else "no interval yet"


def warm_rounds(judgement: Judgement) -> int:
    """How many rounds the numbers rest on; runs that were brought in are of none."""
    return len(
        {s.round for row in judgement.rows for side in row.samples for s in side if s.round >= 0}
    )


def extent_of(judgement: Judgement, names: Sequence[str]) -> str:
    """The rounds and the runs brought in that the numbers rest on, in words."""
    brought: dict[int, set[int]] = {}
    for row in judgement.rows:
        for variant, side in enumerate(row.samples):
            brought.setdefault(variant, set()).update(s.run for s in side if s.round < 0)
    runs = {names[variant]: len(found) for variant, found in brought.items() if found}
    return extent(warm_rounds(judgement), runs)


def _advice(advice: Advice, profile: int) -> contracts.Advice:
    scores: list[contracts.Score] = [
        {
            "variant": score.variant,
            "verdict": score.verdict,
            "gain": _known(score.gain),
            "low": _known(score.low),
            "high": _known(score.high),
            "band": _known(score.band),
            "factor_text": score.factor_text,
            "limits": [
                {
                    "metric": limit.metric,
                    "stretch": limit.stretch,
                    "state": limit.state,
                    "text": f"{limit.name}: {limit.found}",
                }
                for limit in score.limits
            ],
            "runs_to_decide": score.runs_to_decide,
        }
        for score in advice.scores
    ]
    return {
        "id": profile,
        "profile": advice.profile,
        "about": advice.about,
        "recommendation": advice.recommendation,
        "variants": advice.variants,
        "sentence": advice.sentence,
        "reasons": [cast(contracts.AdviceReason, asdict(one)) for one in advice.reasons],
        "scores": scores,
    }


def _known(value: float) -> float | None:
    return value if math.isfinite(value) else None


def _rank_entries(decision: Decision) -> list[contracts.RankEntry]:
    found: list[contracts.RankEntry] = []
    for standing, gain in zip(decision.ranking.standings, decision.together, strict=True):
        interval = gain.gain if gain else None
        found.append(
            {
                "variant": standing.variant,
                "points": standing.points,
                "firsts": standing.firsts,
                "beats": standing.beats,
                "together": factor(gain) if gain else "",
                "gain": _known(interval.estimate) if interval else None,
                "low": _known(interval.low) if interval else None,
                "high": _known(interval.high) if interval else None,
                "band": _known(gain.band) if gain else None,
            }
        )
    return found


def _breakdown(breakdown: Breakdown) -> contracts.Breakdown:
    metric = breakdown.metric
    return {
        "stretch": breakdown.stretch,
        "metric": metric.key,
        "label": _whole_name(breakdown),
        "candidate": breakdown.candidate,
        "higher_is_better": metric.higher_is_better,
        "change": breakdown.change,
        "text": text.signed(metric, breakdown.change),
        "parts": [
            {
                "label": part.label,
                "change": part.change,
                "text": text.signed(metric, part.change),
                "interval": f"{text.signed(metric, part.low)} to " + text.signed(metric, part.high),
                "share": _known(part.share),
                "only_in": part.only_in,
            }
            for part in breakdown.parts
        ],
    }


def _whole_name(breakdown: Breakdown) -> str:
    """What is taken apart: a timing by its name, the session by its steps, a frame rate."""
    if breakdown.metric.key == STEP_TIME.key:
        return "the whole session, step by step: time"
    if breakdown.metric.key == STEP_PROCESSOR.key:
        return "the whole session, step by step: processor time"
    if breakdown.metric.key == DURATION.key:
        return breakdown.stretch[-1]
    return f"{breakdown.metric.name} of {breakdown.stretch[-1]}"


def _trade_off(trade: TradeOff) -> contracts.TradeOff:
    cost = METRICS[trade.cost_metric]
    bounded = math.isfinite(trade.low) and math.isfinite(trade.high)
    each = ""
    if math.isfinite(trade.per_second) and bounded:
        value, low, high = (text.signed(cost, v) for v in (trade.per_second, trade.low, trade.high))
        each = f"{value} for each second gained ({low} to {high})"
    return {
        "stretch": trade.stretch,
        "candidate": trade.candidate,
        "gained_s": trade.gained_s,
        "gained_text": text.signed(METRICS["duration"], -trade.gained_s),
        "cost_metric": trade.cost_metric,
        "cost": trade.cost,
        "cost_text": text.signed(cost, trade.cost),
        "per_second": each,
        "sentence": trade.sentence,
    }


def _why_open(row: Row, candidate: int) -> str:
    difference = row.differences[candidate]
    if difference is None or difference.caveats:
        return difference.caveats[0 if difference.verdict_withheld else -1] if difference else ""
    shown = difference.percent_text or difference.change_text
    said = f"{shown}, interval {difference.interval_text}"
    if difference.undecided != WIDE_SPREAD:
        return said
    return f"{said}; runs vary too much to tell whether it matters ({material_text(row)})"


def over_sessions(
    study: Study, judgement: Judgement, baseline: int
) -> list[contracts.OverSessions]:
    """Candidates over all studies of the subject that compare them with the same baseline."""
    own = [part.variant for part in study.variants]
    others = Study.objects.filter(workspace=study.workspace, subject=study.subject, **active())
    others = others.exclude(pk=study.pk).prefetch_related("study_variants").order_by("created")
    positions = [
        (other, {part.variant_id: part.position for part in other.study_variants.all()})
        for other in others
    ]
    alike = [
        (other, place[own[baseline].pk])
        for other, place in positions
        if own[baseline].pk in place and len(place.keys() & {one.pk for one in own}) > 1
    ]
    judged = {one.study.pk: one.compared for one in kept_analyses(alike)}
    judged[study.pk] = judgement
    found = []
    for index, candidate in enumerate(own):
        if index == baseline:
            continue
        sessions = []
        for other, place in positions:
            if own[baseline].pk in place and candidate.pk in place:
                sessions.append((other, place[own[baseline].pk], place[candidate.pk]))
        gains = [
            (one, gain)
            for one, base, place in ((study, baseline, index), *sessions)
            if (gain := _gain(judged[one.pk], base, place)) is not None and gain.gain is not None
        ]
        if len(gains) > 1:
            found.append(_over(index, gains, judgement.alpha))
    return found


def _called(study: Study) -> str:
    """What tells a study from others: its question, and in a set its session."""
    in_set = study.part_of_id is not None or study.parts.filter(deleted_at=None).exists()
    return f"{study.question} · {parse(study.script.text).title}" if in_set else study.question


def _gain(judgement: Judgement, baseline: int, candidate: int) -> Estimate | None:
    judgement = judgement.at_look()
    parts = [
        composite.Part(row)
        for row in judgement.rows
        if row.metric.primary
        and row.metric.judged
        and row.samples[baseline]
        and row.samples[candidate]
    ]
    if any(is_withheld(part.row, candidate) for part in parts):
        return None
    return composite.together(
        parts, baseline, candidate, in_rounds=judgement.in_rounds, alpha=judgement.alpha
    )


def _over(
    candidate: int, gains: list[tuple[Study, Estimate]], alpha: float
) -> contracts.OverSessions:
    factors, _ = composite.counting_alike([gain.band for _, gain in gains])
    intervals = [
        gain.gain.times(factor)
        for (_, gain), factor in zip(gains, factors, strict=True)
        if gain.gain is not None
    ]
    sure = [interval for interval in intervals if math.isfinite(interval.spread)]
    these = composite.geometric_mean(sure, alpha) if len(sure) == len(intervals) else None
    general = composite.geometric_mean_in_general([i.estimate for i in intervals], alpha)
    return {
        "candidate": candidate,
        "sessions": [
            {"study": one.pk, "question": _called(one), "factor_text": factor(gain)}
            for one, gain in gains
        ],
        "these": composite.in_text(these) if these else "",
        "general": composite.in_text(general) if general else "",
    }
