"""What comes in from outside: bounded, whole, kept in one piece or not at all."""

import json
import logging
import time

import numpy as np
import pytest
from django.db import DatabaseError
from django.test import Client

from server.worlds import deliver, put_chunk, put_together, recorded_streams, seal_body
from yardstick_core import PROTOCOL
from yardstick_core.keepable import cut, unkeepable
from yardstick_core.streams import chunk
from yardstick_server.accounts.models import AuditEntry, digest
from yardstick_server.api import audit
from yardstick_server.api.border import WithoutSecrets
from yardstick_server.planning import tasks
from yardstick_server.planning.unread import mark_unread
from yardstick_server.runs.models import Run
from yardstick_server.studies.models import Study

JSON = {"content_type": "application/json"}


def taken(world) -> int:
    world.study.add_rounds(1)
    return world.rig.post("/api/agent/runs/take").json()["run"]


@pytest.mark.parametrize(
    "body",
    [
        '{"question": "a\\u0000b"}', '{"question": "\\ud800"}', '{"a\\u0000": 1}',
        '{"question": 1e400}', '{"question": ' + "9" * 5000 + "}", "[" * 60 + "]" * 60,
        "[" * 100_000, '{"question": NaN}', "\\xff", '{"question": ' + "9" * 25 + "}",
    ],
)  # fmt: skip
def test_bodies_that_cannot_be_kept_change_nothing_and_leave_no_entry(world, body):
    before = AuditEntry.objects.count()
    answer = world.owner.generic("POST", f"/api/studies/{world.study.pk}/ask", body, **JSON)
    assert answer.status_code == 400, answer.content
    assert AuditEntry.objects.count() == before
    assert Study.objects.get(pk=world.study.pk).question == world.study.question


def test_addresses_that_cannot_be_kept_are_refused(world):
    for address in ("/api/fixtures/a%00b", "/api/runs?rig=%00", "/api/rigs/%ED%A0%80"):
        assert world.owner.get(address).status_code in (400, 404)


def test_a_change_and_its_entry_are_one(world, monkeypatch):
    """An entry that cannot be written takes the change back with it."""

    def fails(*_):
        raise DatabaseError("no entry")

    monkeypatch.setattr(audit, "note", fails)
    with pytest.raises(DatabaseError):
        world.owner.post(f"/api/studies/{world.study.pk}/ask", {"question": "Another?"}, **JSON)
    assert Study.objects.get(pk=world.study.pk).question == world.study.question


def test_a_seal_that_names_millions_of_chunks_is_answered_at_once(world):
    run = taken(world)
    stream = {"chunks": 5_000_000, "samples": 5_000_000, "sha256": "0" * 64}
    seal = {"streams": {"frames": stream}, "outcome": "finished", "detail": "", "facts": {}}
    url = f"/api/agent/runs/{run}/seal"
    refused = world.rig.post(url, seal, **JSON)
    assert refused.status_code == 400
    assert "500000" in refused.content.decode()
    stream |= {"chunks": 500_000}
    started = time.process_time()
    missing = world.rig.post(url, seal, **JSON)
    assert missing.status_code == 409
    assert len(missing.json()["missing"]) == 20_000
    assert time.process_time() - started < 5
    many = {f"log.s{n}": {**stream, "chunks": 1} for n in range(500)}
    assert world.rig.post(url, {**seal, "streams": many}, **JSON).status_code == 400
    assert Run.objects.get(pk=run).state == "running"


def test_last_words_of_any_length_are_taken_and_cut(world):
    """An honest run was refused for them, never tried again, and stayed “running”."""
    run = taken(world)
    streams = recorded_streams()
    assert put_together(world.rig, run, streams).status_code == 200
    seal = {**seal_body(streams, "finished"), "detail": "expected \x00 to be seen; " * 400}
    assert world.rig.post(f"/api/agent/runs/{run}/seal", seal, **JSON).status_code == 200
    kept = Run.objects.get(pk=run)
    assert kept.state in ("measured", "read")
    assert "\x00" not in kept.detail
    assert kept.detail.endswith("more characters)")
    assert len(kept.detail) <= 4000
    assert cut("short", 10) == "short"


def test_what_a_rig_cannot_deliver_is_said_at_its_run(world):
    run = taken(world)
    why = {"why": "a chunk cannot be read"}
    assert world.rig.post(f"/api/agent/runs/{run}/refused", why, **JSON).status_code == 200
    shown = world.owner.get(f"/api/runs/{run}").json()["run"]
    assert shown["detail"].startswith("its record stays on the rig")
    assert shown["detail"].endswith(why["why"])


@pytest.mark.parametrize(
    "odd",
    [
        {"programs": {"x": {"caches": 5}}}, {"programs": {"x": 5}},
        {"facts": {"memory_bytes": [1]}}, {"facts": {"programs": [5]}},
        {"facts": {"programs": 3}}, {"facts": {"display": {"width": {"a": 1}}}},
        {"applications": [{"id": 3}]}, {"protocol": "²"}, {"facts": {"x": "y" * 5000}},
    ],
)  # fmt: skip
def test_an_odd_greeting_spoils_no_page(world, odd):
    hello = {"agent_version": "1", "protocol": PROTOCOL, "facts": {}, "programs": {}}
    answer = world.rig.post("/api/agent/hello", {**hello, **odd}, **JSON)
    assert answer.status_code in (400, 409)
    for page in ("/api/rigs", f"/api/rigs/{world.rig_record.name}", "/api/subjects"):
        assert world.owner.get(page).status_code == 200


def test_a_fact_of_another_kind_spoils_only_its_own_line(world):
    hello = {"agent_version": "1", "protocol": PROTOCOL, "programs": {}}
    facts = {"memory_bytes": "plenty", "cores": 4, "since_boot_s": True}
    answer = world.rig.post("/api/agent/hello", {**hello, "facts": facts}, **JSON)
    assert answer.status_code == 200, answer.content
    (rig,) = world.owner.get("/api/rigs").json()
    assert {"name": "cores", "value": "4"} in rig["known"]


@pytest.mark.parametrize(
    "entries",
    [
        [{"kind": "mark", "at": None, "name": "x"}], [{"kind": "mark", "at": 10**30}],
        [{"kind": "time", "at": 1, "path": "x", "start": 0, "end": 1}], [{"at": 1}],
    ],
)  # fmt: skip
def test_a_journal_that_would_spoil_pages_is_refused(world, entries):
    run = taken(world)
    data = chunk._pack(3, len(entries), -1, 0, "\n".join(map(json.dumps, entries)).encode())
    answer = put_chunk(world.rig, run, "journal", 0, data)
    assert answer.status_code == 400
    assert "cannot be read" in answer.json()[0]


def test_empty_and_boasting_chunks_are_refused(world):
    run = taken(world)
    good = chunk.encode_counter(np.arange(3) * 100, np.ones(3))
    empty = chunk._pack(2, 0, -1, 0, b"")
    boasting = good[:28] + (15 << 20).to_bytes(4, "little") + good[32:]
    for data in (empty, boasting):
        assert put_chunk(world.rig, run, "subject.resident", 0, data).status_code == 400
    far = chunk.encode_counter(np.array([0, 2**62]), np.ones(2))
    assert put_chunk(world.rig, run, "subject.resident", 0, far).status_code == 400
    assert put_chunk(world.rig, run, "subject.resident", 0, good).status_code == 201


def test_a_heartbeat_larger_than_a_notification_is_refused(world):
    run = taken(world)
    url = f"/api/agent/runs/{run}/heartbeat"
    assert world.rig.post(url, {"progress": {"step": "x" * 9000}}, **JSON).status_code == 400
    assert world.rig.post(url, {"progress": {"step": "x" * 6000}}, **JSON).status_code == 200


def test_a_fixture_may_not_be_called_like_an_option(world):
    for name in ("--help", "_x", ".profile"):
        answer = world.owner.put(
            f"/api/fixtures/{name}", b"x", content_type="application/octet-stream"
        )
        assert answer.status_code == 400


def test_a_record_that_ends_its_worker_is_set_aside_and_read_again_by_hand(world):
    run = taken(world)
    deliver(world, run, recorded_streams())

    class Died:
        task_kwargs, attempts = {"run": run}, 3

    mark_unread.func([Died])
    shown = world.owner.get(f"/api/runs/{run}").json()["run"]
    assert "3 attempts failed" in shown["unread"]
    (home,) = world.owner.get("/api/studies").json()
    assert home["unread"] == 1
    again = world.owner.post(f"/api/runs/{run}/read-again")
    assert (again.status_code, again.json()["unread"]) == (200, "")
    assert world.owner.post(f"/api/runs/{run}/read-again").status_code == 400
    tasks.read_run(run=run)
    assert Run.objects.get(pk=run).state == "read"


def test_a_job_that_takes_too_much_memory_fails_by_itself():
    with pytest.raises(MemoryError), tasks.limited_memory(64 << 20):
        np.ones(40 << 20)
    assert np.ones(10).sum() == 10


def test_what_cannot_be_kept_is_named():
    assert unkeepable({"a": [1, "x", None, 2.5]}) == ""
    assert "NUL" in unkeepable(["a\x00"])
    assert "64 bits" in unkeepable({"a": 1 << 70})


@pytest.mark.parametrize(
    "text",
    [
        "repeat " + "9" * 5000, "wait " + "9" * 400 + "h", "until log /a{99999999999}/",
        "until log /" + "[" * 5000, "press " + "a" * 150_000, "until log /" + "(" * 1900 + "/",
    ],
)  # fmt: skip
def test_scripts_beyond_reason_are_answered_with_what_is_wrong(world, text):
    script = f'session "x"\n\nstep "One"\n  start\n  {text}\n'
    started = time.process_time()
    answer = world.owner.post("/api/scripts/check", {"text": script}, **JSON)
    assert answer.status_code == 200
    assert answer.json()["problems"] or "{9" in text
    assert time.process_time() - started < 5


def test_odd_requests_are_answered_as_what_they_are(world):
    subject = f"/api/subjects/{world.study.subject_id}"
    odd = world.owner.patch(subject, {"settings": [{"keys": []}]}, **JSON)
    assert odd.status_code == 400
    broken = world.owner.generic(
        "POST", f"/api/studies/{world.study.pk}/ask", b"x", content_type="multipart/form-data"
    )
    assert broken.status_code in (400, 415)


def test_a_guest_reads_who_did_what_only_where_the_owner_wants(world):
    run = taken(world)
    deliver(world, run, recorded_streams())
    reason = {"reason": "a backup ran"}
    assert world.owner.post(f"/api/runs/{run}/left-out", reason, **JSON).status_code == 200
    for names, shown in ((False, "a member"), (True, "weavers-owner")):
        token = f"guest-{names}"
        world.study.share_links.create(
            token_digest=digest(token), by="weavers-owner", names=names,
            expires="2999-01-01T00:00Z",
        )  # fmt: skip
        guest = Client()
        guest.get(f"/shared/{token}")
        study = guest.get(f"/api/studies/{world.study.pk}")
        (found,) = [one for one in study.json()["runs"] if one["id"] == run]
        assert found["left_out_by"] == shown
        assert names or b"weavers-owner" not in study.content


def test_no_link_or_token_is_logged():
    record = logging.makeLogRecord({"msg": "Gone: %s", "args": ("/join/abc-DEF_1?x=1",)})
    assert WithoutSecrets().filter(record)
    assert record.getMessage() == "Gone: /join/…?x=1"
    record = logging.makeLogRecord({"msg": "Authorization: Rig s3cret and more"})
    WithoutSecrets().filter(record)
    assert record.getMessage() == "Authorization: Rig … and more"
