"""The table of a set of sessions: one metric through all of them, with what it says together."""

from __future__ import annotations

import math
from collections import Counter
from collections.abc import Sequence
from dataclasses import dataclass

from yardstick_core.compare import text
from yardstick_core.compare.difference import NO_INTERVAL
from yardstick_core.compare.profiles import Score
from yardstick_core.compare.rows import Row
from yardstick_core.compare.sessions import (
    BY_SHARE,
    IN_GENERAL,
    THESE,
    SessionSet,
    SetMean,
    SetRow,
    advise_over,
    headline,
    over_set,
)
from yardstick_core.compare.study import Judgement, is_withheld
from yardstick_core.readings.durations import DURATION
from yardstick_core.readings.frames import STEADINESS
from yardstick_core.readings.metric import named_by_stretch
from yardstick_core.script import parse
from yardstick_server import contracts
from yardstick_server.analysis.judging import StudyAnalysis, kept_analyses
from yardstick_server.studies.models import Study

#: What the table shows where nobody chose: of each session what decides it.
DECIDING = "deciding"
_MEANS = {
    THESE: ("Geometric mean", "of these sessions"),
    BY_SHARE: ("By share of a day", "weighted as above"),
    IN_GENERAL: ("Sessions in general", "these taken as a sample of what one does"),
}


@dataclass(frozen=True, slots=True)
class Member:
    """A session of the set: its study, and its rows with the set's variants in the set's order."""

    study: Study
    title: str
    judgement: Judgement
    rows: tuple[Row, ...]


def members_of(study: Study) -> list[Member]:
    """The sessions of a study's set; rows of variants that one lacks are empty there."""
    sessions = study.session_set
    wanted = [part.variant_id for part in sessions[0].variants]
    base = wanted[sessions[0].baseline]
    asked = []
    for one in sessions:
        places = {part.variant_id: part.position for part in one.variants}
        if base not in places:
            places = {}  # nothing in it can be held against the baseline of the set
        asked.append((one, places.get(base, one.baseline), places))
    analyses = kept_analyses([(one, place) for one, place, _ in asked])
    return [
        _member(one, analysis, [places.get(variant) for variant in wanted])
        for analysis, (one, _, places) in zip(analyses, asked, strict=True)
    ]


def _member(study: Study, analysis: StudyAnalysis, places: list[int | None]) -> Member:
    """`study` as it is now: an analysis that was kept holds it as it was when it was judged."""
    judgement = analysis.compared.at_look()
    rows = tuple(
        Row(
            row.stretch, row.metric,
            tuple(() if place is None else row.samples[place] for place in places),
            tuple(None if place is None else row.medians[place] for place in places),
            tuple(None if place is None else row.differences[place] for place in places),
            row.sentence, row.warnings,
            longer=tuple(place is not None and row.longer[place] for place in places),
            echo_of=row.echo_of, deciding=row.deciding, not_judged=row.not_judged,
        )
        for row in judgement.rows
    )  # fmt: skip
    return Member(study, parse(study.script.text).title, judgement, rows)


def choice_key(row: Row) -> str:
    """What names a row in all sessions: its metric, and of timings and what is said its name."""
    named = row.metric.key == DURATION.key or named_by_stretch(row.metric.key)
    return f"{row.metric.key}~{row.stretch[-1]}" if named else row.metric.key


def choices_of(members: list[Member]) -> list[contracts.SetChoice]:
    """The metrics that the table can show, those of most sessions first."""
    known: dict[str, str] = {}
    counted: Counter[str] = Counter()
    main: set[str] = set()
    for member in members:
        there = {}
        for row in member.rows:
            if row.metric.judged and any(row.samples):
                there[choice_key(row)] = text.label(row.metric, row.stretch)
                if row.deciding or row.metric.primary:
                    main.add(choice_key(row))
        counted.update(there.keys())
        known = there | known
    ordered = sorted(known, key=lambda key: (key not in main, -counted[key], known[key]))
    return [{"key": key, "label": known[key], "sessions": counted[key]} for key in ordered]


def row_for(member: Member, chosen: str) -> Row | None:
    """The row of a session that a choice means: what decides it, else what is main, else any."""
    if chosen == DECIDING:
        fitting = [row for row in member.rows if row.deciding] or [
            row for row in member.rows if row.metric.primary and row.metric.judged
        ]
    else:
        fitting = [row for row in member.rows if choice_key(row) == chosen]
    fitting = [row for row in fitting if any(row.samples)]
    return max(fitting, key=lambda row: (row.deciding, row.counted), default=None)


def table_body(study: Study, chosen: str) -> contracts.SessionTable:
    """The table of a study's set of sessions for a metric."""
    members = members_of(study)
    root = members[0].study
    choices = choices_of(members)
    chosen = chosen if chosen in {one["key"] for one in choices} else DECIDING
    names = [part.variant.name for part in root.variants]
    rows = [row_for(member, chosen) for member in members]
    found = over_set(
        [
            SetRow(row, member.study.day_share, member.judgement.in_rounds, member.judgement.alpha)
            for row, member in zip(rows, members, strict=True)
        ],
        len(names),
        root.baseline,
    )
    with_row = sum(row is not None for row in rows)
    return {
        "variants": names,
        "baseline": root.baseline,
        "choices": choices,
        "chosen": chosen,
        "headline": headline(found, names, root.baseline, with_row),
        "sessions": [
            _session(member, row, places)
            for member, row, places in zip(members, rows, found.places, strict=True)
        ],
        "points": list(found.points),
        "ranked": sum(places is not None for places in found.places),
        "means": [
            {
                "kind": kind,
                "name": name,
                "about": about,
                "candidates": [_mean(one) for one in found.means[kind]],
            }
            for kind, (name, about) in _MEANS.items()
        ],
        "asked_for": _asked_for(found, rows),
        "advice": _advice(members, root),
    }


def _session(
    member: Member, row: Row | None, places: tuple[int, ...] | None
) -> contracts.SetSession:
    steady = next(
        (
            one.medians
            for one in member.rows
            if one.metric.key == STEADINESS.key and row is not None and one.stretch == row.stretch
        ),
        None,
    )
    return {
        "study": member.study.pk,
        "title": member.title,
        "share": member.study.day_share,
        "label": "" if row is None else text.qualified_label(
            text.label(row.metric, row.stretch), row.stretch
        ),
        "readings": [] if row is None else [
            "" if value is None else text.quantity(row.metric, value) for value in row.medians
        ],
        "values": [] if row is None else list(row.medians),
        "runs": [] if row is None else [len(side) for side in row.samples],
        "differences": [] if row is None else [
            _difference(row, index) for index in range(len(row.medians))
        ],
        "places": places,
        "unranked": "" if places is not None else _unranked(row),
        "steadiness": None if steady is None else list(steady),
    }  # fmt: skip


def _unranked(row: Row | None) -> str:
    if row is None:
        return "not measured in this session"
    if is_withheld(row):
        return "held back: not measured alike"
    return "no interval yet" if all(row.samples) else "not every variant has readings"


_NO_DIFFERENCE: contracts.SetDifference = {
    "verdict": "", "gain": None, "low": None, "high": None, "text": "", "change": "",
    "band": None,
    "single": False,
}  # fmt: skip


def _difference(row: Row, index: int) -> contracts.SetDifference:
    difference = row.differences[index]
    if difference is None:
        return _NO_DIFFERENCE
    single = difference.method == NO_INTERVAL
    return {
        "verdict": difference.verdict,
        "gain": _known(difference.gain),
        "low": _known(difference.gain_low),
        "high": _known(difference.gain_high),
        "text": difference.percent_text or difference.change_text,
        "change": difference.change_text,
        "band": _known(difference.band),
        "single": single,
    }


def _mean(one: SetMean) -> contracts.SetCandidate:
    gain = one.gain
    return {
        "candidate": one.candidate,
        "verdict": one.verdict,
        "gain": None if gain is None else gain.estimate,
        "low": None if gain is None else gain.low,
        "high": None if gain is None else gain.high,
        "band": _known(one.band),
        "text": one.words,
        "why": one.why,
    }


def _known(value: float) -> float | None:
    return value if math.isfinite(value) else None


def _asked_for(found: SessionSet, rows: list[Row | None]) -> list[contracts.SetSum]:
    first = next((row for row in rows if row is not None), None)
    if first is None:
        return []
    return [
        {
            "name": name,
            "readings": ["" if v is None else text.quantity(first.metric, v) for v in values],
        }
        for name, values in found.asked_for
    ]


def _advice(members: list[Member], root: Study) -> list[contracts.SetAdvice]:
    """For each kind of user, what each session that knows it recommends, and all together."""
    told: dict[str, list[contracts.SetSessionAdvice]] = {}
    scores: dict[str, list[tuple[str, float | None, Sequence[Score]]]] = {}
    analyses = kept_analyses([(member.study, member.study.baseline) for member in members])
    for member, analysis in zip(members, analyses, strict=True):
        profiles = list(member.study.profiles.filter(deleted_at=None, archived_at=None))
        found = analysis.decision(tuple(profile.core() for profile in profiles))
        for advice in found.advice:
            share = member.study.day_share
            scores.setdefault(advice.profile, []).append((member.title, share, advice.scores))
            told.setdefault(advice.profile, []).append(
                {"title": member.title, "study": member.study.pk, "sentence": advice.sentence}
            )
    names = [part.variant.name for part in root.variants]
    return [
        {
            "profile": name,
            "overall": advise_over(scores[name], names, root.baseline) if len(sessions) > 1 else "",
            "sessions": sessions,
        }
        for name, sessions in told.items()
    ]
