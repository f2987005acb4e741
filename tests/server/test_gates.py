"""Builds at the gate, from a token's request to the outcome, and the command that asks."""

import json
from xml.etree import ElementTree

import pytest
from django.test import Client

from server.conftest import deliver, measure_all, read_all, recorded_streams
from yardstick_command import gate as command
from yardstick_server.accounts.models import ApiToken, digest
from yardstick_server.gates.models import Gate
from yardstick_server.planning.advancing import stop_by_hand
from yardstick_server.runs.models import Run

OPEN = ["Open", "open"]


@pytest.fixture
def builder(world):
    """A study whose opening decides, and a program with a token of scope measure."""
    world.study.materiality_rules.create(metric="duration", stretch=OPEN, decides=True, by="x")
    world.workspace.tokens.create(
        name="builds", scope=ApiToken.MEASURE, token_digest=digest("secret"), begins="secret",
        by="x",
    )  # fmt: skip
    return Client(headers={"Authorization": "Token secret"})


def asked(world, builder, **changes):
    body = {"build": "812", "program": "weftwright-nightly", "rounds": 5, **changes}
    url = f"/api/studies/{world.study.pk}/gates"
    return builder.post(url, body, content_type="application/json")


def looked_at(builder, gate):
    return builder.get(f"/api/gates/{gate['id']}").json()


def test_a_build_that_is_the_same_passes_and_is_put_away(world, builder):
    gate = asked(world, builder).json()
    assert (gate["state"], gate["baseline"], gate["exit"]) == ("measuring", "4.1", None)
    assert gate["runs_total"] == 12
    measure_all(world, {0: 2.0, 1: 2.0})
    done = looked_at(builder, gate)
    assert (done["state"], done["outcome"], done["exit"]) == ("done", "not slower", 0)
    assert {row["label"] for row in done["rows"]} >= {"open", "average frame rate in Scroll"}
    assert Gate.objects.get().study.shelf == "archived"
    assert world.study.study_variants.count() == 2


def test_a_slower_build_is_held_against_fresh_rounds_before_it_fails(world, builder):
    gate = asked(world, builder).json()
    study = Gate.objects.get().study
    fresh = []

    def watched():
        kept = Gate.objects.get()
        if kept.state == Gate.CONFIRMING and not fresh:
            fresh.extend(kept.fresh)
            assert looked_at(builder, gate)["outcome"] == ""
        return kept.state != Gate.DONE

    while watched() and deliver_next(world, {0: 2.0, 1: 2.6}):
        pass
    done = looked_at(builder, gate)
    assert (done["outcome"], done["exit"]) == ("slower", 1)
    assert "again in fresh rounds: open +" in done["why"]
    assert len(fresh) == 4
    assert study.runs.filter(round__in=fresh, state="read").count() == 8
    study.refresh_from_db()
    assert study.shelf == "active"


def test_a_build_that_is_slow_at_first_only_does_not_fail(world, builder):
    gate = asked(world, builder).json()
    while Gate.objects.get().state == Gate.MEASURING:
        deliver_next(world, {0: 2.0, 1: 2.6})
    while Gate.objects.get().state == Gate.CONFIRMING:
        deliver_next(world, {0: 2.0, 1: 2.0})
    assert looked_at(builder, gate)["exit"] in (0, 2)


def deliver_next(world, lengths, outcome="finished"):
    """Play the next run that waits; whether there was one."""
    answer = world.rig.post("/api/agent/runs/take")
    if answer.status_code != 200:
        return False
    run = Run.objects.get(pk=answer.json()["run"])
    position = run.variant.position
    length = lengths[position] * (1 + 0.01 * (run.pk % 5))
    ended = outcome if position else "finished"
    streams = recorded_streams(length, 8.0, outcome=ended, seed=run.pk)
    assert deliver(world, run.pk, streams, ended).status_code == 200
    read_all([run.pk])
    return True


@pytest.mark.parametrize(
    ("outcome", "why"), [("crashed", "crashed"), ("not started", "could not be started")]
)
def test_a_build_that_does_not_run_could_not_be_measured(world, builder, outcome, why):
    gate = asked(world, builder).json()
    while Gate.objects.get().state != Gate.DONE and deliver_next(world, {0: 2.0, 1: 2.0}, outcome):
        pass
    done = looked_at(builder, gate)
    assert done["exit"] == 3
    assert why in done["why"]


def test_a_plan_that_a_person_stops_ends_the_gate_when_nothing_is_under_way(world, builder):
    gate = asked(world, builder).json()
    deliver_next(world, {0: 2.0, 1: 2.0})
    answer = world.rig.post("/api/agent/runs/take").json()
    stop_by_hand(Gate.objects.get().study, let_run_end=True)
    deliver(world, answer["run"], recorded_streams(2.0))
    read_all([answer["run"]])
    done = looked_at(builder, gate)
    assert (done["state"], done["exit"]) == ("done", 3)


def test_a_build_that_nobody_waits_for_is_given_up_and_frees_the_rig(world, builder):
    gate = asked(world, builder).json()
    done = builder.post(f"/api/gates/{gate['id']}/stop").json()
    assert (done["exit"], done["why"]) == (3, "given up by token builds")
    assert world.rig.post("/api/agent/runs/take").status_code == 204
    again = builder.post(f"/api/gates/{gate['id']}/stop").json()
    assert again["ended"] == done["ended"]


def test_only_what_is_named_counts(world, builder):
    world.study.add_rounds(2)
    measure_all(world, {0: 2.0, 1: 2.0})
    refused = asked(world, builder, metrics=["weaving"])
    assert refused.status_code == 400
    assert "no metric of this study is called weaving" in refused.content.decode()
    gate = asked(world, builder, metrics=["average frame rate in Scroll"]).json()
    measure_all(world, {0: 2.0, 1: 3.0})
    done = looked_at(builder, gate)
    assert [row["label"] for row in done["rows"]] == ["average frame rate in Scroll"]
    assert done["exit"] == 0


def test_the_rate_of_builds_tells_how_many_will_fail_wrongly(world, builder):
    for build in ("1", "2", "3"):
        gate = asked(world, builder, build=build).json()
    assert gate["builds_of_month"] == 3
    assert gate["false_failures_a_year"] == pytest.approx(0.001 * 3 * 365.25 / 7)


@pytest.mark.parametrize(
    "changes", [{"rounds": 2}, {"tolerance": 0}, {"build": ""}, {"program": None}]
)
def test_a_request_that_makes_no_sense_begins_nothing(world, builder, changes):
    assert asked(world, builder, **changes).status_code == 400
    assert not Gate.objects.exists()
    assert not Run.objects.exists()


# -- the command -------------------------------------------------------------------------------


class Answers:
    """Stands for the server: hands the command's requests to the test client."""

    def __init__(self, client, between=lambda: None):
        self.client, self.between = client, between
        self.base = "http://test"

    def ask(self, method, path, body=None):
        self.between()
        answer = self.client.generic(
            method, f"/api/{path}", json.dumps(body), content_type="application/json"
        )
        if answer.status_code >= 400:
            raise command.Failed(answer.content.decode())
        return answer.json()


def run_command(monkeypatch, world, client, folder, *more, between=lambda: None):
    monkeypatch.setenv("YARDSTICK_TOKEN", "secret")
    monkeypatch.setattr(command, "Server", lambda base, token: Answers(client, between))
    monkeypatch.setattr(command, "LOOK_S", 0)
    words = ["--study", str(world.study.pk), "--build", "812 <b>", "--program", "nightly"]
    files = [f"--{kind}={folder / kind}" for kind in ("json", "markdown", "junit")]
    return command.main([*words, "--rounds=5", *files, *more])


@pytest.mark.parametrize(("length", "code"), [(2.0, 0), (2.6, 1)])
def test_the_command_ends_as_the_build_did_and_writes_it_down(
    monkeypatch, world, builder, tmp_path, capsys, length, code
):
    def between():
        deliver_next(world, {0: 2.0, 1: length})

    assert run_command(monkeypatch, world, builder, tmp_path, between=between) == code
    said = capsys.readouterr().out
    assert "measuring: " in said
    assert "of 12 runs" in said
    assert "smallest worsening it can find" in said
    assert "a year are to be expected to fail" in said
    gate = json.loads((tmp_path / "json").read_text())
    assert gate["exit"] == code
    suite = ElementTree.fromstring((tmp_path / "junit").read_text())
    assert (suite.get("failures"), suite.get("errors")) == (str(code), "0")
    assert len(suite.findall("testcase")) == len(gate["rows"]) + 1
    assert "812 \\<b\\>" in (tmp_path / "markdown").read_text()


def test_a_build_that_is_not_known_well_enough_is_an_error_to_a_build_server():
    row = {"label": "open", "standing": "slower", "deciding": True, "why": "", "change_text": "+1"}
    gate = {"build": "812", "baseline": "4.1", "rows": [row], "why": "failed once", "link": "x"}
    suite = ElementTree.fromstring(command.junit({**gate, "outcome": "not known well enough"}))
    assert (suite.get("failures"), suite.get("errors")) == ("0", "1")
    suite = ElementTree.fromstring(command.junit({**gate, "outcome": "slower"}))
    assert (suite.get("failures"), suite.get("errors")) == ("1", "0")


def test_a_command_that_waits_too_long_gives_the_build_up(monkeypatch, world, builder, tmp_path):
    assert run_command(monkeypatch, world, builder, tmp_path, "--timeout=0") == 3
    suite = ElementTree.fromstring((tmp_path / "junit").read_text())
    (error,) = suite.findall("testcase/error")
    assert "not decided after 0 minutes" in error.get("message")
    assert suite.get("errors") == "1"
    assert Gate.objects.get().outcome == "could not be measured"
    assert not Run.objects.filter(state="queued").exists()


def test_a_command_without_a_token_or_a_study_measures_nothing(monkeypatch, capsys):
    monkeypatch.delenv("YARDSTICK_TOKEN", raising=False)
    words = ["--study", "1", "--build", "x", "--program", "y"]
    assert command.main(words) == 3
    assert "YARDSTICK_TOKEN" in capsys.readouterr().err
    with pytest.raises(SystemExit) as ended:
        command.main(["--build", "x"])
    assert ended.value.code == 3
    monkeypatch.setenv("YARDSTICK_TOKEN", "secret")
    assert command.main([*words, "--server", "http://127.0.0.1:9"]) == 3
    assert command.main([*words, "--server", "ftp://x"]) == 3


def test_the_command_is_handed_out_as_one_file(client):
    answer = client.get("/agent/gate.py")
    assert answer.status_code == 200
    compile(answer.content, "gate.py", "exec")
    assert b"import yardstick" not in answer.content
    assert b"from yardstick" not in answer.content
