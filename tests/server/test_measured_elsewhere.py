"""Studies of what no rig starts: variants by name alone, results brought in, said as such."""

import re
from datetime import timedelta

import pytest
from django.test import Client
from django.utils import timezone

from core.sheets import sheet
from server.test_bundles import brought as brought_bundle
from server.test_logs import bring, brought, keep, no_queue, read_whole, send  # noqa: F401
from server.worlds import measure_all, texts
from yardstick_server.bundles.exporting import export
from yardstick_server.logs.tasks import keep_log
from yardstick_server.runs import acceptance
from yardstick_server.runs.models import BROUGHT_IN
from yardstick_server.studies.models import Study

TABLE = [
    ["Version", "Trial 1", "Trial 2", "Trial 3", "Trial 4", "Avg"],
    ["4.1", 2.25, 2.31, 2.19, 2.24, 2.2475], ["4.2", 1.81, 1.83, 1.79, 1.85, 1.82],
]  # fmt: skip


def new_study(world) -> dict:
    answer = send(world.owner, "/api/studies", {"question": "Which is quicker?"})
    assert answer.status_code == 201, answer.content
    return answer.json()


def name_variant(world, study: int, name: str, **more):
    body = {"name": name, "elsewhere": True, **more}
    return send(world.owner, f"/api/studies/{study}/new-variant", body)


@pytest.fixture
def elsewhere(world):
    """The world with a new study in place of its own, of two variants that no rig starts."""
    study = new_study(world)["id"]
    assert name_variant(world, study, "4.1", program="Loom").status_code == 201
    assert name_variant(world, study, "4.2").status_code == 201
    world.study = Study.objects.get(pk=study)
    return world


def test_a_variant_is_named_that_no_rig_starts(elsewhere):
    body = elsewhere.owner.get(f"/api/studies/{elsewhere.study.pk}").json()
    assert [(one["name"], one["command"]) for one in body["variants"]] == [("4.1", ""), ("4.2", "")]
    assert {one["on_rig"]["state"] for one in body["variants"]} == {"elsewhere"}
    assert body["subject"] == "Loom"
    assert not elsewhere.rig_record.errands.exists(), "no rig is asked to allow it"


def test_what_was_measured_elsewhere_is_of_the_release_that_is_known_already(world):
    known = world.study.subject
    study = new_study(world)["id"]
    answer = name_variant(world, study, "4.1", program=known.name)
    assert answer.json()["variants"][0]["id"] == known.variants.get(name="4.1").pk
    assert name_variant(world, study, "4.1").json()["variants"][1]["name"] == "4.1 2"


def test_a_start_and_elsewhere_exclude_one_another(world):
    study = new_study(world)["id"]
    for body in ({"name": "4.1"}, {"name": "4.1", "typed": "loom", "elsewhere": True}):
        answer = send(world.owner, f"/api/studies/{study}/new-variant", body)
        assert answer.status_code == 400
        assert "measured elsewhere" in answer.content.decode()


def test_it_is_not_measured_by_a_plan_nor_by_rounds(elsewhere):
    for act, body in (("plan/start", {}), ("rounds", {"count": 1})):
        answer = send(elsewhere.owner, f"/api/studies/{elsewhere.study.pk}/{act}", body)
        assert answer.status_code == 400, act
        assert "4.1 and 4.2 are measured elsewhere" in answer.content.decode()
    assert not elsewhere.study.runs.exists()


def test_what_rigs_start_is_measured_beside_what_was_measured_elsewhere(world):
    """An old release of which only a log is left, against those that can be measured."""
    study = world.study.pk
    assert name_variant(world, study, "3.9").status_code == 201
    old = world.study.study_variants.get(variant__name="3.9").position
    assert send(world.owner, f"/api/studies/{study}/rounds", {"count": 2}).status_code == 201
    measured = set(world.study.runs.values_list("variant__position", flat=True))
    assert measured == {0, 1}
    orders = world.owner.get(f"/api/studies/{study}/plan").json()["coming"]
    assert {place for one in orders for place in one["order"]} == {0, 1}
    for act, body in (("checks", {"variant": old, "runs": 1}), ("tries", {"variants": [old]})):
        answer = send(world.owner, f"/api/studies/{study}/{act}", body)
        assert answer.status_code == 400, act


def test_what_is_to_be_started_may_be_said_later(elsewhere):
    url = f"/api/studies/{elsewhere.study.pk}/variants/0/start"
    body = {"typed": "/opt/loom-4.1/loom"}
    answer = elsewhere.owner.patch(url, body, content_type="application/json")
    assert answer.status_code == 200, answer.content
    variant = answer.json()["variants"][0]
    assert variant["program"] == "loom-4.1"
    assert variant["on_rig"]["state"] != "elsewhere"


def test_a_table_of_results_is_judged_at_once_with_its_reason(elsewhere, no_queue):  # noqa: F811
    log = bring(elsewhere, sheet(TABLE), "by-stopwatch.xlsx").json()
    whole = read_whole(elsewhere, log)
    assert [part["name"] for part in whole["summary"]["parts"]] == ["4.1"] * 4 + ["4.2"] * 4
    body = {"variants": [0] * 4 + [1] * 4, "stretch": ["Open the draft"], "reason": "same desk"}
    assert send(elsewhere.owner, f"/api/logs/{log['id']}/keep", body).status_code == 200
    keep_log(**no_queue[-1])
    runs = elsewhere.study.runs.all()
    assert {run.acceptance_reason for run in runs} == {"same desk (weavers-owner)"}
    assert {run.left_out for run in runs} == {""}
    study = elsewhere.study.pk
    board = elsewhere.owner.get(f"/api/studies/{study}/board").json()
    (row,) = [row for row in board["rows"] if row["metric"] == "duration"]
    assert row["differences"][1]["verdict"] == "ahead"
    decision = elsewhere.owner.get(f"/api/studies/{study}/decision").json()
    assert decision["extent"] == "4 runs of 4.1 and 4 runs of 4.2 brought in"
    assert decision["rounds"] == 0


def let_in_since(study, minutes: float) -> None:
    """As if all of it had come, and been let in, so long ago."""
    then = timezone.now() - timedelta(minutes=minutes)
    study.logs.update(created=then)
    for run in study.runs.all():
        run.started = then
        run.import_source |= {"accepted_at": then.isoformat()}
        run.save()


@pytest.mark.parametrize(("before", "level"), [(5, "95 %"), (60, "98.8 %")])
def test_more_that_is_let_in_after_a_verdict_is_another_look(elsewhere, no_queue, before, level):  # noqa: F811
    """What counts is when it is let in, even of a log that has been there all the time."""
    later = bring(elsewhere, sheet(TABLE), "more.xlsx").json()
    read_whole(elsewhere, later)
    test_a_table_of_results_is_judged_at_once_with_its_reason(elsewhere, no_queue)
    let_in_since(elsewhere.study, before)
    body = {"variants": [0] * 4 + [1] * 4, "stretch": ["Open the draft"], "reason": "same desk"}
    assert send(elsewhere.owner, f"/api/logs/{later['id']}/keep", body).status_code == 200
    keep_log(**no_queue[-1])
    board = elsewhere.owner.get(f"/api/studies/{elsewhere.study.pk}/board").json()
    assert board["level"].replace("\N{NO-BREAK SPACE}", " ") == level
    said = [note for note in texts(board["notes"]) if "let in 2 times" in note]
    assert len(said) == (before > 10)


def test_when_a_run_was_let_in_counts_and_not_when_it_came(elsewhere, no_queue):  # noqa: F811
    """Kept apart until the answer is known, and then let in, is a look of its own."""
    test_a_table_of_results_is_judged_at_once_with_its_reason(elsewhere, no_queue)
    late = brought(elsewhere, variant=1)
    let_in_since(elsewhere.study, 24 * 60)
    late.import_source.pop("accepted_at", None)
    late.save()
    assert acceptance.sittings(elsewhere.study) == 1
    body = {"runs": [late.pk], "reason": "it pleases"}
    url = f"/api/studies/{elsewhere.study.pk}/let-in"
    assert send(elsewhere.owner, url, body).status_code == 200
    assert acceptance.sittings(elsewhere.study) == 2
    url = f"/api/runs/{late.pk}/left-out"
    assert send(elsewhere.owner, url, {"reason": "it does not"}).status_code == 200
    assert acceptance.sittings(elsewhere.study) == 1


@pytest.mark.parametrize("told", ["yesterday", 7, None, {}, ""])
def test_a_source_that_names_no_instant_is_of_when_its_run_began(elsewhere, no_queue, told):  # noqa: F811
    """Sources come from bundles, and so from anybody."""
    test_a_table_of_results_is_judged_at_once_with_its_reason(elsewhere, no_queue)
    for run in elsewhere.study.runs.all():
        run.import_source |= {"accepted_at": told}
        run.save()
    assert acceptance.sittings(elsewhere.study) == 1


def test_timings_of_one_row_are_those_of_one_run(elsewhere, no_queue):  # noqa: F811
    rows = [f"4.{1 + n % 2};{900 - 500 * (n % 2) + n};{3.1 + n / 500:.3f}" for n in range(12)]
    text = "\n".join(["version;startup (ms);export (s)", *rows]) + "\n"
    log = bring(elsewhere, text, "by-stopwatch.csv").json()
    whole = read_whole(elsewhere, log)
    assert [part["name"] for part in whole["summary"]["parts"]] == ["4.1", "4.2"] * 6
    body = {"variants": [0, 1] * 6, "stretch": ["By hand"], "reason": "same desk"}
    assert send(elsewhere.owner, f"/api/logs/{log['id']}/keep", body).status_code == 200
    keep_log(**no_queue[-1])
    board = elsewhere.owner.get(f"/api/studies/{elsewhere.study.pk}/board").json()
    found = {tuple(row["stretch"]): row["differences"][1]["verdict"] for row in board["rows"]}
    assert found == {("By hand", "startup"): "ahead", ("By hand", "export"): "level"}
    decision = elsewhere.owner.get(f"/api/studies/{elsewhere.study.pk}/decision").json()
    assert decision["extent"] == "6 runs of 4.1 and 6 runs of 4.2 brought in"


def test_a_report_of_it_claims_no_session_no_turns_and_no_plan(elsewhere, no_queue):  # noqa: F811
    test_a_table_of_results_is_judged_at_once_with_its_reason(elsewhere, no_queue)
    url = f"/api/studies/{elsewhere.study.pk}/report/file?kind=markdown"
    said = elsewhere.owner.get(url).content.decode()
    assert "4 runs of 4.1 and 4 runs of 4.2 brought in" in said
    assert "by-stopwatch.xlsx" in said
    assert "Variants took no turns here" in said
    for claim in ("warm rounds", "Launch", "Plan: ", "taking turns", "no cold round"):
        assert claim not in said, claim


def test_guests_see_that_it_was_measured_elsewhere(elsewhere):
    path = f"/api/studies/{elsewhere.study.pk}/shares"
    link = send(elsewhere.tester, path, {"whom": "the makers", "days": 3}).json()["link"]
    guest = Client()
    guest.get(re.sub(r"^https?://[^/]+", "", link))
    body = guest.get(f"/api/studies/{elsewhere.study.pk}").json()
    assert {one["on_rig"]["state"] for one in body["variants"]} == {"elsewhere"}


def test_a_bundle_of_it_is_measured_elsewhere_there_too(elsewhere, others, no_queue, tmp_path):  # noqa: F811
    test_a_table_of_results_is_judged_at_once_with_its_reason(elsewhere, no_queue)
    file = tmp_path / "study.zip"
    export(elsewhere.study, file)
    there, differing = brought_bundle(file, others)
    assert differing == []
    assert [part.variant.program for part in there.variants] == ["", ""]
    board = others.owner.get(f"/api/studies/{there.pk}/board").json()
    (row,) = [row for row in board["rows"] if row["metric"] == "duration"]
    assert row["differences"][1]["verdict"] == "ahead"


def test_several_runs_are_let_in_together_or_none(world):
    world.study.add_rounds(3)
    measure_all(world, {0: 1.0, 1: 1.0})
    first, second = brought(world, variant=0), brought(world, variant=1)
    url = f"/api/studies/{world.study.pk}/let-in"
    measured = world.study.runs.exclude(origin=BROUGHT_IN).first().pk
    for runs in ([first.pk, measured], [first.pk, 10**6]):
        assert send(world.owner, url, {"runs": runs, "reason": "x"}).status_code == 400
    first.refresh_from_db()
    assert not first.acceptance_reason
    body = {"runs": [first.pk, second.pk], "reason": "the same loom"}
    assert send(world.owner, url, body).status_code == 200
    notes = texts(world.owner.get(f"/api/studies/{world.study.pk}/board").json()["notes"])
    assert sum("Let in: the same loom (weavers-owner)" in note for note in notes) == 1
    assert send(world.reader, url, body).status_code == 403
