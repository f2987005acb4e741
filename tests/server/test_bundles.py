"""Bundles over the API: the same study elsewhere, or nothing of it."""

import csv
import io
import json
import zipfile

import pytest
from django.conf import settings
from django.core.management import call_command
from django.core.management.base import CommandError
from django.utils import timezone

from server.test_findings import picture
from server.worlds import make_world, measure_all
from yardstick_core.formats.bundle import Bundle, BundleError
from yardstick_core.record import FILMED, OUTCOMES, PURPOSES
from yardstick_core.report.results import digest, results
from yardstick_server.analysis.job import kept_jobs
from yardstick_server.analysis.judging import judge_study, kept_analysis
from yardstick_server.analysis.models import RunReading
from yardstick_server.analysis.records import run_record
from yardstick_server.bundles import tasks
from yardstick_server.bundles.exporting import export
from yardstick_server.bundles.importing import bring_in
from yardstick_server.bundles.models import StudyBundle
from yardstick_server.films.models import Film, FindingClip
from yardstick_server.inventory.models import Fixture, Rig, Subject
from yardstick_server.runs.models import Run
from yardstick_server.studies.models import Study, WorksPicture
from yardstick_server.traces.models import Chunk

#: As a clip begins.
CLIP = b"\0\0\0\x20ftypisom and what it shows"
SHOT = b"\x89PNG\r\n\x1a\n of what it asks"


@pytest.fixture(scope="module")
def measured_once(begun):
    """Four warm rounds with all that a person may have said of them."""
    world = make_world("weavers")
    study = world.study
    study.materiality_rules.create(
        metric="duration", stretch=["Open", "open"], decides=True, by="weavers-owner"
    )
    study.profiles.create(
        name="Openers", about="who open", limits=[],
        weights=[{"metric": "duration", "stretch": ["Open", "open"], "weight": 1}],
    )  # fmt: skip
    study.claims.create(
        variant=study.variants[1], stretch=["Open", "open"], metric="duration", side="at most",
        amount=-20, source="notes",
    )  # fmt: skip
    part = study.variants[1].variant
    part.start, part.tags = {"command": ["/bin/false", "--quietly"]}, ["new"]
    part.save()
    study.add_rounds(4)
    measure_all(world, {0: 2.0, 1: 1.4})
    run = study.runs.first()
    flicker = run.findings.create(
        at_ns=5, kind="artefact", text="it flickers", by="x", picture=picture()
    )
    FindingClip.objects.create(finding=flicker, state="ready", data=CLIP, seconds=4.0)
    run.pictures.create(name="end", content=picture())
    left = study.runs.last()
    left.left_out, left.left_out_by = "a door stood open", "weavers-owner"
    left.save()
    study.report_draft = None
    from yardstick_server.reports.issuing import arrange

    arrange(
        study,
        {"revision": 0, "order": [], "on": [], "off": [],
         "words": {"own": "It saves #{open | 4.2 | amount}."}},
        "weavers-owner",
    )  # fmt: skip
    judge_study(study)
    return world


@pytest.fixture
def db(within):
    return within


def written(world, folder):
    file = folder / "study.bundle.zip"
    export(world.study, file)
    return file


def brought(file, others, by="somebody"):
    with Bundle(file) as opened:
        opened.check()
        return bring_in(opened, others.workspace, by)


def said(study):
    """All that a study says, with runs by their place instead of their number."""
    numbers = {pk: n for n, pk in enumerate(study.runs.order_by("pk").values_list("pk", flat=True))}
    found = results(kept_analysis(Study.objects.get(pk=study.pk)).board, study.question)
    for metric in found["metrics"]:
        for side in metric["samples"]:
            for sample in side:
                sample["run"] = numbers[sample["run"]]
        for difference in metric["differences"]:
            for excluded in difference["excluded_runs"] if difference else ():
                excluded[0] = numbers[excluded[0]]
    return found


def test_a_study_reads_elsewhere_as_it_does_here_to_the_last_bit(measured, others, tmp_path):
    study, differs = brought(written(measured, tmp_path), others)
    assert differs == []
    assert study.workspace == others.workspace
    assert digest(said(study)) == digest(said(measured.study))
    ours, theirs = (
        list(RunReading.objects.filter(run__study=one).order_by("run", "pk").values_list(
            "stretch", "metric", "value", "plus_minus", "right_censored", "warning"))
        for one in (measured.study, study)
    )  # fmt: skip
    assert ours == theirs
    assert len(ours) > 100
    for name in ("samples", "first_ns", "last_ns", "sha256"):
        kept = Chunk.objects if name != "sha256" else Chunk.objects.exclude(stream="frames")
        chunks = [
            sorted(kept.filter(run__study=one).values_list("stream", "sequence", name))
            for one in (measured.study, study)
        ]
        assert chunks[0] == chunks[1], name
    pictures = [
        [run_record(run).frames_ns.tolist() for run in one.runs.order_by("pk")]
        for one in (measured.study, study)
    ]
    assert pictures[0] == pictures[1]


def test_what_persons_said_comes_along(measured, others, tmp_path):
    study, _ = brought(written(measured, tmp_path), others)
    fields = ("round", "order_in_round", "cold", "purpose", "outcome", "left_out", "left_out_by",
              "started", "ended", "moment", "rig__name")  # fmt: skip
    ours, theirs = (
        list(one.runs.order_by("pk").values_list(*fields)) for one in (measured.study, study)
    )
    assert ours == theirs
    run = study.runs.order_by("pk").first()
    assert bytes(run.findings.get().picture) == picture()
    kept = run.findings.get().clip
    assert (kept.state, bytes(kept.data), kept.seconds) == ("ready", CLIP, 4.0)
    assert bytes(run.pictures.get().content) == picture()
    assert study.claims.get().amount == -20
    assert study.profiles.get().name == "Openers"
    assert study.report_draft.words["own"]["by"] == "weavers-owner"
    assert study.script.sha256 == measured.study.script.sha256
    assert study.created == measured.study.created
    assert study.plan.core() == measured.study.plan.core()


def test_what_it_says_is_to_be_started_is_a_wish_and_nothing_more(measured, others, tmp_path):
    study, _ = brought(written(measured, tmp_path), others)
    variant = study.variants[1].variant
    assert variant.start["command"] == ["/bin/false", "--quietly"]
    assert variant.program.startswith(f"bundle-{variant.pk}-")
    (rig,) = Rig.objects.filter(workspace=others.workspace, runs__study=study).distinct()
    assert (rig.name, rig.revoked) == ("loft", True)
    assert not others.rig_record.errands.exists()
    assert others.rig.post("/api/agent/runs/take").status_code == 204


def test_a_bundle_is_open_to_anybody_who_unpacks_it(measured, tmp_path):
    with zipfile.ZipFile(written(measured, tmp_path)) as archive:
        names = archive.namelist()
        study = json.loads(archive.read("study.json"))
        script = archive.read(f"scripts/{study['scripts'][0]['number']}.session").decode()
        readings = list(csv.DictReader(io.StringIO(archive.read("readings.csv").decode())))
        report = archive.read("report.html").decode()
    assert script == measured.study.script.text
    assert {"run", "stretch", "metric", "value", "unit"} <= set(readings[0])
    assert any(one["metric"] == "duration" and float(one["value"]) > 1 for one in readings)
    assert "Is it faster?" in report
    assert "runs/1/streams.parquet" in names
    assert "ro-crate-metadata.json" in names


def test_a_whole_set_comes_along_with_its_factors_jobs_and_typed_answers(
    measured, others, tmp_path
):
    root = measured.study
    part = root.add_session()
    part.keep_script(part.script.text.replace('session "', 'session "Longer: '))
    for study in (root, part):
        study.second_factor, study.day_share = "tile margin", 40.0
        study.missing_cells = [{"first": "4.2", "second": "wide", "note": "never built"}]
        study.save()
    for one, level in zip(root.variants, ("4.1", "4.2"), strict=True):
        one.first_level, one.second_level = level, "narrow"
        one.works, one.works_note, one.works_by = "works with a remark", "slow", "Ida"
        one.save()
    WorksPicture.objects.create(variant=root.variants[1], content=SHOT)
    part.add_rounds(4)
    measure_all(measured, {0: 2.0, 1: 1.8})
    shown = part.runs.first().shown.create(
        path=["Draw", "score"], unit="points", higher_is_better=True, picture="end", doubt="unsure",
        proposal=7, value=17, by="Ida", at=timezone.now(),
    )  # fmt: skip
    root.jobs.create(
        by="Ida",
        asked={"candidate": 1, "metric": "", "period": "a day", "whole": 0.0, "threshold": 0.0,
               "kinds": [{"name": "longer ones", "items": 40.0, "affected": 100.0,
                          "sessions": [part.pk]}]},
    )  # fmt: skip
    for study in (root, part):
        judge_study(study)
    file = tmp_path / "set.zip"
    export(part, file)
    study, differs = brought(file, others)
    assert differs == []
    first, second = study.session_set
    assert [digest(said(one)) for one in (first, second)] == [
        digest(said(one)) for one in (root, part)
    ]
    assert (second.part_of, second.subject, second.day_share) == (first, first.subject, 40.0)
    assert [one.variant for one in first.variants] == [one.variant for one in second.variants]
    assert (first.second_factor, first.missing_cells) == (root.second_factor, root.missing_cells)
    fields = ("first_level", "second_level", "works", "works_note", "works_by")
    assert list(first.study_variants.order_by("position").values_list(*fields)) == list(
        root.study_variants.order_by("position").values_list(*fields)
    )
    (shot,) = WorksPicture.objects.filter(variant__study=first)
    assert (shot.variant.position, bytes(shot.content)) == (1, SHOT)
    (kept,) = first.jobs.all()
    assert kept.asked["kinds"][0]["sessions"] == [second.pk]
    assert kept_jobs(first)[0]["answer"] == kept_jobs(root)[0]["answer"]
    (answer,) = second.runs.order_by("pk").first().shown.all()
    assert (answer.value, answer.by, answer.at, answer.settled) == (17, "Ida", shown.at, True)


def of_first_run(data):
    body = json.loads(without(data, "shown"))
    body["findings"] = [json.loads(without(json.dumps(one), "clip", "clip_s"))
                        for one in body["findings"]]  # fmt: skip
    return json.dumps(body).encode()


def of_first_version(file):
    """The bundle as the first version had it: one study, and less said of it."""
    with zipfile.ZipFile(file) as archive:
        runs = [name for name in archive.namelist() if name.endswith("run.json")]
    for name in runs:
        file = damaged(file, name, of_first_run)

    def older(data):
        said = json.loads(without(data, "second_factor", "missing_cells", "day_share", "jobs"))
        del said["plan"]["film"], said["subject"]["release_order"]
        for one in said["variants"]:
            for key in ("first_level", "second_level", "works", "works_note", "works_by",
                        "works_picture"):  # fmt: skip
                del one[key]
        return json.dumps(said).encode()

    file = damaged(file, "study.json", older)
    other = file.with_suffix(".first")
    with zipfile.ZipFile(file) as source, zipfile.ZipFile(other, "w") as target:
        for name in source.namelist():
            data = source.read(name)
            if name == "bundle.json":
                about = json.loads(data)
                about |= {"version": 1, "runs": about.pop("sessions")[0]}
                data = json.dumps(about).encode()
            target.writestr(name, data)
    return other


def without(data, *keys):
    return json.dumps({k: v for k, v in json.loads(data).items() if k not in keys}).encode()


def test_a_bundle_of_the_first_version_is_read_as_it_was(measured, others, tmp_path):
    old = of_first_version(written(measured, tmp_path))
    study, differs = brought(old, others)
    assert differs == []
    assert digest(said(study)) == digest(said(measured.study))
    assert (study.second_factor, study.session_set) == ("", [study])


def untouched(others):
    return (
        Study.objects.filter(workspace=others.workspace).count(),
        Subject.objects.filter(workspace=others.workspace).count(),
        Rig.objects.count(), Run.objects.count(), Chunk.objects.count(), Fixture.objects.count(),
    )  # fmt: skip


def damaged(file, name, change):
    """The bundle with one member changed, and its manifest made to fit."""
    import hashlib

    other = file.with_suffix(".other" if file.suffix == ".changed" else ".changed")
    with zipfile.ZipFile(file) as source, zipfile.ZipFile(other, "w") as target:
        about = json.loads(source.read("bundle.json"))
        data = change(source.read(name))
        about["files"][name] = {"size": len(data), "sha256": hashlib.sha256(data).hexdigest()}
        for member in source.namelist():
            if member not in (name, "bundle.json"):
                target.writestr(member, source.read(member))
        target.writestr(name, data)
        target.writestr("bundle.json", json.dumps(about))
    return other


def json_change(**changes):
    return lambda data: json.dumps(json.loads(data) | changes).encode()


#: Ways in which a bundle may not hold together: a file of it, and what becomes of its bytes.
BROKEN = [
    ("study.json", json_change(baseline=9)),
    ("study.json", json_change(question="x" * 999)),
    ("study.json", json_change(more=1)),
    ("study.json", json_change(why="\u0000")),
    ("study.json", json_change(scripts=[])),
    ("study.json", json_change(missing_cells=[{"first": "a", "second": "b", "note": ""}] * 2)),
    ("study.json", json_change(jobs=[{"by": "x"}])),
    ("runs/1/run.json", json_change(shown=[{}])),
    ("study.json", lambda data: b"{"),
    ("runs/1/run.json", json_change(variant=7)),
    ("runs/1/run.json", json_change(script=99)),
    ("runs/1/run.json", json_change(outcome="splendid")),
    ("runs/1/run.json", json_change(rows=1)),
    ("runs/1/run.json", json_change(started="yesterday")),
    ("runs/2/run.json", json_change(round=0, order_in_round=0)),
    ("runs/1/streams.parquet", lambda data: data[:-50]),
    ("runs/1/streams.parquet", lambda data: b"PAR1" + data),
    ("runs/1/pictures/1.png", lambda data: b"<svg/>"),
    ("scripts/1.session", lambda data: data + b"\nnonsense"),
    ("results.json", lambda data: b"[]"),
    ("fixtures/1", lambda data: b"another draft"),
]


def test_of_a_bundle_that_does_not_hold_together_nothing_is_kept(measured, others, tmp_path):
    """One study for all of them: making it takes longer than all the rest."""
    whole = written(measured, tmp_path)
    before = untouched(others)
    taken = []
    for name, change in BROKEN:
        try:
            brought(damaged(whole, name, change), others)
        except BundleError:
            assert untouched(others) == before, name
        else:
            taken.append(name)
    assert not taken


def test_a_fixture_that_is_here_with_another_content_is_not_replaced(measured, others, tmp_path):
    from server.worlds import make_world

    third = make_world("dyers")
    script = measured.study.script.text
    assert "small.weft" in script
    with pytest.raises(BundleError, match=r"small\.weft is here with another content"):
        brought(written(measured, tmp_path), third)


@pytest.fixture
def others(others):
    """A team that has nothing of the name of what comes in."""
    Fixture.objects.filter(workspace=others.workspace).delete()
    others.rig_record.name = "attic"
    others.rig_record.save()
    return others


def test_a_rig_of_a_name_that_is_here_gets_another(measured, others, tmp_path):
    others.rig_record.name = "loft"
    others.rig_record.save()
    study, _ = brought(written(measured, tmp_path), others)
    (rig,) = Rig.objects.filter(runs__study=study).distinct()
    assert rig.name.startswith("loft of 20")
    assert not Rig.objects.get(pk=others.rig_record.pk).revoked


def test_what_reads_another_way_here_is_said(measured, others, tmp_path):
    def older(data):
        found = json.loads(data)
        found["core_version"] = "1"
        metric = next(one for one in found["metrics"] if one["deciding"])
        metric["differences"][1]["verdict"] = "level"
        metric["samples"][0][0]["value"] = 99.0
        return json.dumps(found).encode()

    _, differs = brought(damaged(written(measured, tmp_path), "results.json", older), others)
    assert differs[0].startswith("core 1 judged it there")
    assert "open of 4.1: 1 readings differ" in differs
    assert any(text.startswith("open of 4.2: level, ") for text in differs)


# -- over the API ------------------------------------------------------------------------------


def made(world):
    answer = world.owner.post(f"/api/studies/{world.study.pk}/bundles")
    assert answer.status_code == 201
    tasks.write_bundle(answer.json()["id"])
    return world.owner.get(f"/api/bundles/{answer.json()['id']}").json()


def test_a_bundle_is_made_fetched_in_parts_and_brought_in_elsewhere(measured, others):
    bundle = made(measured)
    assert (bundle["state"], bundle["done"]) == ("done", bundle["total"])
    address = f"/api/bundles/{bundle['id']}/file"
    whole = b"".join(measured.owner.get(address).streaming_content)
    assert len(whole) == bundle["size"]
    half = len(whole) // 2
    first = measured.owner.get(address, headers={"Range": f"bytes=0-{half - 1}"})
    rest = measured.owner.get(
        address, headers={"Range": f"bytes={half}-", "If-Range": first.headers["ETag"]}
    )
    assert (first.status_code, rest.status_code) == (206, 206)
    assert rest.headers["Content-Range"] == f"bytes {half}-{len(whole) - 1}/{len(whole)}"
    assert b"".join(first.streaming_content) + b"".join(rest.streaming_content) == whole
    beyond = measured.owner.get(address, headers={"Range": f"bytes={len(whole)}-"})
    assert beyond.status_code == 416
    changed = measured.owner.get(
        address, headers={"Range": f"bytes={half}-", "If-Range": '"another"'}
    )
    assert changed.status_code == 200
    answer = others.owner.post(
        "/api/bundles?name=theirs.zip", whole, content_type="application/octet-stream"
    )
    assert answer.status_code == 201
    tasks.read_bundle(answer.json()["id"])
    back = others.owner.get(f"/api/bundles/{answer.json()['id']}").json()
    assert (back["state"], back["differs"], back["name"]) == ("done", [], "theirs.zip")
    assert others.owner.get(f"/api/studies/{back['study']}").json()["question"] == "Is it faster?"
    assert not StudyBundle.objects.get(pk=back["id"]).path.exists()
    assert others.owner.delete(f"/api/bundles/{back['id']}").status_code == 204
    assert Study.objects.filter(pk=back["study"]).exists()


def test_of_a_study_only_the_newest_bundle_is_kept(measured):
    first, second = made(measured), made(measured)
    assert measured.owner.get(f"/api/bundles/{first['id']}").status_code == 404
    (listed,) = measured.owner.get(f"/api/studies/{measured.study.pk}/bundles").json()
    assert listed["id"] == second["id"]
    assert len(list(StudyBundle.objects.get().path.parent.glob("bundle-*"))) == 1


def test_what_is_no_bundle_is_refused_at_once_and_leaves_no_file(world, settings):
    answer = world.owner.post("/api/bundles", b"PK", content_type="application/octet-stream")
    assert answer.status_code == 400
    assert "was not taken: this is no bundle" in answer.content.decode()
    assert not StudyBundle.objects.exists()


def test_a_bundle_whose_inside_is_broken_fails_with_a_reason(measured, others, tmp_path):
    file = damaged(written(measured, tmp_path), "study.json", json_change(baseline=9))
    answer = others.owner.post(
        "/api/bundles", file.read_bytes(), content_type="application/octet-stream"
    )
    tasks.read_bundle(answer.json()["id"])
    back = others.owner.get(f"/api/bundles/{answer.json()['id']}").json()
    assert (back["state"], back["study"]) == ("failed", None)
    assert "baseline is none of its variants" in back["problem"]


def test_the_terminal_writes_and_reads_bundles(measured, others, tmp_path, capsys):
    file = tmp_path / "x.zip"
    call_command("bundle", "export", str(measured.study.pk), str(file))
    call_command("bundle", "import", str(file), "--workspace", "spinners")
    out = capsys.readouterr().out
    assert "MiB" in out
    assert "it says here what it says where it was made" in out
    file.write_bytes(b"x")
    with pytest.raises(CommandError, match="nothing was kept"):
        call_command("bundle", "import", str(file))
    with pytest.raises(CommandError, match="no study"):
        call_command("bundle", "export", "0", str(file))


def test_a_filmed_run_goes_along_without_its_film(measured, others, tmp_path):
    measured.owner.post(f"/api/studies/{measured.study.pk}/films")
    measure_all(measured, {0: 2.0, 1: 1.4})
    export(measured.study, tmp_path / "filmed.zip")
    with Bundle(tmp_path / "filmed.zip") as opened:
        study, _ = bring_in(opened, others.workspace, "x")
    assert study.runs.filter(purpose=FILMED).count() == 2
    assert not Film.objects.filter(run__study=study).exists()


def test_the_published_shape_knows_every_purpose_and_outcome_of_a_run():
    shape = json.loads((settings.PROJECT / "docs" / "bundle.schema.json").read_text())
    run = json.dumps(shape["$defs"]["run"])
    for word in (*PURPOSES, *OUTCOMES):
        assert f'"{word}"' in run
