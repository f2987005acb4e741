"""Writes a study and its set as a bundle: run by run, in bounded memory."""

from __future__ import annotations

import csv
import io
import tempfile
from collections.abc import Callable, Iterator
from pathlib import Path
from typing import Any

from django.utils import timezone

from yardstick_core.formats.bundle import (
    CRATE,
    READINGS,
    REPORT,
    RESULTS,
    STUDY,
    BundleWriter,
    crate,
    folder_of,
)
from yardstick_core.formats.chunk_table import write_chunks
from yardstick_core.readings import METRICS
from yardstick_core.report.results import results
from yardstick_core.report.sections import written
from yardstick_server.analysis.models import RunReading
from yardstick_server.films.models import FindingClip
from yardstick_server.inventory.models import Fixture
from yardstick_server.reports.gathering import content_of
from yardstick_server.reports.issuing import draft_of
from yardstick_server.reports.page import report_html
from yardstick_server.runs.models import Run
from yardstick_server.studies.models import Study, WorksPicture, fixture_files
from yardstick_server.traces.models import Chunk

PLAN = (
    "stop", "rounds", "precision", "cap", "cold_rounds", "order", "rest_s", "control_rounds",
    "background_cpu_limit", "background_cpu_limit_set", "added", "state", "reason", "looks", "film",
)  # fmt: skip
VARIANT = ("first_level", "second_level", "works", "works_note", "works_by")
SHOWN_NUMBER = (
    "path", "unit", "higher_is_better", "picture", "text", "proposal", "value", "plus_minus",
    "doubt", "by",
)  # fmt: skip
TERM = (
    "metric", "stretch", "share", "amount", "counts", "decides", "family_role", "by", "after",
)  # fmt: skip
RUN = (
    "round", "order_in_round", "cold", "purpose", "level", "outcome", "detail", "origin",
    "left_out", "left_out_by", "acceptance_reason", "import_source", "moment",
)  # fmt: skip
_CHUNKS_AT_ONCE = 50

#: Told how many of how many runs are written.
Told = Callable[[int, int], None]


def export(study: Study, path: Path, told: Told = lambda done, total: None) -> None:
    """Write the bundle of a study to a file, with all sessions of its set."""
    sessions = study.session_set
    runs = [_runs_of(one) for one in sessions]
    total, done = sum(map(len, runs)), 0
    writer = BundleWriter(path)
    fixtures = _write_fixtures(writer, sessions)
    for place, (one, own) in enumerate(zip(sessions, runs, strict=True), 1):
        folder = folder_of(place)
        numbers = {run.pk: number for number, run in enumerate(own, 1)}
        for script in one.scripts.order_by("number"):
            writer.add(f"{folder}scripts/{script.number}.session", script.text)
        for run in own:
            told(done, total)
            _write_run(writer, run, numbers, folder)
            done += 1
        for kept in _works_pictures(one):
            writer.add(f"{folder}works/{kept.variant.position}.png", bytes(kept.content))
        writer.add_json(folder + STUDY, study_body(one, fixtures))
        writer.add(folder + READINGS, "".join(_readings(one, numbers)))
        content = content_of(one)
        writer.add(folder + REPORT, report_html(written(content, draft_of(one).arrangement)))
        found = results(content["board"], one.question)
        writer.add_json(folder + RESULTS, _numbered(found, numbers))
    made = timezone.now().isoformat(timespec="seconds")
    question = sessions[0].question
    writer.add_json(CRATE, crate(question, made, [*writer.files]))
    writer.close(question=question, made=made, sessions=[len(own) for own in runs])
    told(total, total)


def _runs_of(study: Study) -> list[Run]:
    found = study.runs.filter(state__in=("measured", "read"))
    return list(found.select_related("variant", "script", "rig", "facts").order_by("pk"))


def _works_pictures(study: Study) -> list[WorksPicture]:
    found = WorksPicture.objects.filter(variant__study=study).select_related("variant")
    return list(found.order_by("variant__position"))


def study_body(study: Study, fixtures: dict[str, dict[str, str]]) -> dict[str, Any]:
    """A study as JSON: all that a person said of it. `fixtures` are all files of its set."""
    plan, draft = study.plan, draft_of(study)
    subject = study.subject
    pictured = {kept.variant.position for kept in _works_pictures(study)}
    return {
        "question": study.question,
        "why": study.why,
        "factor": study.factor,
        "baseline": study.baseline,
        "created": study.created.isoformat(),
        "demonstration": study.demonstration,
        "second_factor": study.second_factor,
        "missing_cells": study.missing_cells,
        "day_share": study.day_share,
        "subject": {
            "name": subject.name, "maker": subject.maker, "settings": subject.settings,
            "release_order": subject.release_order,
        },
        "variants": [
            {
                "name": part.variant.name, "program": part.variant.program,
                "tags": part.variant.tags, "start": part.variant.start,
                **{name: getattr(part, name) for name in VARIANT},
                "works_picture": f"works/{part.position}.png"
                if part.position in pictured else "",
            }
            for part in study.variants
        ],
        "plan": {name: getattr(plan, name) for name in PLAN},
        "terms": [
            {name: getattr(term, name) for name in TERM}
            for term in study.materiality_rules.order_by("pk")
        ],
        "claims": [
            {
                "variant": claim.variant.position, "stretch": claim.stretch,
                "metric": claim.metric, "side": claim.side, "amount": claim.amount,
                "source": claim.source, "created": claim.created.isoformat(),
            }
            for claim in study.claims.select_related("variant").order_by("pk")
        ],
        "profiles": [
            {
                "name": one.name, "about": one.about, "weights": one.weights,
                "limits": one.limits,
            }
            for one in study.profiles.filter(archived_at=None, deleted_at=None).order_by("pk")
        ],
        "waivers": [
            {
                "identity": one.identity, "text": one.text, "reason": one.reason, "by": one.by,
                "at": one.at.isoformat(),
            }
            for one in study.waivers.order_by("pk")
        ],
        "scripts": [
            {"number": one.number, "sha256": one.sha256, "created": one.created.isoformat()}
            for one in study.scripts.order_by("number")
        ],
        "fixtures": [fixtures[name] for name in sorted(_names(study) & fixtures.keys())],
        "jobs": _jobs(study),
        "report": {
            "order": draft.order, "on": draft.on, "off": draft.off, "words": draft.words,
        },
    }  # fmt: skip


def _jobs(study: Study) -> list[dict[str, Any]]:
    """Jobs kept with it; they name sessions by their place in the set, the first of which is 1."""
    places = {one.pk: place for place, one in enumerate(study.session_set, 1)}
    return [
        {
            "by": kept.by,
            "at": kept.at.isoformat(),
            "asked": {
                **kept.asked,
                "kinds": [
                    {**kind, "sessions": [places.get(one, 0) for one in kind["sessions"]]}
                    for kind in kept.asked["kinds"]
                ],
            },
        }
        for kept in study.jobs.all()
    ]


def _names(study: Study) -> set[str]:
    """Names of the files that any version of its script works on."""
    return {name for script in study.scripts.all() for name in fixture_files(script.text)}


def _write_fixtures(writer: BundleWriter, sessions: list[Study]) -> dict[str, dict[str, str]]:
    """The files that the sessions work on, as they are in the workspace now, by name."""
    found = {}
    names = sorted(set().union(*map(_names, sessions)))
    for number, name in enumerate(names, 1):
        fixture = Fixture.objects.filter(workspace=sessions[0].workspace, name=name).first()
        if fixture is not None:
            file = f"fixtures/{number}"
            writer.add(file, bytes(fixture.content))
            found[name] = {"name": name, "sha256": fixture.sha256, "file": file}
    return found


def _write_run(writer: BundleWriter, run: Run, numbers: dict[int, int], session: str) -> None:
    folder = f"{session}runs/{numbers[run.pk]}"
    pictures = []
    for place, picture in enumerate(run.pictures.order_by("pk"), 1):
        file = f"pictures/{place}.png"
        writer.add(f"{folder}/{file}", bytes(picture.content))
        pictures.append({"name": picture.name, "file": file})
    findings = []
    for place, finding in enumerate(run.findings.select_related("clip").order_by("pk"), 1):
        file = f"findings/{place}.png" if finding.picture else ""
        if file:
            writer.add(f"{folder}/{file}", bytes(finding.picture))
        kept: FindingClip | None = getattr(finding, "clip", None)
        clip, clip_s = "", 0.0
        if kept is not None and kept.state == "ready":
            clip, clip_s = f"findings/{place}.mp4", kept.seconds
            writer.add(f"{folder}/{clip}", bytes(kept.data))
        findings.append(
            {
                "at_ns": finding.at_ns, "until_ns": finding.until_ns, "kind": finding.kind,
                "text": finding.text, "by": finding.by, "withdrawn": finding.withdrawn,
                "created": finding.created.isoformat(), "file": file,
                "clip": clip, "clip_s": clip_s,
            }
        )  # fmt: skip
    with tempfile.NamedTemporaryFile(suffix=".parquet") as file_:
        rows = write_chunks(Path(file_.name), _chunks(run))
        writer.add_file(f"{folder}/streams.parquet", Path(file_.name))
    about = {
        **{name: getattr(run, name) for name in RUN},
        "variant": run.variant.position,
        "script": run.script.number,
        "rig": run.rig.name if run.rig else "",
        "facts": run.facts.facts if run.facts else {},
        "started": run.started.isoformat() if run.started else None,
        "ended": run.ended.isoformat() if run.ended else None,
        "repeats": numbers.get(run.repeats_id, 0),
        "pictures": pictures,
        "findings": findings,
        "shown": [
            {
                **{name: getattr(one, name) for name in SHOWN_NUMBER},
                "at": one.at.isoformat() if one.at else None,
            }
            for one in run.shown.order_by("pk")
        ],
        "rows": rows,
    }
    writer.add_json(f"{folder}/run.json", about)


def _chunks(run: Run) -> Iterator[tuple[str, int, bytes]]:
    """A run's chunks, the journal first, a few at a time."""
    found = Chunk.objects.filter(run=run)
    ordered = [found.filter(stream="journal"), found.exclude(stream="journal")]
    for part in ordered:
        rows = part.order_by("stream", "sequence").values_list("stream", "sequence", "data")
        for stream, sequence, data in rows.iterator(chunk_size=_CHUNKS_AT_ONCE):
            yield stream, sequence, bytes(data)


def _readings(study: Study, numbers: dict[int, int]) -> Iterator[str]:
    """All readings as CSV, a line each, with their units."""
    yield _line(["run", "stretch", "metric", "value", "unit", "plus_minus", "right_censored"])
    found = RunReading.objects.filter(run__study=study, run__in=numbers).order_by("run", "pk")
    for one in found.iterator():
        unit = METRICS[one.metric].unit if one.metric in METRICS else ""
        stretch = " / ".join(one.stretch)
        yield _line(
            [numbers[one.run_id], stretch, one.metric, repr(one.value), unit, one.plus_minus,
             one.right_censored]
        )  # fmt: skip


def _line(cells: list[Any]) -> str:
    out = io.StringIO()
    csv.writer(out, lineterminator="\n").writerow(cells)
    return out.getvalue()


def _numbered(found: dict[str, Any], numbers: dict[int, int]) -> dict[str, Any]:
    """Results with runs by their number in the bundle."""
    for metric in found["metrics"]:
        for side in metric["samples"]:
            for sample in side:
                sample["run"] = numbers[sample["run"]]
        for difference in metric["differences"]:
            for excluded in difference["excluded_runs"] if difference else ():
                excluded[0] = numbers.get(excluded[0], excluded[0])
    return found
