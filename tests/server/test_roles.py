"""Every route of the API for every role, taken from the API's own description.

A route that nobody thought of fails here: it must say who may use it.
"""

import json
import re

import pytest
from django.db import connection
from django.test import Client
from django.urls import get_resolver
from django.utils import timezone
from drf_spectacular.generators import SchemaGenerator

from server.worlds import World, sha
from yardstick_server.accounts.models import Invitation, ShareLink, digest
from yardstick_server.api.audit import ACTIONS
from yardstick_server.inventory.models import Rig
from yardstick_server.planning.tasks import read_run
from yardstick_server.studies.models import Study

#: Routes for whoever is not signed in yet.
OPEN = {("POST", "/api/sign-in"), ("GET", "/api/join/{token}"), ("POST", "/api/join/{token}")}
OWNERS = ("/api/members", "/api/invitations", "/api/tokens", "/api/audit", "/api/webhooks",
          "/api/storage")  # fmt: skip
#: What a rig starts, and what is lost for good, owners say, and persons only.
OWNERS_SAY = {
    ("POST", "/api/rigs/{name}/programs"), ("DELETE", "/api/rigs/{name}/programs/{program}"),
    ("POST", "/api/rigs/{name}/releases"), ("DELETE", "/api/shelf/{kind}/{number}"),
}  # fmt: skip
#: What a reader may change: only what is their own.
OWN = {("POST", "/api/session/sign-out"), ("PUT", "/api/session/password")}
#: What programs may not even read, and what they may change with the scope to measure.
PERSONS = (*OWNERS, "/api/studies/{study}/shares")
BUILDS = {
    ("POST", "/api/studies/{study}/rounds"), ("POST", "/api/studies/{study}/plan/start"),
    ("POST", "/api/studies/{study}/stop"), ("POST", "/api/studies/{study}/checks"),
    ("PUT", "/api/fixtures/{name}"), ("DELETE", "/api/fixtures/{name}"),
    ("POST", "/api/subjects/{subject}/variants"), ("POST", "/api/studies/{study}/gates"),
    ("POST", "/api/gates/{gate}/stop"), ("POST", "/api/gates/{gate}/results"),
    ("POST", "/api/gates/{gate}/judge"),
}  # fmt: skip
#: What a share link shows.
SHARED = {
    "/api/session", "/api/studies/{study}", "/api/studies/{study}/board",
    "/api/studies/{study}/decision", "/api/studies/{study}/match", "/api/studies/{study}/plan",
    "/api/studies/{study}/profiles", "/api/studies/{study}/claims", "/api/studies/{study}/scripts",
    "/api/studies/{study}/distribution", "/api/runs/{run}", "/api/runs/{run}/trace",
    "/api/runs/{run}/stretch", "/api/runs/{run}/laps", "/api/runs/{run}/export",
    "/api/runs/{run}/findings", "/api/runs/{run}/pictures/{name}",
    "/api/findings/{finding}/picture", "/api/findings/{finding}/clip",
    "/api/studies/{study}/report",
    "/api/studies/{study}/report/file", "/api/studies/{study}/figure",
    "/api/studies/{study}/reports", "/api/studies/{study}/reports/{report}",
    "/api/studies/{study}/sessions", "/api/studies/{study}/crossing",
    "/api/studies/{study}/works/{position}/picture",
    "/api/studies/{study}/race", "/api/studies/{study}/race/still", "/api/runs/{run}/film",
    "/api/runs/{run}/film/still",
}  # fmt: skip
REFUSED = (401, 403)


@pytest.fixture
def db(within):
    return within


@pytest.fixture
def world(place) -> World:
    return place.world


SCHEMA = SchemaGenerator().get_schema(request=None, public=True)


def operations() -> list[tuple[str, str]]:
    """Every method and route that the description of the API names."""
    return [
        (method.upper(), route)
        for route, methods in SCHEMA["paths"].items()
        for method in methods
        if method in ("get", "post", "put", "patch", "delete")
    ]


ALL = operations()
AGENTS = [one for one in ALL if one[1].startswith("/api/agent/")]
MEMBERS = [one for one in ALL if one not in OPEN and one not in AGENTS and one[1] != "/api/schema"]


def address(route: str, numbers: dict[str, object]) -> str:
    for name, value in numbers.items():
        route = route.replace(f"{{{name}}}", str(value))
    assert "{" not in route, f"{route}: say what stands for its parts"
    return route


def fitting(part: dict) -> object:
    """The plainest value that a part of the description allows."""
    while "$ref" in part or "allOf" in part:
        part = (
            part["allOf"][0]
            if "allOf" in part
            else SCHEMA["components"]["schemas"][part["$ref"].rpartition("/")[2]]
        )
    if "oneOf" in part:
        return fitting(part["oneOf"][0])
    if "enum" in part:
        return part["enum"][0]
    kind = part.get("type")
    if kind == "object":
        names = part.get("required") or part.get("properties", {})
        return {name: fitting(part["properties"][name]) for name in names}
    if kind == "array":
        return [fitting(part["items"])] * max(1, part.get("minItems", 0))
    plain = {"integer": max(1, part.get("minimum", 1)), "number": 1.0, "boolean": True}
    return plain.get(kind, SAID.get(part.get("format"), "x" * max(1, part.get("minLength", 1))))


#: What stands for texts of a form.
SAID = {"date-time": "2026-11-23T00:00:00Z", "uri": "http://127.0.0.1/"}


def body_of(method: str, route: str) -> dict[str, object]:
    """A body that fits the description of an operation, as the test client takes it."""
    if method == "GET":
        return {}
    content = SCHEMA["paths"][route][method.lower()].get("requestBody", {}).get("content", {})
    if "application/json" in content:
        data = json.dumps(fitting(content["application/json"]["schema"]))
        return {"data": data, "content_type": "application/json"}
    if content:
        return {"data": b"x", "content_type": next(iter(content))}
    return {"data": "", "content_type": "application/json"}


def status(client: Client, method: str, route: str, numbers: dict[str, object]) -> int:
    """What a request with a body that fits is answered; it never fails in the server."""
    body = body_of(method, route)
    answer = getattr(client, method.lower())(address(route, numbers), **body)
    assert answer.status_code < 500, f"{method} {route}: {answer.status_code}"
    return answer.status_code


def named(operation: tuple[str, str]) -> str:
    return f"{operation[0]} {operation[1]}"


def test_there_is_something_to_test():
    assert len(MEMBERS) > 80
    assert len(AGENTS) > 8
    for known in (OPEN, OWN, BUILDS):
        assert known <= set(ALL)
    assert {("GET", route) for route in SHARED} <= set(ALL)


def test_a_stranger_and_a_wrong_token_are_refused_everywhere(place):
    for client in (Client(), Client(headers={"Authorization": "Token wrong"})):
        for method, route in [*MEMBERS, *AGENTS]:
            assert status(client, method, route, place.numbers) in REFUSED, f"{method} {route}"


#: Who looks at a rehearsal keeps it going: that somebody looks is what it is told by this.
LOOKING_IS_TOLD = ("/api/studies/{study}/rehearsals", "/api/studies/{study}/tries")


def test_reading_writes_nothing(place):
    """No GET leaves a trace in the database, apart from when a token or session was last used."""
    written = []
    read_run(place.numbers["run"])

    def watch(execute, sql, *more):
        table = sql.split('"')[1] if '"' in sql else ""
        if sql.split(" ")[0] in ("INSERT", "UPDATE", "DELETE") and table not in (
            "django_session", "accounts_apitoken",
        ):  # fmt: skip
            written.append(sql[:120])
        return execute(sql, *more)

    for method, route in MEMBERS:
        if method == "GET" and route not in LOOKING_IS_TOLD:
            with connection.execute_wrapper(watch):
                status(place.world.owner, method, route, place.numbers)
            assert not written, f"{route}: {written}"


def test_an_owner_is_refused_nothing(place):
    for method, route in MEMBERS:
        if method == "GET":
            answer = status(place.world.owner, method, route, place.numbers)
            assert answer not in REFUSED, f"{method} {route}: {answer}"


def test_a_tester_may_all_but_look_after_people(place):
    for method, route in MEMBERS:
        if (method, route) in OWN:
            continue
        refused = status(place.tester, method, route, place.numbers) in REFUSED
        owners = route.startswith(OWNERS) or (method, route) in OWNERS_SAY
        assert refused == owners, f"{method} {route}"


def test_a_reader_reads_and_changes_nothing_but_their_own(place):
    for method, route in MEMBERS:
        if (method, route) in OWN:
            continue
        refused = status(place.world.reader, method, route, place.numbers) in REFUSED
        wanted = route.startswith(OWNERS) or method != "GET"
        assert refused == wanted, f"{method} {route}"


def test_a_token_to_read_changes_nothing(place):
    for method, route in MEMBERS:
        refused = status(place.reader_token, method, route, place.numbers) in REFUSED
        assert refused == (method != "GET" or route.startswith(PERSONS)), f"{method} {route}"


def test_a_token_to_measure_measures_and_changes_nothing_else(place):
    for method, route in MEMBERS:
        refused = status(place.builder, method, route, place.numbers) in REFUSED
        may = (method, route) in BUILDS or (method == "GET" and not route.startswith(PERSONS))
        assert refused == (not may), f"{method} {route}"


def test_a_guest_reads_one_study_and_nothing_else(place):
    for method, route in MEMBERS:
        refused = status(place.guest, method, route, place.numbers) in REFUSED
        assert refused == (method != "GET" or route not in SHARED), f"{method} {route}"


def test_the_description_is_for_members_and_programs_not_for_guests(place):
    assert place.reader_token.get("/api/schema").status_code == 200
    assert place.guest.get("/api/schema").status_code in REFUSED


def test_a_guest_sees_no_other_study_of_the_same_workspace(place):
    other = place.world.study.another("Another question?")
    run = other.runs.create(
        variant=other.variants[0], script=other.script, round=0, order_in_round=0, state="read"
    )
    finding = run.findings.create(at_ns=0, kind="remark", text="odd", by="x")
    numbers = {**place.numbers, "study": other.pk, "run": run.pk, "finding": finding.pk}
    for route in SHARED - {"/api/session"}:
        assert status(place.guest, "GET", route, numbers) in REFUSED, route
    assert place.guest.get(f"/api/studies/{place.world.study.pk}").json()["others"] == []


def test_a_link_to_a_set_shows_all_its_sessions_and_one_to_a_session_that_alone(place):
    world, part = place.world, Study.objects.get(pk=place.numbers["part"])
    world.study.runs.filter(pk=place.numbers["run"]).update(study=part)
    theirs = f"/api/studies/{part.pk}/board"
    assert place.guest.get(theirs).status_code == 200
    assert place.guest.get(f"/api/runs/{place.numbers['run']}").status_code == 200
    ShareLink.objects.filter(study=world.study).update(study=part)
    assert place.guest.get(theirs).status_code == 200
    assert place.guest.get(f"/api/studies/{world.study.pk}/board").status_code in REFUSED
    ShareLink.objects.filter(study=part).update(study=world.study)
    part.deleted_at = timezone.now()
    part.save()
    assert place.guest.get(theirs).status_code in REFUSED
    assert place.guest.get(f"/api/runs/{place.numbers['run']}").status_code in REFUSED


def test_a_guest_whose_link_was_revoked_or_is_too_old_sees_nothing(place):
    board = f"/api/studies/{place.world.study.pk}/board"
    assert place.guest.get(board).status_code == 200
    share = place.numbers["share"]
    ended = place.world.owner.delete(f"/api/studies/{place.world.study.pk}/shares/{share}")
    assert ended.status_code == 204
    assert place.guest.get(board).status_code in REFUSED
    ShareLink.objects.update(revoked=None, expires="2000-01-01T00:00Z")
    assert place.guest.get(board).status_code in REFUSED
    assert Client().get("/shared/share-link-token").headers["Location"] == "/?link=ended"


def test_another_teams_things_do_not_exist_for_anybody(place, others):
    """Whatever number is guessed: 404, and nothing changes."""
    before, told = snapshot(place.world), []
    for method, route in MEMBERS:
        if "{" in route and route != "/api/fixtures/{name}":
            for client in (others.owner, others.reader):
                answer = status(client, method, route, {**place.numbers, "name": "attic"})
                if answer not in (403, 404):
                    told.append(f"{method} {route}: {answer}")
    assert not told
    assert snapshot(place.world) == before


def test_another_teams_rig_cannot_reach_runs_or_fixtures(place, others):
    revoked = Rig.objects.create(
        workspace=place.world.workspace, name="gone", token_digest=digest("gone"), revoked=True
    )
    assert revoked.revoked
    for client in (others.rig, Client(headers={"Authorization": "Rig gone"})):
        for method, route in AGENTS:
            if "{" in route:
                answer = status(client, method, route, place.numbers)
                assert answer in (401, 403, 404), f"{method} {route}: {answer}"


def snapshot(world: World) -> list:
    """What a team has, as far as routes can change it."""
    study = world.study
    return [
        sorted(study.runs.values_list("pk", "state", "left_out", "abort_asked")),
        sorted(study.waivers.values_list("pk")), sorted(study.claims.values_list("pk")),
        sorted(study.profiles.values_list("pk", "name")), study.scripts.count(),
        sorted(study.jobs.values_list("pk")),
        sorted(world.workspace.members.values_list("pk", "role")),
        sorted(world.workspace.tokens.values_list("pk", "revoked")),
        sorted(world.workspace.fixtures.values_list("pk", "sha256")),
        sorted(world.workspace.rigs.values_list("pk", "paused", "revoked", "token_digest")),
        sorted(world.workspace.webhooks.values_list("pk", "url")),
        sorted(world.workspace.bundles.values_list("pk", "state")),
        sorted(study.gates.values_list("pk", "state")),
        sorted(study.issued_reports.values_list("number", "withdrawn")),
        sorted(study.share_links.values_list("pk", "revoked")),
        list(Invitation.objects.filter(workspace=world.workspace).values_list("pk", "used_by")),
    ]  # fmt: skip


def test_every_change_has_words_in_the_audit_list():
    known = {str(pattern.pattern).removeprefix("api/") for pattern in get_resolver().url_patterns}
    assert {route for _, route in ACTIONS} <= known
    described = {(method, as_described(route)) for method, route in ACTIONS}
    changing = {(m, r) for m, r in MEMBERS if m != "GET"}
    assert changing <= described


def as_described(route: str) -> str:
    """`studies/<int:study>` as the description writes it."""
    return "/api/" + re.sub(r"<\w+:(\w+)>", r"{\1}", route)


def test_fixtures_of_two_teams_of_one_name_stay_apart(world, others):
    mine = world.workspace.fixtures.get().sha256
    new = others.owner.put(
        "/api/fixtures/small.weft", b"another", content_type="application/octet-stream"
    )
    assert new.json()["sha256"] == sha(b"another")
    assert world.workspace.fixtures.get().sha256 == mine
