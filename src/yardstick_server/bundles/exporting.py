"""Writes a study as a bundle: run by run, in bounded memory."""

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
)
from yardstick_core.formats.chunk_table import write_chunks
from yardstick_core.readings import METRICS
from yardstick_core.report.results import results
from yardstick_core.report.sections import written
from yardstick_server.analysis.models import RunReading
from yardstick_server.inventory.models import Fixture
from yardstick_server.reports.gathering import content_of
from yardstick_server.reports.issuing import draft_of
from yardstick_server.reports.page import report_html
from yardstick_server.runs.models import Run
from yardstick_server.studies.models import Study, fixture_files
from yardstick_server.traces.models import Chunk

PLAN = (
    "stop", "rounds", "precision", "cap", "cold_rounds", "order", "rest_s", "control_rounds",
    "background_cpu_limit", "background_cpu_limit_set", "added", "state", "reason", "looks",
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
    """Write the bundle of a study to a file."""
    runs = list(
        study.runs.filter(state__in=("measured", "read"))
        .select_related("variant", "script", "rig", "facts")
        .order_by("pk")
    )
    numbers = {run.pk: number for number, run in enumerate(runs, 1)}
    writer = BundleWriter(path)
    fixtures = _write_fixtures(writer, study)
    for script in study.scripts.order_by("number"):
        writer.add(f"scripts/{script.number}.session", script.text)
    for done, run in enumerate(runs):
        told(done, len(runs))
        _write_run(writer, run, numbers)
    writer.add_json(STUDY, study_body(study, fixtures))
    writer.add(READINGS, "".join(_readings(study, numbers)))
    content = content_of(study)
    writer.add(REPORT, report_html(written(content, draft_of(study).arrangement)))
    writer.add_json(RESULTS, _numbered(results(content["board"], study.question), numbers))
    made = timezone.now().isoformat(timespec="seconds")
    writer.add_json(CRATE, crate(study.question, made, [*writer.files]))
    writer.close(question=study.question, made=made, runs=len(runs))
    told(len(runs), len(runs))


def study_body(study: Study, fixtures: list[dict[str, str]]) -> dict[str, Any]:
    """A study as JSON: all that a person said of it."""
    plan, draft = study.plan, draft_of(study)
    subject = study.subject
    return {
        "question": study.question,
        "why": study.why,
        "factor": study.factor,
        "baseline": study.baseline,
        "created": study.created.isoformat(),
        "demonstration": study.demonstration,
        "subject": {
            "name": subject.name, "maker": subject.maker, "settings": subject.settings,
        },
        "variants": [
            {
                "name": part.variant.name, "program": part.variant.program,
                "tags": part.variant.tags, "start": part.variant.start,
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
        "fixtures": fixtures,
        "report": {
            "order": draft.order, "on": draft.on, "off": draft.off, "words": draft.words,
        },
    }  # fmt: skip


def _write_fixtures(writer: BundleWriter, study: Study) -> list[dict[str, str]]:
    """The files that the session works on, as they are in the workspace now."""
    names = {name for script in study.scripts.all() for name in fixture_files(script.text)}
    found = []
    for number, name in enumerate(sorted(names), 1):
        fixture = Fixture.objects.filter(workspace=study.workspace, name=name).first()
        if fixture is not None:
            file = f"fixtures/{number}"
            writer.add(file, bytes(fixture.content))
            found.append({"name": name, "sha256": fixture.sha256, "file": file})
    return found


def _write_run(writer: BundleWriter, run: Run, numbers: dict[int, int]) -> None:
    folder = f"runs/{numbers[run.pk]}"
    pictures = []
    for place, picture in enumerate(run.pictures.order_by("pk"), 1):
        file = f"pictures/{place}.png"
        writer.add(f"{folder}/{file}", bytes(picture.content))
        pictures.append({"name": picture.name, "file": file})
    findings = []
    for place, finding in enumerate(run.findings.order_by("pk"), 1):
        file = f"findings/{place}.png" if finding.picture else ""
        if file:
            writer.add(f"{folder}/{file}", bytes(finding.picture))
        findings.append(
            {
                "at_ns": finding.at_ns, "until_ns": finding.until_ns, "kind": finding.kind,
                "text": finding.text, "by": finding.by, "withdrawn": finding.withdrawn,
                "created": finding.created.isoformat(), "file": file,
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
