"""Signing in by link, tokens of rigs, and what readers and other teams may not do."""

import pytest
from django.test import Client

from yardstick_server.accounts.models import Member, SignInLink
from yardstick_server.studies.models import Study


@pytest.mark.parametrize("token", ["Rig wrong", "Rig", "Bearer x", "Rig a b"])
def test_a_wrong_rig_token_opens_nothing(db, token):
    stranger = Client(headers={"Authorization": token})
    assert stranger.post("/api/agent/runs/take").status_code == 401


def test_a_rigs_token_is_of_no_use_for_persons_routes(world):
    assert world.rig.get("/api/studies").status_code == 401


def test_a_person_cannot_act_as_a_rig(world):
    assert world.owner.post("/api/agent/runs/take").status_code in (401, 403)


def test_the_page_itself_tells_a_stranger_nothing(world):
    page = Client().get("/studies/1")
    assert b"Weftwright" not in page.content
    assert "script-src 'self'" in page.headers["Content-Security-Policy"]


def changing_requests(world):
    study, run = world.study.pk, world.study.runs.first().pk
    return [
        ("post", f"/api/studies/{study}/rounds", {"count": 1}),
        ("post", f"/api/studies/{study}/stop", {}),
        ("post", f"/api/studies/{study}/ask", {"question": "Mine?"}),
        ("post", f"/api/studies/{study}/variants", {"variant": 1}),
        ("delete", f"/api/studies/{study}/variants/1", None),
        ("put", f"/api/studies/{study}/variants/1", {"tags": ["mine"]}),
        ("put", f"/api/studies/{study}/terms", {"metric": "duration", "stretch": []}),
        ("post", f"/api/studies/{study}/profiles", {"name": "P", "weights": [], "limits": []}),
        ("patch", f"/api/studies/{study}/plan", {"stop": "fixed"}),
        ("post", f"/api/studies/{study}/plan/start", {}),
        ("patch", "/api/rigs/loft-of-weavers", {"paused": True}),
        ("post", f"/api/runs/{run}/left-out", {"reason": "mine"}),
        ("delete", f"/api/runs/{run}/left-out", None),
        ("post", f"/api/runs/{run}/repeat", {"reason": "mine"}),
        ("put", f"/api/studies/{study}/script", {"text": 'session "S"\nstep "A"\n  start\n'}),
        ("post", f"/api/runs/{run}/abort", {}),
    ]


def test_a_reader_may_look_but_not_change(world):
    world.study.add_rounds(1)
    assert world.reader.get(f"/api/studies/{world.study.pk}").status_code == 200
    for method, route, body in changing_requests(world):
        answer = getattr(world.reader, method)(route, body, content_type="application/json")
        assert answer.status_code == 403, route
        assert "your role here is to read" in answer.json()["detail"]
    assert world.study.runs.filter(state="queued").count() == 4


def test_another_team_sees_and_changes_nothing(world, others):
    world.study.add_rounds(1)
    study, run = world.study.pk, world.study.runs.first().pk
    for route in (
        f"/api/studies/{study}",
        f"/api/studies/{study}/board",
        f"/api/studies/{study}/decision",
        f"/api/studies/{study}/plan",
        f"/api/studies/{study}/profiles",
        f"/api/studies/{study}/distribution",
        f"/api/runs/{run}",
        f"/api/runs/{run}/trace",
        f"/api/runs/{run}/stretch?from=0&to=1",
    ):
        assert others.owner.get(route).status_code == 404, route
    for method, route, body in changing_requests(world):
        answer = getattr(others.owner, method)(route, body, content_type="application/json")
        assert answer.status_code == 404, route
    assert [entry["id"] for entry in others.owner.get("/api/studies").json()] == [others.study.pk]
    assert others.rig.post("/api/agent/runs/take").status_code == 204
    fixture = world.workspace.fixtures.first().sha256
    assert world.rig.get(f"/api/agent/fixtures/{fixture}").status_code == 200
    assert others.rig.get(f"/api/agent/fixtures/{fixture}").status_code == 404


def test_a_sign_in_link_works_once(world):
    user = Member.objects.get(workspace=world.workspace, role="owner").user
    token = SignInLink.make(user)
    person = Client()
    assert person.get(f"/sign-in/{token}").headers["Location"] == "/"
    assert person.get("/api/session").json()["workspace"] == "weavers"
    second = Client()
    assert second.get(f"/sign-in/{token}").headers["Location"] == "/?link=spent"
    assert second.get("/api/session").status_code == 401


def test_an_old_sign_in_link_is_spent(world):
    from django.utils import timezone

    user = Member.objects.get(workspace=world.workspace, role="owner").user
    token = SignInLink.make(user)
    SignInLink.objects.update(expires=timezone.now())
    assert Client().get(f"/sign-in/{token}").headers["Location"] == "/?link=spent"


def test_a_link_keeps_only_its_digest(world):
    user = Member.objects.get(workspace=world.workspace, role="owner").user
    token = SignInLink.make(user)
    assert token not in str(list(SignInLink.objects.values()))


def test_changing_needs_the_csrf_token(world):
    strict = Client(enforce_csrf_checks=True)
    strict.force_login(Member.objects.get(workspace=world.workspace, role="owner").user)
    answer = strict.post(f"/api/studies/{world.study.pk}/rounds", {"count": 1})
    assert answer.status_code == 403
    assert Study.objects.get(pk=world.study.pk).runs.count() == 0


def test_signing_out_ends_the_session(world):
    assert world.owner.post("/api/session/sign-out").status_code == 204
    assert world.owner.get("/api/session").status_code == 401
