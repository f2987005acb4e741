"""A set of sessions over the API: added, taken in, measured by rounds over all, read as a table."""

import json
from copy import deepcopy

import pytest
from django.utils import timezone

from server.worlds import make_world, measure_all
from yardstick_core.report.document import line_text
from yardstick_server.planning.purging import purge
from yardstick_server.reports.issuing import document_of
from yardstick_server.runs.models import Run
from yardstick_server.studies.models import KeptJob, Study

JSON = "application/json"


@pytest.fixture(scope="module")
def measured_once(begun):
    """A study of two sessions: 4.2 takes half the time in one, nine tenths in the other."""
    world = make_world("weavers")
    made = world.owner.post(f"/api/studies/{world.study.pk}/sessions", {}, content_type=JSON)
    part = Study.objects.get(pk=made.json()["study"])
    part.keep_script(part.script.text.replace('session "', 'session "Longer: '))
    for study, opens in ((world.study, {0: 1.0, 1: 0.5}), (part, {0: 2.0, 1: 1.8})):
        study.add_rounds(6)
        measure_all(world, opens)
    return world, part


@pytest.fixture
def two(measured_once, db):
    return deepcopy(measured_once)


@pytest.fixture
def db(within):
    return within


def table(world, metric=""):
    url = f"/api/studies/{world.study.pk}/sessions"
    return world.owner.get(url, {"metric": metric} if metric else {}).json()


def test_a_session_more_has_the_same_variants_and_is_no_study_on_home(world):
    before = len(world.owner.get("/api/studies").json())
    made = world.owner.post(f"/api/studies/{world.study.pk}/sessions", {}, content_type=JSON)
    assert made.status_code == 201
    part = Study.objects.get(pk=made.json()["study"])
    assert [one.variant.name for one in part.variants] == ["4.1", "4.2"]
    assert len(world.owner.get("/api/studies").json()) == before
    for number in (world.study.pk, part.pk):
        body = world.owner.get(f"/api/studies/{number}").json()
        assert [one["study"] for one in body["session_set"]] == [world.study.pk, part.pk]


def test_rounds_go_over_all_sessions(world):
    part = world.study.add_session()
    world.study.add_rounds(2)
    part.add_rounds(2)
    taken = []
    while (answer := world.rig.post("/api/agent/runs/take")).status_code == 200:
        run = Run.objects.get(pk=answer.json()["run"])
        taken.append((run.round, run.study_id))
        run.state = "read"
        run.save()
    rounds = [number for number, _ in taken]
    assert rounds == sorted(rounds)
    assert len({study for _, study in taken[:4]}) == 2


def test_the_table_holds_readings_places_and_means(two):
    world, part = two
    found = table(world, "duration~open")
    assert [one["study"] for one in found["sessions"]] == [world.study.pk, part.pk]
    assert [one["places"] for one in found["sessions"]] == [[2, 1], [2, 1]]
    assert found["points"] == [4, 2]
    assert found["sessions"][1]["title"].startswith("Longer: ")
    these, share, general = found["means"]
    (mean,) = these["candidates"]
    assert mean["verdict"] == "ahead"
    assert mean["text"].replace("\u00a0", " ").startswith(("1.49 × as good (", "1.50 × as good ("))
    assert share["candidates"][0]["why"].startswith("nobody has said")
    assert general["candidates"][0]["why"] == "from 3 sessions on"
    assert found["headline"].endswith("it is first in 2 of 2.")
    assert next(one["name"] for one in found["asked_for"]) == "sum of the readings"


def test_shares_of_a_day_weigh(two):
    world, part = two
    assert table(world, "duration~open")["sessions"][1]["share"] is None
    for study, share in ((world.study, 10), (part, 90)):
        answer = world.owner.patch(
            f"/api/studies/{world.study.pk}/sessions/{study.pk}", {"share": share},
            content_type=JSON,
        )  # fmt: skip
        assert answer.status_code == 200
    assert [one["share"] for one in table(world)["sessions"]] == [10, 90]
    _, share, _ = table(world, "duration~open")["means"]
    assert share["candidates"][0]["text"].startswith("1.1")
    for wrong in (-1, 101, "x", "nan", "inf"):
        answer = world.owner.patch(
            f"/api/studies/{world.study.pk}/sessions/{part.pk}", {"share": wrong}, content_type=JSON
        )
        assert answer.status_code == 400


def test_what_decides_each_is_shown_where_no_metric_is_chosen(two):
    world, _ = two
    found = table(world)
    assert found["chosen"] == "deciding"
    assert all(one["label"] for one in found["sessions"])
    assert {"duration~open"} <= {one["key"] for one in found["choices"]}
    assert table(world, "no such")["chosen"] == "deciding"


def test_a_study_of_the_same_variants_is_taken_in_and_let_go_again(world):
    other = world.study.another("The same elsewhere?")
    url = f"/api/studies/{world.study.pk}/sessions"
    taken = world.owner.post(url, {"study": other.pk}, content_type=JSON)
    assert taken.json()["study"] == other.pk
    again = world.owner.post(url, {"study": other.pk}, content_type=JSON)
    assert "part of a set" in str(again.json())
    assert world.owner.delete(f"{url}/{other.pk}").status_code == 204
    other.refresh_from_db()
    assert other.part_of is None
    first = world.owner.delete(f"{url}/{world.study.pk}")
    assert "began with" in str(first.json())


def test_a_study_of_other_variants_is_no_session(world):
    other = world.study.another("Of others?")
    other.study_variants.filter(position=1).delete()
    url = f"/api/studies/{world.study.pk}/sessions"
    answer = world.owner.post(url, {"study": other.pk}, content_type=JSON)
    assert "other variants" in str(answer.json())
    assert world.owner.post(url, {"study": 10**9}, content_type=JSON).status_code == 404


def test_the_report_tells_of_all_sessions(two):
    world, _ = two
    report = world.owner.get(f"/api/studies/{world.study.pk}/report").json()
    section = next(one for one in report["sections"] if one["key"] == "sessions")
    assert section["on"]
    assert "Longer: " in section["html"]
    assert "Geometric mean" in section["html"]


def test_a_study_that_is_lost_for_good_takes_the_sessions_of_its_set_along(two):
    world, part = two
    purge(world.study)
    assert not Study.objects.filter(pk__in=[world.study.pk, part.pk]).exists()
    assert not Run.objects.exists()


def test_others_have_no_part_in_it(two, others):
    world, part = two
    url = f"/api/studies/{world.study.pk}/sessions"
    assert others.owner.get(url).status_code == 404
    assert others.owner.delete(f"{url}/{part.pk}").status_code == 404
    mine = f"/api/studies/{others.study.pk}/sessions"
    assert others.owner.post(mine, {"study": part.pk}, content_type=JSON).status_code == 404


def job_asked(world, **changes):
    part = world.study.parts.get()
    return {
        "candidate": 1, "metric": "duration~open", "period": "a day", "whole": 3600,
        "threshold": 10, "kinds": [
            {"name": "short drafts", "sessions": [world.study.pk], "items": 40},
            {"name": "long drafts", "sessions": [part.pk], "items": 10, "affected": 50},
        ], **changes,
    }  # fmt: skip


def job(world, **changes):
    url = f"/api/studies/{world.study.pk}/job"
    return world.reader.get(url, {"job": json.dumps(job_asked(world, **changes))})


def test_what_it_means_for_a_day(two):
    """40 times half a second and 5 times a fifth: 21 s of an hour."""
    world, _ = two
    found = job(world).json()
    assert found["change"] == pytest.approx(-21.4, abs=1)
    assert found["low"] < found["change"] < found["high"] < 0
    assert found["share"] == pytest.approx(-21.4 / 3600, abs=0.0003)
    assert found["sentence"].startswith("With 4.2, a day: 2")
    assert found["matters_from"] == pytest.approx(10 / 22, abs=0.02)
    assert "50 % of them" in found["assumptions"][1].replace("\u00a0", " ")


@pytest.mark.parametrize("odd", ["", "{", "7", "[" * 10_000, '{"kinds": 7}'])
def test_what_is_no_job_is_refused(world, odd):
    answer = world.owner.get(f"/api/studies/{world.study.pk}/job", {"job": odd})
    assert answer.status_code == 400


@pytest.mark.parametrize(("changes", "why"), [
    ({"candidate": 0}, "not the baseline"),
    ({"candidate": 9}, "not the baseline"),
    ({"kinds": []}, "no items"),
    ({"kinds": [{"name": "carpets", "sessions": [], "items": 3}]}, "carpets was not measured"),
    ({"kinds": [{"name": "x", "sessions": [10**9], "items": 3}]}, "no session of this set"),
    ({"metric": "peak_memory"}, "not spent item by item"),
])  # fmt: skip
def test_a_job_that_cannot_be_worked_out_says_why(two, changes, why):
    answer = job(two[0], **changes)
    assert answer.status_code == 400
    assert why in str(answer.json())


def test_a_job_is_kept_with_the_set_and_its_report_says_what_it_comes_to(two):
    world, part = two
    url = f"/api/studies/{part.pk}/jobs"
    made = world.owner.post(url, job_asked(world), content_type=JSON)
    assert made.status_code == 201
    kept = made.json()
    sentence = job(world).json()["sentence"]
    assert (kept["answer"]["sentence"], kept["by"]) == (sentence, "weavers-owner")
    assert world.reader.get(f"/api/studies/{world.study.pk}/jobs").json() == [kept]
    told = document_of(world.study)
    (section,) = [one for one in told["sections"] if one["key"] == "job"]
    assert line_text(section["blocks"][0]["spans"]) == sentence
    Study.objects.filter(pk=part.pk).update(deleted_at=timezone.now())
    (gone,) = world.reader.get(f"/api/studies/{world.study.pk}/jobs").json()
    assert gone["answer"] is None
    assert "no session of this set" in gone["problem"]
    mine = f"/api/studies/{world.study.pk}/jobs/{kept['id']}"
    assert world.owner.delete(mine).status_code == 204
    assert world.reader.get(f"/api/studies/{world.study.pk}/jobs").json() == []


def test_no_job_is_kept_that_cannot_be_worked_out(two):
    world, _ = two
    url = f"/api/studies/{world.study.pk}/jobs"
    odd = job_asked(world, kinds=[{"name": "carpets", "sessions": [], "items": 3}])
    assert world.owner.post(url, odd, content_type=JSON).status_code == 400
    world.study.jobs.bulk_create(
        [KeptJob(study=world.study, asked=job_asked(world), by="x") for _ in range(20)]
    )
    full = world.owner.post(url, job_asked(world), content_type=JSON)
    assert "let one go first" in str(full.json())


def test_a_set_is_measured_again_with_all_its_sessions(two):
    world, part = two
    part.day_share = 30
    part.save()
    body = {"question": "And on another day?", "like": world.study.pk}
    made = world.owner.post("/api/studies", body, content_type=JSON)
    assert made.status_code == 201
    again = Study.objects.get(pk=made.json()["id"])
    scripts = [one.script.text for one in world.study.session_set]
    assert [one.script.text for one in again.session_set] == scripts
    assert again.session_set[1].day_share == 30
    assert not again.session_set[1].runs.exists()
    alone = world.owner.post("/api/studies", {**body, "like": part.pk}, content_type=JSON)
    assert len(Study.objects.get(pk=alone.json()["id"]).session_set) == 1
