"""Putting away, deleting, bringing back; and what is lost for good, when and by whom."""

from datetime import timedelta

import pytest
from django.utils import timezone

from server.worlds import measure_all
from yardstick_server.inventory.models import Fixture
from yardstick_server.planning.tasks import purge_deleted
from yardstick_server.runs.models import Run
from yardstick_server.studies.models import Study


def move(client, kind: str, number: int, state: str, status: int = 200):
    answer = client.put(f"/api/shelf/{kind}/{number}", {"state": state}, "application/json")
    assert answer.status_code == status, answer.content
    return answer.json()


def questions(client) -> list[str]:
    return [study["question"] for study in client.get("/api/studies").json()]


@pytest.mark.parametrize("state", ["archived", "deleted"])
def test_a_study_is_put_away_or_deleted_and_comes_back_in_one_act(world, state):
    world.study.add_rounds(1)
    queued = Run.objects.filter(study=world.study).count()
    moved = move(world.tester, "study", world.study.pk, state)
    assert (moved["state"], moved["by"]) == (state, "weavers-tester")
    assert (moved["until"] is not None) == (state == "deleted")
    assert questions(world.tester) == []
    assert Run.objects.filter(study=world.study, state="withdrawn").count() == queued
    [shelved] = world.reader.get("/api/shelf").json()
    assert shelved["name"] == "Is it faster?"
    move(world.tester, "study", world.study.pk, "active")
    assert questions(world.tester) == ["Is it faster?"]
    assert world.tester.get("/api/shelf").json() == []


def test_what_is_in_use_says_where_and_stays(world):
    variant = world.study.variants[0].variant
    fixture = Fixture.objects.get(workspace=world.workspace)
    for kind, number in (
        ("subject", world.study.subject_id), ("variant", variant.pk), ("fixture", fixture.pk),
    ):  # fmt: skip
        answer = world.owner.put(
            f"/api/shelf/{kind}/{number}", {"state": "deleted"}, "application/json"
        )
        assert answer.status_code == 400
        assert "Is it faster?" in answer.content.decode()
    move(world.owner, "study", world.study.pk, "deleted")
    move(world.owner, "fixture", fixture.pk, "deleted")
    assert world.owner.get("/api/fixtures").json() == []
    text = 'session "S"\n  fixture a = "small.weft"\nstep "A"\n  start\n'
    refused = world.owner.put(
        f"/api/studies/{world.study.pk}/script", {"text": text}, "application/json"
    )
    assert refused.status_code == 400
    move(world.owner, "fixture", fixture.pk, "active")
    assert [f["name"] for f in world.owner.get("/api/fixtures").json()] == ["small.weft"]


def test_measured_runs_are_lost_only_for_good_and_only_by_an_owner(world):
    world.study.add_rounds(1)
    measure_all(world, {0: 1.0, 1: 0.9})
    runs = Run.objects.filter(study=world.study).count()
    assert runs
    url = f"/api/shelf/study/{world.study.pk}"
    assert world.owner.delete(url).status_code == 400  # not deleted yet
    move(world.tester, "study", world.study.pk, "deleted")
    assert world.tester.delete(url).status_code == 403
    assert Run.objects.filter(study=world.study).count() == runs
    assert world.owner.delete(url).status_code == 204
    assert not Study.objects.filter(pk=world.study.pk).exists()


def test_what_was_deleted_is_purged_after_thirty_days_and_not_before(world):
    move(world.owner, "study", world.study.pk, "deleted")
    for days, left in ((29, 1), (31, 0)):
        Study.objects.update(deleted_at=timezone.now() - timedelta(days=days))
        purge_deleted(0)
        assert Study.objects.count() == left


def test_nothing_of_another_workspace_can_be_moved(world, others):
    move(others.owner, "study", world.study.pk, "deleted", status=404)
    move(world.owner, "loom", 1, "deleted", status=400)


def test_the_demonstration_goes_and_comes_as_a_whole(world):
    Study.objects.filter(pk=world.study.pk).update(demonstration=True)
    own = world.study.another("Mine")
    put = {"path": "/api/demonstration", "content_type": "application/json"}
    world.tester.put(data={"state": "archived"}, **put)
    assert questions(world.tester) == ["Mine"]
    assert [s["name"] for s in world.tester.get("/api/subjects").json()] == ["Weftwright"]
    own.move_to("deleted", "x")
    world.tester.put(data={"state": "active"}, **put)
    assert questions(world.tester) == ["Is it faster?"]


def test_a_profile_that_was_deleted_weighs_no_more_and_comes_back(world):
    url = f"/api/studies/{world.study.pk}/profiles"
    body = {"name": "all day", "weights": [], "limits": []}
    made = world.owner.post(url, body, "application/json").json()
    world.owner.delete(f"{url}/{made['id']}")
    assert world.owner.get(url).json() == []
    move(world.owner, "profile", made["id"], "active")
    assert [p["name"] for p in world.owner.get(url).json()] == ["all day"]
