"""Lines of releases: which studies measured a subject alike, and what they show together."""

from __future__ import annotations

import hashlib
import math
from dataclasses import dataclass, field
from datetime import datetime
from typing import Any

from yardstick_core import CORE_VERSION
from yardstick_core.compare import text
from yardstick_core.compare.difference import RAW_BAND
from yardstick_core.compare.release_order import in_order
from yardstick_core.compare.releases import (
    MeasuringSession,
    MetricLine,
    change_text,
    headline,
    lines,
    next_release,
    since_text,
)
from yardstick_core.script import parse
from yardstick_server import contracts
from yardstick_server.analysis.judging import kept_analyses
from yardstick_server.analysis.models import StudyJudgement
from yardstick_server.inventory.models import RigFacts, Subject
from yardstick_server.runs.models import Run
from yardstick_server.shelf import active
from yardstick_server.studies.models import Study, StudyVariant
from yardstick_server.traces.lru_cache import SizedLruCache

#: What a study may be about for its variants to be releases.
RELEASE_FACTORS = ("", "release", "version", "build")
#: Facts that tell one kind of rig from another.
_KIND = ("processor", "cores", "memory_bytes", "architecture")
MOST_STUDIES, MOST_A_SESSION = 200, 8


@dataclass(slots=True)
class MeasuredLine:
    """Studies that measured one session of a subject on one kind of rig."""

    key: str
    title: str
    rigs: set[str] = field(default_factory=set)
    studies: list[Study] = field(default_factory=list)

    @property
    def releases(self) -> set[str]:
        return {part.variant.name for study in self.studies for part in study.variants}


def lines_of(subject: Subject) -> list[MeasuredLine]:
    """All lines of a subject, those with most releases first; one release is none.

    Studies that were put away are part of the history; deleted ones are not.
    """
    studies = (
        subject.workspace.studies.filter(subject=subject, deleted_at=None, second_factor="")
        .prefetch_related("study_variants__variant")
        .order_by("created", "pk")
    )
    told: dict[str, MeasuredLine] = {}
    for study in studies:
        if study.factor.strip().lower() not in RELEASE_FACTORS or study.script is None:
            continue
        kind, rigs = _kind_of(study)
        if kind is None:
            continue
        script = study.script
        key = hashlib.sha256(f"{script.sha256} {kind}".encode()).hexdigest()[:16]
        if key not in told:
            told[key] = MeasuredLine(key, parse(script.text).title)
        told[key].rigs |= rigs
        told[key].studies.append(study)
    found = [one for one in told.values() if len(one.releases) > 1]
    return sorted(found, key=lambda one: (-len(one.releases), -len(one.studies), one.key))


def _kind_of(study: Study) -> tuple[str | None, set[str]]:
    """The kind of rig that measured a study, and its names; None where none or several did."""
    read = Run.objects.filter(study=study, state="read", left_out="", rig__isnull=False)
    seen = set(read.order_by().values_list("facts_id", "rig__name").distinct())
    facts = RigFacts.objects.filter(pk__in={one for one, _ in seen if one is not None})
    kinds = {_kind(one.facts) for one in facts}
    kind = kinds.pop() if len(kinds) == 1 else ("unknown" if seen and not kinds else None)
    return kind, {name for _, name in seen}


def _kind(facts: dict[str, Any]) -> str:
    memory = facts.get("memory_bytes")
    known = {**facts, "memory_bytes": round(memory / 2**30) if memory else None}
    return " ".join(str(known.get(name)) for name in _KIND)


@dataclass(frozen=True, slots=True)
class JudgedLine:
    """A line with its releases in order and what the core found of each metric."""

    measured: MeasuredLine
    names: list[str]
    metrics: list[MetricLine]
    measured_on: list[datetime | None]


#: Lines worked out for a page, of each set of studies as they were last judged.
_LINES: SizedLruCache[list[MetricLine]] = SizedLruCache(64 * 2**20)


def judged_line(subject: Subject, measured: MeasuredLine) -> JudgedLine:
    """What a line's studies show together, worked out once for the same judgements."""
    studies = measured.studies[-MOST_STUDIES:]
    held = {part.variant.name for study in studies for part in study.variants}
    names = _spanned(in_order({*_releases_of(subject), *held}, subject.release_order), held)
    place = {name: number for number, name in enumerate(names)}
    kept = StudyJudgement.objects.filter(study__in=studies, core_version=CORE_VERSION)
    made = tuple(sorted(kept.values_list("study_id", "made")))

    def make() -> tuple[list[MetricLine], int]:
        analyses = kept_analyses([(study, study.baseline) for study in studies])
        sessions = [
            MeasuringSession(
                one.compared.at_look().rows,
                {
                    part.position: place[part.variant.name]
                    for part in one.study.variants
                    if part.variant.name in place
                },
            )
            for one in analyses
        ]
        found = lines(sessions)
        return found, 200 * sum(len(one.line.points) for one in found) + 1

    key = (measured.key, tuple(study.pk for study in studies), made, tuple(names))
    found = _LINES.get(key, make)
    days = [_day_of(study) for study in studies]
    return JudgedLine(MeasuredLine(measured.key, measured.title, measured.rigs, studies), names,
                      found, days)  # fmt: skip


def _releases_of(subject: Subject) -> list[str]:
    """Variants that may be releases: of no study yet, or of one that is about releases."""
    about = StudyVariant.objects.filter(study__deleted_at=None).select_related("study")
    elsewhere, here = set[int](), set[int]()
    for part in about.filter(variant__subject=subject):
        release = part.study.factor.strip().lower() in RELEASE_FACTORS
        (here if release and not part.study.second_factor else elsewhere).add(part.variant_id)
    there = subject.variants.filter(**active()).exclude(pk__in=elsewhere - here)
    return list(there.values_list("name", flat=True))


class NotMeasurable(ValueError):
    """A line cannot be measured further as asked; the message says why."""


def session_of(judged: JudgedLine, subject: Subject, releases: list[str]) -> Study:
    """A new study of the line: these releases beside its anchor. Raises NotMeasurable."""
    anchor = judged.names[line_anchor(judged.metrics)]
    wanted = [anchor, *dict.fromkeys(name for name in releases if name != anchor)]
    if not 2 <= len(wanted) <= MOST_A_SESSION:
        raise NotMeasurable(
            f"a session measures one to {MOST_A_SESSION - 1} releases beside {anchor}"
        )
    known = {one.name: one for one in subject.variants.filter(**active())}
    missing = [name for name in wanted if name not in known]
    if missing:
        raise NotMeasurable(f"{subject.name} has no release {', '.join(missing)}")
    question = f"{', '.join(wanted[1:])} beside {anchor}"[:200]
    return judged.measured.studies[-1].another(question, [known[name] for name in wanted])


def _spanned(names: list[str], held: set[str]) -> list[str]:
    """Releases from the first measured to the last: what lies outside is no gap."""
    places = [number for number, name in enumerate(names) if name in held]
    return names[places[0] : places[-1] + 1] if places else []


def _day_of(study: Study) -> datetime | None:
    started = study.runs.filter(state="read", started__isnull=False).order_by("started")
    first = started.values_list("started", flat=True).first()
    return first


def line_anchor(metrics: list[MetricLine]) -> int:
    """The release that most metrics are held against."""
    anchors = [one.line.anchor for one in metrics]
    return max(set(anchors), key=anchors.count) if anchors else 0


def line_body(judged: JudgedLine) -> contracts.ReleaseLine:
    """A line as the page draws it, every number in words beside it."""
    names, metrics = judged.names, judged.metrics
    anchor = line_anchor(metrics)
    ordered = sorted(
        metrics, key=lambda one: (not one.deciding, not one.line.changes, -one.largest)
    )
    measured = {part.variant.name for study in judged.measured.studies for part in study.variants}
    return {
        "key": judged.measured.key,
        "title": judged.measured.title,
        "rigs": sorted(judged.measured.rigs),
        "releases": [{"name": name, "measured": name in measured} for name in names],
        "anchor": anchor,
        "sessions": [
            {
                "study": study.pk,
                "question": study.question,
                "when": when,
                "releases": sorted(
                    names.index(p.variant.name) for p in study.variants if p.variant.name in names
                ),
            }
            for study, when in zip(judged.measured.studies, judged.measured_on, strict=True)
        ],
        "metrics": [_metric(one, names) for one in ordered],
        "level": text.level(0.05),
    }


def _metric(one: MetricLine, names: list[str]) -> contracts.MetricLine:
    following = next_release(one)
    # what is compared in its own unit is stretched so that what matters is drawn as 3 %
    scale = 1.0 if one.on_logs else RAW_BAND / one.matters
    apart = [names[release] for release in one.line.apart]
    return {
        "metric": one.metric.key,
        "stretch": list(one.stretch),
        "label": one.qualified_name,
        "unit": one.metric.unit,
        "deciding": one.deciding,
        "primary": one.metric.primary,
        "on_logs": one.on_logs,
        "anchor": one.line.anchor,
        "headline": headline(one, names),
        "largest": one.largest,
        "points": [
            {
                "release": point.release,
                "gain": scale * one.gain(point.value),
                "low": scale * min(one.gain(point.low), one.gain(point.high)),
                "high": scale * max(one.gain(point.low), one.gain(point.high)),
                "level": scale * one.gain(level),
                "reading": one.reading(point.value),
                "text": text.quantity(one.metric, one.reading(point.value)),
                "sessions": point.sessions,
            }
            for point, level in zip(one.line.points, one.line.levels, strict=True)
        ],
        "changes": [
            {
                "release": change.release,
                "earliest": change.earliest,
                "latest": change.latest,
                "gain": scale * one.gain(change.size),
                "low": scale * min(one.gain(change.low), one.gain(change.high)),
                "high": scale * max(one.gain(change.low), one.gain(change.high)),
                "since": since_text(change, names),
                "text": change_text(one, change),
                "better": one.gain(change.size) > 0,
            }
            for change in one.line.changes
        ],
        "apart": apart,
        "withheld": [names[release] for release in one.withheld],
        "next": None if following is None else {
            "release": following.release,
            "again": following.again,
            "why": f"the change {since_text(following.change, names)}",
        },
        "noise": one.line.noise if math.isfinite(one.line.noise) else None,
    }  # fmt: skip
