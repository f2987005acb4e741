"""From nothing to a study that can be measured: question, program, variants, session."""

import pytest

from server.worlds import make_world
from yardstick_core import OLDER_PROTOCOL
from yardstick_core.script.starting_points import StartingPoint, compose
from yardstick_core.start_command import StartCommand
from yardstick_server.accounts.models import AuditEntry
from yardstick_server.inventory.models import Errand, Rig, Subject
from yardstick_server.runs.models import Run

PLAIN = {"command": ["plainpad", "--plain"]}
FANCY = {"command": ["plainpad"], "environment": {"LANG": "de_DE.UTF-8"}}


def says(world, programs_from="owner", **programs):
    """The rig says what it may start and who may change that."""
    body = {
        "agent_version": "1", "protocol": OLDER_PROTOCOL, "facts": {"cores": 2},
        "programs": programs, "programs_from": programs_from,
        "applications": [{"id": "plainpad", "name": "Plainpad", "command": ["plainpad"],
                          "icon": "", "package": "plainpad", "version": "1.2-3"}],
    }  # fmt: skip
    assert world.rig.post("/api/agent/hello", body, "application/json").status_code == 200


def take(world):
    """What the rig is asked to do next, beside runs."""
    return world.rig.post("/api/agent/errands/take", {}, "application/json")


def ask(client, question="Does it open sooner?") -> dict:
    made = client.post("/api/studies", {"question": question}, "application/json")
    assert made.status_code == 201, made.content
    return client.get(f"/api/studies/{made.json()['id']}").json()


def add(client, study: int, name: str, start: dict, status: int = 201) -> dict:
    body = {"name": name, "start": start}
    answer = client.post(f"/api/studies/{study}/new-variant", body, "application/json")
    assert answer.status_code == status, answer.content
    return answer.json()


def named(client, study: int, name: str) -> dict:
    return client.put(f"/api/studies/{study}/program", {"name": name}, "application/json").json()


def test_a_question_alone_is_a_study_that_says_what_is_missing(world):
    study = ask(world.tester)
    assert (study["subject"], study["variants"], study["factor"]) == ("", [], "")
    assert study["session"] == {
        "parts": ["launch", "close"], "file": "", "by_keys": False, "nature": "still",
    }  # fmt: skip
    assert study["script"]["steps"] == ["Launch", "Close"]
    for view in ("board", "decision", "match", "plan", "claims", "profiles", "tries"):
        assert world.tester.get(f"/api/studies/{study['id']}/{view}").status_code == 200, view
    started = world.tester.post(f"/api/studies/{study['id']}/plan/start")
    assert started.status_code == 400
    assert world.tester.get("/api/studies").json()[0]["question"] == study["question"]


def test_a_program_without_a_name_is_in_no_list(world):
    before = len(world.owner.get("/api/subjects").json())
    ask(world.owner)
    assert len(world.owner.get("/api/subjects").json()) == before


def test_a_first_variant_that_was_mistyped_is_taken_out_again(world):
    says(world)
    study = ask(world.owner)["id"]
    add(world.owner, study, "plane", PLAIN)
    answer = world.owner.delete(f"/api/studies/{study}/variants/0")
    assert answer.status_code == 200, answer.content
    assert (answer.json()["variants"], answer.json()["baseline"]) == ([], 0)
    for view in ("board", "decision", "match", "plan", "claims", "profiles", "tries"):
        assert world.tester.get(f"/api/studies/{study}/{view}").status_code == 200, view
    assert [v["name"] for v in add(world.owner, study, "plain", FANCY)["variants"]] == ["plain"]


def test_an_owners_variants_are_asked_of_the_rig_and_known_once_it_says_so(world):
    says(world)
    study = ask(world.owner)["id"]
    assert named(world.owner, study, "Plainpad")["subject"] == "Plainpad"
    add(world.owner, study, "plain", PLAIN)
    body = add(world.owner, study, "german", FANCY)
    assert [v["on_rig"]["state"] for v in body["variants"]] == ["asked", "asked"]
    assert [v["program"] for v in body["variants"]] == ["plainpad-plain", "plainpad-german"]
    assert body["variants"][1]["command"] == "LANG=de_DE.UTF-8 plainpad"
    taken = take(world).json()
    assert (taken["kind"], taken["by"]) == ("allow", "weavers-owner")
    assert taken["body"] == {"name": "plainpad-plain", "start": PLAIN}
    says(world, **{"plainpad-plain": {"command": "plainpad --plain",
                                      "digest": StartCommand.checked(PLAIN).digest}})  # fmt: skip
    end = f"/api/agent/errands/{taken['errand']}/end"
    world.rig.post(end, {"outcome": "done"}, "application/json")
    second = take(world).json()
    refused = {"outcome": "refused", "detail": "no such thing here"}
    world.rig.post(f"/api/agent/errands/{second['errand']}/end", refused, "application/json")
    states = [v["on_rig"] for v in world.owner.get(f"/api/studies/{study}").json()["variants"]]
    assert [s["state"] for s in states] == ["allowed", "refused"]
    assert states[1]["detail"] == "no such thing here"
    assert take(world).status_code == 204


def test_a_rig_that_starts_something_else_under_the_name_is_not_what_was_wanted(world):
    study = ask(world.owner)["id"]
    add(world.owner, study, "plain", PLAIN)
    says(world, program={"command": "x", "digest": "other"})
    name = world.owner.get(f"/api/studies/{study}").json()["variants"][0]["program"]
    says(world, **{name: {"command": "other", "digest": "0" * 64}})
    state = world.owner.get(f"/api/studies/{study}").json()["variants"][0]["on_rig"]["state"]
    assert state == "differs"


@pytest.mark.parametrize("who", ["tester", "owner of a rig that listens to its file only"])
def test_who_may_not_say_what_a_rig_starts_sees_the_line_to_run_there(world, who):
    says(world, "owner" if who == "tester" else "file")
    client = world.tester if who == "tester" else world.owner
    study = ask(client)["id"]
    body = add(client, study, "german", FANCY)
    on_rig = body["variants"][0]["on_rig"]
    assert on_rig["state"] == "not allowed"
    assert on_rig["line"].startswith("yardstick-agent allow german --env LANG=de_DE.UTF-8 -- ")
    assert not Errand.objects.exists()


@pytest.mark.parametrize(
    ("method", "path", "body"),
    [
        ("post", "programs", {"name": "evil", "start": {"command": ["sh"]}}),
        ("delete", "programs/weftwright-4.1", None),
        ("post", "releases", {"folder": "/"}),
    ],
)
def test_only_owners_ask_a_rig_and_only_one_that_listens(world, method, path, body):
    says(world)
    url = f"/api/rigs/loft/{path}"
    call = {"content_type": "application/json"}
    for client in (world.tester, world.reader):
        answer = getattr(client, method)(url, body, **call)
        assert answer.status_code == 403
    assert not Errand.objects.exists()
    assert getattr(world.owner, method)(url, body, **call).status_code == 201
    assert AuditEntry.objects.filter(who="weavers-owner", what__contains="rig").exists()
    says(world, "file")
    answer = getattr(world.owner, method)(url, body, **call)
    assert answer.status_code == 400
    assert "its own file only" in answer.content.decode()


def test_a_rig_takes_no_errand_of_another(world):
    other = make_world("dyers")
    says(world)
    world.owner.post("/api/rigs/loft/releases", {"folder": "/opt"}, "application/json")
    assert take(other).status_code == 204
    errand = Errand.objects.get()
    end = f"/api/agent/errands/{errand.pk}/end"
    assert other.rig.post(end, {"outcome": "done"}, "application/json").status_code == 404


@pytest.mark.parametrize(
    "start",
    [
        {"command": []},
        {"command": "sh -c id"},
        {"command": ["a"], "environment": {"LD_PRELOAD": "x.so"}},
        {"command": ["a"], "home": "/root"},
        {},
    ],
)
def test_what_is_no_start_command_changes_nothing(world, start):
    study = ask(world.owner)["id"]
    add(world.owner, study, "bad", start, status=400)
    assert world.owner.get(f"/api/studies/{study}").json()["variants"] == []


def test_a_measured_variant_keeps_its_start_but_not_its_name(world):
    world.study.add_rounds(1)
    run = Run.objects.filter(study=world.study).first()
    run.state = "read"
    run.save()
    url = f"/api/studies/{world.study.pk}/variants/{run.variant.position}/start"
    refused = world.owner.patch(url, {"start": PLAIN}, "application/json")
    assert refused.status_code == 400
    assert "has been measured" in refused.content.decode()
    renamed = world.owner.patch(url, {"name": "four one"}, "application/json")
    assert renamed.json()["variants"][run.variant.position]["name"] == "four one"


def test_a_known_program_is_taken_and_the_nameless_one_goes(world):
    study = ask(world.owner)["id"]
    nameless = Subject.objects.filter(name="")
    assert nameless.count() == 1
    body = named(world.owner, study, "Weftwright")
    assert body["maker"] == "made up"
    assert [v["name"] for v in body["others"]] == ["4.1", "4.2"]
    assert not nameless.exists()


def test_a_program_with_variants_is_not_made_another(world):
    study = ask(world.owner)["id"]
    named(world.owner, study, "Plainpad")
    add(world.owner, study, "plain", PLAIN)
    url = f"/api/studies/{study}/program"
    answer = world.owner.put(url, {"name": "Weftwright"}, "application/json")
    assert answer.status_code == 400
    assert world.owner.get(f"/api/studies/{study}").json()["subject"] == "Plainpad"


def test_variants_are_tried_and_what_came_of_it_is_kept(world):
    says(world)
    study = ask(world.owner)["id"]
    add(world.owner, study, "plain", PLAIN)
    add(world.owner, study, "german", FANCY)
    tries = world.owner.post(f"/api/studies/{study}/tries", {}, "application/json").json()
    assert [t["state"] for t in tries] == ["waits", "waits"]
    for _ in range(2):
        take(world)  # what the owner asked for comes first
    first = take(world).json()
    assert first["program"] == "plain"
    told = {
        "line": 4, "elapsed_ns": 840_000_000, "outcome": "finished",
        "timings": [{"path": ["Start", "shown"], "seconds": 0.79, "right_censored": False}],
        "windows": [{"title": "Plainpad", "x": 0, "y": 0, "width": 400, "height": 300}],
    }  # fmt: skip
    where = f"/api/agent/rehearsals/{first['rehearsal']}/tell"
    assert world.rig.post(where, told, "application/json").status_code == 200
    plain, german = world.owner.get(f"/api/studies/{study}/tries").json()
    assert (plain["outcome"], plain["windows"][0]["title"]) == ("finished", "Plainpad")
    assert german["state"] == "waits"
    assert world.owner.get(f"/api/studies/{study}/rehearsals").status_code == 204


def test_a_session_is_composed_until_somebody_writes_in_it(world):
    study = ask(world.owner)["id"]
    url = f"/api/studies/{study}/session"
    body = {"parts": ["launch", "page", "idle", "close"], "file": "small.weft"}
    made = world.owner.put(url, body, "application/json").json()
    assert made["session"]["parts"] == ["launch", "page", "idle", "close"]
    assert made["script"]["fixtures"] == ["small.weft"]
    missing = world.owner.put(url, {**body, "file": "none.txt"}, "application/json")
    assert missing.status_code == 400
    text = compose(StartingPoint()).replace("400ms", "500ms")
    world.owner.put(f"/api/studies/{study}/script", {"text": text}, "application/json")
    assert world.owner.get(f"/api/studies/{study}").json()["session"] is None


def test_a_study_of_one_rig_is_measured_by_no_other(world):
    attic = Rig.objects.create(workspace=world.workspace, name="attic", token_digest="x")
    url = f"/api/studies/{world.study.pk}/ask"
    assert world.owner.post(url, {"rig": "attic"}, "application/json").json()["rig"] == "attic"
    world.study.add_rounds(1)
    assert world.rig.post("/api/agent/runs/take").status_code == 204
    assert Run.take_next(attic) is not None
    assert world.owner.post(url, {"rig": None}, "application/json").json()["rig"] is None
    assert world.rig.post("/api/agent/runs/take").status_code == 200
    assert world.owner.post(url, {"rig": "none"}, "application/json").status_code == 404


def test_a_guest_does_not_see_how_programs_are_started(world):
    made = world.owner.post(
        f"/api/studies/{world.study.pk}/shares", {"whom": "x", "days": 3}, "application/json"
    )
    from django.test import Client

    guest = Client()
    guest.get(made.json()["link"].split("testserver")[-1].split(":8000")[-1])
    says(world, **{"weftwright-4.1": {"command": "/opt/secret/weftwright"}})
    shown = guest.get(f"/api/studies/{world.study.pk}")
    assert shown.status_code == 200
    assert "secret" not in shown.content.decode()


def test_a_typed_command_is_taken_and_changed_where_it_stands(world):
    study = ask(world.owner)["id"]
    url = f"/api/studies/{study}/new-variant"
    body = {"name": "german", "typed": "LANG=de_DE.UTF-8 plainpad 'a b'"}
    made = world.owner.post(url, body, "application/json").json()["variants"][0]
    assert made["start"] == {
        "command": ["plainpad", "a b"], "environment": {"LANG": "de_DE.UTF-8"},
    }  # fmt: skip
    wrong = world.owner.post(url, {"name": "x", "typed": "a | b"}, "application/json")
    assert wrong.status_code == 400
    assert "needs a shell" in wrong.content.decode()
    where = f"/api/studies/{study}/variants/0/start"
    full = {"start": {**FANCY, "prepare": ["true"], "home": "real"}}
    world.owner.patch(where, full, "application/json")
    changed = world.owner.patch(where, {"typed": "plainpad --new"}, "application/json").json()
    assert changed["variants"][0]["start"] == {
        "command": ["plainpad", "--new"], "prepare": ["true"], "home": "real",
    }  # fmt: skip


def test_a_variant_that_cannot_be_added_names_no_program_either(world):
    study = ask(world.owner)["id"]
    url = f"/api/studies/{study}/new-variant"
    wrong = {"program": "Plainpad", "name": "x", "typed": "a | b"}
    assert world.owner.post(url, wrong, "application/json").status_code == 400
    assert world.owner.get(f"/api/studies/{study}").json()["subject"] == ""


def test_the_same_variant_in_another_question_is_the_same(world):
    for _ in range(2):
        study = ask(world.owner)["id"]
        url = f"/api/studies/{study}/new-variant"
        body = {"program": "Plainpad", "name": "plain", "start": PLAIN}
        made = world.owner.post(url, body, "application/json").json()
        assert (made["subject"], made["variants"][0]["name"]) == ("Plainpad", "plain")
    assert Subject.objects.get(name="Plainpad").variants.count() == 1
