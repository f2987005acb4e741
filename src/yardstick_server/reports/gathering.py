"""Gathers what the core writes a study's report from."""

from __future__ import annotations

import base64
from collections import Counter
from collections.abc import Sequence
from typing import Any

import numpy as np
from django.db.models import QuerySet

from yardstick_core import CORE_VERSION
from yardstick_core.compare import text
from yardstick_core.match.facts import UNKNOWN, flat, in_text
from yardstick_core.plan import DECIDED, PRECISE
from yardstick_core.readings.derive import WHOLE, whole_stretch
from yardstick_core.readings.families import FRAMES as FRAME_FAMILY
from yardstick_core.readings.families import MEMORY
from yardstick_core.record import CONTROL, ROUND
from yardstick_core.report.content import Content, Found, RunCount, Work
from yardstick_core.report.document import CurvesBlock, Lane, LanesBlock
from yardstick_core.report.results import digest, results
from yardstick_core.script import outline, parse
from yardstick_core.streams.overview import Points
from yardstick_server import contracts
from yardstick_server.analysis.crossing import crossing_body
from yardstick_server.analysis.curves import middle_runs, quantile_curves
from yardstick_server.analysis.deciding import decision_body, extent_of, warm_rounds
from yardstick_server.analysis.drawing import series_between
from yardstick_server.analysis.job import kept_jobs
from yardstick_server.analysis.judging import StudyAnalysis, kept_analysis
from yardstick_server.analysis.models import StudyJudgement
from yardstick_server.analysis.parity import parity_status, preconditions
from yardstick_server.analysis.records import journal_of
from yardstick_server.analysis.session_set import table_body
from yardstick_server.films.models import FindingClip
from yardstick_server.runs.models import BROUGHT_IN, BY_HAND, Finding, Run
from yardstick_server.studies.models import Study, WorksPicture
from yardstick_server.traces.lru_cache import SizedLruCache
from yardstick_server.traces.models import Chunk

#: One frame in so many is longer: what a curve of slow frames is drawn at.
ONE_IN = np.geomspace(1, 1000, 61)
MOST_STRETCHES = 2
MOST_POINTS = 320
RESIDENT = "subject.resident"
#: Facts that a reader wants to know of the machine, several in a line; others stand on the pages
#: of the runs.
TOLD_FACTS = {
    "processor": ("processor", "cores", "architecture"),
    "memory": ("memory_bytes",),
    "machine": ("machine_kind", "power", "clock_policy"),
    "system": ("system", "kernel"),
    "graphics": ("graphics", "graphics_driver"),
    "display": (
        "display.vendor",
        "display.width",
        "display.height",
        "display.depth",
        "display.refresh_hz",
        "display.manager",
    ),
    "disk": ("disk", "file_system"),
    "network": ("network",),
    "agent": ("agent",),
}
#: What a value would not be understood without.
_SAID_OF = {
    "cores": "{} cores",
    "kernel": "kernel {}",
    "display.manager": "window manager {}",
    "display.width": "{} wide",
    "display.height": "{} high",
    "agent": "version {}",
    "clock_policy": "clock policy {}",
    "power": "on {}",
    "file_system": "file system {}",
}
_DRAWN: SizedLruCache[tuple[list[CurvesBlock], list[LanesBlock]]] = SizedLruCache(16 * 2**20)
_DRAWN_BYTES = 200_000


def content_of(study: Study) -> Content:
    """All that a report of the study rests on, as last judged."""
    analysis = kept_analysis(study)
    counted = study.runs.filter(state="read", purpose=ROUND, cold=False, left_out="")
    curves, lanes = _drawn(study, analysis)
    rigs = sorted({run.rig.name for run in counted.select_related("rig") if run.rig})
    return {
        "question": study.question,
        "why": study.why,
        "asked_on": text.day(study.created),
        "subject": study.subject.name,
        "maker": study.subject.maker,
        "factor": study.factor,
        "measured": _when(counted),
        "rig": ", ".join(rigs),
        "demonstration": study.demonstration,
        "rounds": warm_rounds(analysis.judgement),
        "extent": extent_of(analysis.judgement, analysis.board["variants"]),
        "board": analysis.board,
        "decision": decision_body(analysis),
        "match": _match(analysis),
        "runs": _run_count(study),
        "findings": _findings(study),
        "work": _work(study),
        "machine": _machine(counted),
        "session_table": table_body(study, "") if len(study.session_set) > 1 else None,
        "crossing": crossing_body(study, "", []) if study.second_factor else None,
        "works_pictures": _works_pictures(study) if study.second_factor else {},
        "jobs": kept_jobs(study),
        "curves": curves,
        "lanes": lanes,
        "plan": plan_in_words(study),
    }


def rests_on(study: Study, content: Content) -> str:
    """Digest of what the numbers rest on: the numbers, the script, and every sample of the runs."""
    runs = study.runs.filter(state="read").order_by("pk").values_list("pk", flat=True)
    chunks = Chunk.objects.filter(run__in=runs).order_by("run", "stream", "sequence")
    return digest(
        {
            "results": results(content["board"], study.question),
            "script": content["work"]["sha256"],
            "waived": sorted(study.waivers.values_list("identity", "reason")),
            "chunks": list(chunks.values_list("run", "stream", "sequence", "sha256")),
        }
    )


def _when(runs: QuerySet[Run]) -> str:
    known = [when for pair in runs.values_list("started", "ended") for when in pair if when]
    if not known:
        return "at times that are not known"
    first, last = min(known), max(known)
    if first.date() == last.date():
        return text.day(first)
    return f"{text.day(first)} to {text.day(last)}"


def _match(analysis: StudyAnalysis) -> dict[str, Any]:
    study, sheet = analysis.study, analysis.sheet
    done = {one.identity: one for one in study.waivers.order_by("at")}
    return {
        "status": parity_status(sheet, analysis.waived),
        "mismatches": [
            {
                "text": part.text,
                "grade": part.grade,
                "is_factor": part.is_factor,
                "waived": {"by": kept.by, "reason": kept.reason}
                if (kept := done.get(part.identity))
                else None,
            }
            for part in sheet.mismatches
        ],
        "unknown": list(sheet.unknown),
        "preconditions": preconditions(study),
        "drift": [{"text": one.text, "drifts": one.drifts} for one in analysis.drifts],
        "watching": {
            "runs": study.runs.filter(purpose=CONTROL, state="read").count(),
            "costs": [
                {"text": one.text, "matters": one.matters, "verdict": one.difference.verdict}
                for one in analysis.observer_overhead
            ],
        },
    }


def _run_count(study: Study) -> RunCount:
    every = list(
        study.runs.filter(purpose__in=(ROUND, CONTROL))
        .exclude(state__in=("withdrawn", "queued"))
        .select_related("variant__variant")
        .order_by("pk")
    )
    read = [run for run in every if run.state == "read"]
    warm = [run for run in read if run.purpose == ROUND and not run.cold and not run.left_out]
    finished = Counter(run.variant.position for run in warm)
    return {
        "counted": [finished[place] for place in range(study.study_variants.count())],
        "cold": sum(run.cold for run in read),
        "control": sum(run.purpose == CONTROL for run in read),
        "failed": [
            f"run {run.pk} of {run.variant.variant.name}: {run.outcome}"
            for run in every
            if run.outcome not in ("", "finished")
        ],
        "left_out": [
            f"run {run.pk} of {run.variant.variant.name}: {run.left_out}"
            for run in every
            if run.left_out
        ],
        "brought_in": sum(run.origin == BROUGHT_IN for run in warm),
        "by_hand": sum(run.origin == BY_HAND for run in warm),
    }


def _findings(study: Study) -> list[Found]:
    found = Finding.objects.filter(run__study=study, withdrawn=False)
    found = found.select_related("run__variant", "clip").order_by("run", "at_ns", "id")
    clips = {one.pk: _clip(one) for one in found}
    return [
        {
            "variant": one.run.variant.position,
            "run": one.run_id,
            "at": f"{one.at_ns / 1e9:.1f}\u00a0s",
            "kind": one.kind,
            "text": one.text,
            "by": one.by,
            "picture": base64.b64encode(bytes(one.picture)).decode() if one.picture else "",
            "clip": clips[one.pk][0],
            "clip_s": clips[one.pk][1],
        }
        for one in found
    ]


def _clip(finding: Finding) -> tuple[str, float]:
    """Its clip (base64 of an MP4) and how long it is, s; nothing where there is none."""
    kept: FindingClip | None = getattr(finding, "clip", None)
    if kept is None or kept.state != "ready":
        return "", 0.0
    return base64.b64encode(bytes(kept.data)).decode(), kept.seconds


def _works_pictures(study: Study) -> dict[int, str]:
    """By position of its variant, the picture that goes with a person's word (base64 of a PNG)."""
    found = WorksPicture.objects.filter(variant__study=study).exclude(variant__works="")
    kept = found.values_list("variant__position", "content")
    return {position: base64.b64encode(bytes(content)).decode() for position, content in kept}


def _work(study: Study) -> Work:
    script = study.script
    parsed = parse(script.text)
    used: dict[str, str] = {}
    for kept in study.runs.filter(state="read").values_list("conditions", flat=True):
        used |= kept.get("fixtures", {})
    read = study.runs.filter(state="read")
    brought = list(read.filter(origin=BROUGHT_IN).values_list("import_source", flat=True))
    if brought and len(brought) == read.count():
        return {
            "title": "", "text": "", "version": script.number, "sha256": script.sha256,
            "steps": [], "facts": [], "files": _files_of(brought), "elsewhere": True,
        }  # fmt: skip
    return {
        "elsewhere": False,
        "title": parsed.title,
        "text": script.text,
        "version": script.number,
        "sha256": script.sha256,
        "steps": list(outline(parsed).steps),
        "facts": [(name, str(value)) for name, value in parsed.facts.items()],
        "files": sorted(used.items()),
    }


def _files_of(sources: list[dict[str, Any]]) -> list[tuple[str, str]]:
    """The files that runs were brought in from, with their digests."""
    found = {(one["file"], one.get("sha256", "")) for one in sources if one.get("file")}
    return sorted(found)


def _machine(runs: QuerySet[Run]) -> list[tuple[str, str]]:
    """Facts of the machine, over all runs that count; several values stand beside one another."""
    known = [flat(run.known_facts) for run in runs.select_related("facts") if run.facts]
    rows = []
    for name, keys in TOLD_FACTS.items():
        said: dict[str, None] = {}
        for key in keys:
            values = dict.fromkeys(in_text(key, facts[key]) for facts in known if key in facts)
            values.pop(UNKNOWN, None)
            if values:
                said[_SAID_OF.get(key, "{}").format(" and ".join(values))] = None
        if said:
            rows.append((name, ", ".join(said)))
    return rows


def plan_in_words(study: Study) -> str:
    """How many rounds there were to be, and why there are no more."""
    plan = study.plan
    if plan.stop == DECIDED:
        looks = ", ".join(map(str, plan.core().looks))
        said = f"rounds until what decides is decided, looked at after {looks}"
    elif plan.stop == PRECISE:
        said = f"rounds until intervals are within {plan.precision:g} %, {plan.cap} at most"
    else:
        said = f"{plan.rounds} rounds"
    cold = f", {plan.cold_rounds} cold before them" if plan.cold_rounds else ""
    rest = f", {plan.rest_s:g} s of rest between runs" if plan.rest_s else ""
    ended = f"; it ended: {plan.reason.rstrip('.')}" if plan.reason else ""
    return f"{said}{cold}{rest}{ended}"


# -- what is drawn ---------------------------------------------------------------------------


def _drawn(study: Study, analysis: StudyAnalysis) -> tuple[list[CurvesBlock], list[LanesBlock]]:
    """Curves and lanes, kept for as long as the study is judged as it is."""
    kept = StudyJudgement.objects.filter(study=study, core_version=CORE_VERSION)
    judged = kept.values_list("made", flat=True).first()

    def make() -> tuple[tuple[list[CurvesBlock], list[LanesBlock]], int]:
        return (_curves(study, analysis), _lanes(study, analysis)), _DRAWN_BYTES

    return make()[0] if judged is None else _DRAWN.get((study.pk, judged), make)


def _frame_rows(analysis: StudyAnalysis) -> list[contracts.Row]:
    """A row for each frame stretch, those that decide first."""
    rows = analysis.board["rows"]
    deciding = {
        tuple(row["stretch"]) for row in rows if row["deciding"] and row["family"] == FRAME_FAMILY
    }
    found = [
        row for row in rows
        if row["metric"] == "average_rate" and row["judged"] and not row["not_judged"]
    ]  # fmt: skip
    found.sort(key=lambda row: tuple(row["stretch"]) not in deciding)
    return found[:MOST_STRETCHES]


def _curves(study: Study, analysis: StudyAnalysis) -> list[CurvesBlock]:
    found: list[CurvesBlock] = []
    for row in _frame_rows(analysis):
        curves = quantile_curves(study, row["stretch"], 1 - 1 / ONE_IN)
        if curves:
            found.append(
                {
                    "kind": "curves",
                    "stretch": list(row["stretch"]),
                    "one_in": [round(float(n), 3) for n in ONE_IN],
                    "curves": [
                        {
                            "variant": curve.variant,
                            "runs": curve.runs,
                            "ms": [
                                round(float(ms), 3) if n <= curve.frames else None
                                for n, ms in zip(ONE_IN, curve.ms, strict=True)
                            ],
                        }
                        for curve in curves
                    ],
                }
            )
    return found


def _lanes(study: Study, analysis: StudyAnalysis) -> list[LanesBlock]:
    found = [
        block
        for row in _frame_rows(analysis)[:1]
        if (block := _lanes_of(study, row, "frames", "Frame time", "ms"))
    ]
    board = analysis.board
    memory = [
        row
        for row in board["rows"]
        if row["family"] == MEMORY and (row["deciding"] or board["growing"]) and row["judged"]
    ]
    if memory:
        whole = _lanes_of(study, memory[0], RESIDENT, "Memory", "MiB")
        found += [whole] if whole else []
    return found


def _lanes_of(
    study: Study, row: contracts.Row, series: str, name: str, unit: str
) -> LanesBlock | None:
    middle = middle_runs(row)
    runs = {run.pk: run for run in study.runs.filter(pk__in=middle.values())}
    lanes = [
        lane
        for variant, run in middle.items()
        if run in runs and (lane := _lane(runs[run], variant, row["stretch"], series))
    ]
    if not lanes:
        return None
    return {
        "kind": "lanes",
        "stretch": list(row["stretch"]),
        "name": name,
        "unit": unit,
        "seconds": max(lane["at"][-1] for lane in lanes),
        "lanes": lanes,
    }


def _lane(run: Run, variant: int, path: Sequence[str], series: str) -> Lane | None:
    record = journal_of(run)
    stretch = next((one for one in record.stretches if one.path == tuple(path)), None)
    if stretch is None and tuple(path) == (WHOLE,):
        stretch = whole_stretch(record)
    if stretch is None:
        return None
    start, end = stretch.start_ns, stretch.end_ns
    drawn = series_between(run, [series, "spikes"], start, end, MOST_POINTS)
    points = _inside(drawn.get(series), start, end)
    if points is None:
        return None
    spikes = _inside(drawn.get("spikes"), start, end)
    return {
        "variant": variant,
        "run": run.pk,
        "at": _seconds(points, start),
        "low": [round(float(value), 3) for value in points.low],
        "high": [round(float(value), 3) for value in points.high],
        "spikes": []
        if spikes is None or series != "frames"
        else list(
            zip(_seconds(spikes, start), (round(float(v), 3) for v in spikes.high), strict=True)
        ),
    }


def _inside(points: Points | None, start: int, end: int) -> Points | None:
    """Points of a stretch alone; None where there is none."""
    if points is None:
        return None
    inside = (points.end_ns > start) & (points.end_ns <= end)
    if not inside.any():
        return None
    return Points(
        points.end_ns[inside], points.low[inside], points.high[inside], points.mean[inside]
    )


def _seconds(points: Points, start: int) -> list[float]:
    return [round((int(at) - start) / 1e9, 4) for at in points.end_ns]
