"""Subjects, fixtures and rigs as they are looked after, and what is refused there."""

import pytest

from server.worlds import measure_all, sha
from yardstick_core import PROTOCOL
from yardstick_server.inventory.models import RigFacts

PROGRAMS = {
    "weftwright-4.1": {
        "command": "python -m weftwright", "environment": ["KEY"], "log": "w.log",
        "caches": ["~/.c"],
        "companions": [], "installed": [], "settings": [],
    }
}  # fmt: skip


def send(client, method, path, **body):
    return getattr(client, method)(f"/api/{path}", body, content_type="application/json")


def put_file(client, name, content):
    url = f"/api/fixtures/{name}"
    return client.put(url, content, content_type="application/octet-stream")


def hello(world, **facts):
    body = {"agent_version": "1", "protocol": PROTOCOL, "facts": facts, "programs": PROGRAMS}
    return world.rig.post("/api/agent/hello", body, content_type="application/json")


def test_a_subject_shows_what_starts_each_variant_and_where(world):
    hello(world, kernel="6.1")
    (subject,) = world.reader.get("/api/subjects").json()
    first, second = subject["variants"]
    assert first["started_by"] == [
        {"rig": "loft", "command": "python -m weftwright", "log": "w.log", "caches": ["~/.c"]}
    ]
    assert second["started_by"] == []
    assert (subject["studies"], first["studies"]) == (1, 1)


def test_subjects_and_variants_are_added_and_changed(world):
    made = send(world.tester, "post", "subjects", name="Loomlight", maker="made up").json()
    path = f"subjects/{made['id']}"
    added = send(world.tester, "post", f"{path}/variants", name="1.0", program="loomlight-1")
    assert added.json()["variants"][0]["program"] == "loomlight-1"
    again = send(world.tester, "post", f"{path}/variants", name="1.0", program="x")
    assert again.status_code == 400
    assert send(world.tester, "post", "subjects", name="Loomlight").status_code == 400
    files = [{"file": "l.ini", "only": ["view.*"]}]
    changed = send(world.tester, "patch", path, settings=files).json()
    assert changed["settings"] == [{"file": "l.ini", "only": ["view.*"], "ignore": []}]
    assert changed["name"] == "Loomlight"


@pytest.mark.parametrize("file", ["../secret", "/etc/passwd", ".hidden", "a/b", ""])
def test_a_settings_file_is_a_plain_name(world, file):
    path = f"subjects/{world.study.subject_id}"
    assert send(world.tester, "patch", path, settings=[{"file": file}]).status_code == 400


def test_a_fixture_is_known_by_its_content_and_by_who_works_on_it(world):
    put_file(world.tester, "large.weft", b"large")
    found = {one["name"]: one for one in world.reader.get("/api/fixtures").json()}
    assert found["large.weft"]["sha256"] == sha(b"large")
    assert found["large.weft"]["used_by"] == []
    assert found["small.weft"]["used_by"][0]["question"] == "Is it faster?"
    got = world.reader.get("/api/fixtures/large.weft")
    assert got.content == b"large"
    assert got["Content-Disposition"] == "attachment"


def test_a_fixture_a_session_works_on_is_kept(world):
    assert world.tester.delete("/api/fixtures/small.weft").status_code == 400
    put_file(world.tester, "spare.weft", b"x")
    assert world.tester.delete("/api/fixtures/spare.weft").status_code == 204
    assert [f["name"] for f in world.tester.get("/api/fixtures").json()] == ["small.weft"]


def test_a_fixture_is_renamed_while_no_session_names_it(world):
    put_file(world.tester, "spare.weft", b"x")

    def rename(name: str, wanted: str):
        url = f"/api/fixtures/{name}/name"
        return world.tester.put(url, {"name": wanted}, content_type="application/json")

    assert rename("spare.weft", "small.weft").status_code == 400
    assert rename("spare.weft", "../x").status_code == 400
    assert rename("small.weft", "other.weft").status_code == 400
    assert rename("spare.weft", "wide.weft").json()["name"] == "wide.weft"
    names = [one["name"] for one in world.tester.get("/api/fixtures").json()]
    assert names == ["small.weft", "wide.weft"]


def test_what_is_no_fixture_is_refused(world, monkeypatch):
    assert put_file(world.tester, ".hidden", b"x").status_code == 400
    assert put_file(world.tester, "empty", b"").status_code == 400
    monkeypatch.setattr("yardstick_server.api.catalog.fixtures.MOST_BYTES", 10)
    assert put_file(world.tester, "large", b"x" * 11).status_code == 400
    monkeypatch.setattr("yardstick_server.api.catalog.fixtures.MOST_FIXTURES", 1)
    assert put_file(world.tester, "second", b"x").status_code == 400
    assert put_file(world.tester, "small.weft", b"new").status_code == 200


def test_a_rig_shows_what_changed_about_it_and_when(world):
    hello(world, kernel="6.1", load_1min=0.1)
    hello(world, kernel="6.1", load_1min=2.5)
    hello(world, kernel="6.8", load_1min=0.1)
    assert RigFacts.objects.count() == 2
    found = world.reader.get("/api/rigs/loft").json()
    newest, first = found["states"]
    assert newest["changed"] == [{"name": "kernel", "before": "6.1", "after": "6.8"}]
    assert first["changed"] == []
    assert {"name": "kernel", "value": "6.8"} in found["known"]
    (program,) = found["programs"]
    assert program["variants"] == ["Weftwright 4.1"]
    assert program["environment"] == ["KEY"]


def test_a_rig_shows_how_its_newest_runs_ended(world):
    world.study.add_rounds(1)
    measure_all(world, {0: 1.0, 1: 0.5})
    found = world.reader.get("/api/rigs/loft").json()
    assert found["outcomes"] == [{"outcome": "finished", "runs": 4}]
    assert len(found["recent"]) == 4


def test_what_a_rig_says_is_only_text(world):
    """Names that look like markup come out as they went in, as JSON, never as a page."""
    odd = "<script>alert(1)</script>"
    hello(world, kernel=odd)
    answer = world.reader.get("/api/rigs/loft")
    assert answer["Content-Type"] == "application/json"
    assert answer["X-Content-Type-Options"] == "nosniff"
    assert {"name": "kernel", "value": odd} in answer.json()["known"]


def test_lists_of_rigs_and_subjects_ask_no_more_for_many(world, django_assert_max_num_queries):
    def asked(most):
        with django_assert_max_num_queries(most):
            rigs = world.owner.get("/api/rigs").json()
        with django_assert_max_num_queries(most):
            subjects = world.owner.get("/api/subjects").json()
        return len(rigs), len(subjects)

    few = asked(8)
    for number in range(5):
        rig = world.workspace.rigs.create(name=f"rig-{number}", token_digest=f"{number}")
        rig.facts.create(digest="d", facts={"cores": number + 1})
        rig.confirmations.create(text="Lid open", by="x")
        subject = world.workspace.subjects.create(name=f"Subject {number}")
        for name in ("1", "2", "3"):
            subject.variants.create(name=name, program="weftwright-4.1")
    assert asked(8) == (few[0] + 5, few[1] + 5)
    listed = {rig["name"]: rig for rig in world.owner.get("/api/rigs").json()}
    assert [one["text"] for one in listed["rig-3"]["confirmed"]] == ["Lid open"]
    assert any("4" in one["value"] for one in listed["rig-3"]["known"])
