"""Builds at the gate, from a token's request to the outcome, and the command that asks."""

import json
from datetime import timedelta
from types import SimpleNamespace
from urllib.parse import urlencode
from xml.etree import ElementTree

import numpy as np
import pytest
from django.test import Client
from django.utils import timezone

from server.worlds import deliver, measure_all, read_all, recorded_streams
from yardstick_command import gate as command
from yardstick_core.compare.runs import JudgedRun
from yardstick_core.compare.study import judge
from yardstick_core.formats.mapping import Column, Mapping
from yardstick_core.start_command import StartCommand
from yardstick_server.accounts.models import ApiToken, digest
from yardstick_server.gates.deciding import fails_more_often, follow
from yardstick_server.gates.models import Gate
from yardstick_server.gates.results import KEPT_BACK
from yardstick_server.inventory.models import Rig
from yardstick_server.logs.models import LogFile
from yardstick_server.logs.tasks import keep_log
from yardstick_server.planning.advancing import stop_by_hand
from yardstick_server.planning.tasks import judge_results
from yardstick_server.runs import acceptance
from yardstick_server.runs.models import Run
from yardstick_server.studies.models import Study

OPEN = ["Open", "open"]


@pytest.fixture
def builder(world):
    """A study whose opening decides, a rig that starts builds, and a token of scope measure."""
    Rig.objects.filter(pk=world.rig_record.pk).update(
        programs={"weftwright-nightly": {}}, last_seen=timezone.now()
    )
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
    passed = Gate.objects.get().study
    assert (passed.shelf, passed.variants[1].variant.shelf) == ("archived", "archived")
    assert passed.variants[0].variant.shelf == "active"
    assert world.study.study_variants.count() == 2


def said_to_start(world, typed, status=200, client=None):
    url = f"/api/studies/{world.study.pk}/build-start"
    answer = (client or world.owner).put(url, {"typed": typed}, content_type="application/json")
    assert answer.status_code == status, answer.content
    return answer.json()


def test_what_is_started_for_builds_is_said_once_and_asked_of_the_rig(world, builder):
    rig = Rig.objects.filter(pk=world.rig_record.pk)
    rig.update(programs_from="owner")
    base = world.study.variants[0].variant
    base.start = {"command": ["weftwright"], "log": "weftwright.log"}
    base.save()
    url = f"/api/studies/{world.study.pk}/build-start"
    before = world.owner.get(url).json()
    assert (before["program"], before["command"]) == ("", "")
    assert before["proposed"] == "weftwright"
    said = said_to_start(world, "LANG=C /srv/nightly/weftwright --plain")
    assert said["command"] == "LANG=C /srv/nightly/weftwright --plain"
    assert (said["program"], said["on_rig"]["state"]) == ("weftwright-build", "asked")
    errand = world.rig_record.errands.get()
    assert (errand.kind, errand.body["name"]) == ("allow", "weftwright-build")
    assert errand.body["start"]["log"] == "weftwright.log"  # the session may wait for its lines

    refused = asked(world, builder, program=None)
    assert refused.status_code == 400
    assert "may not start weftwright-build yet" in refused.content.decode()
    start = StartCommand.checked(errand.body["start"])
    rig.update(programs={"weftwright-build": {"digest": start.digest}})
    gate = asked(world, builder, program=None).json()
    variant = Gate.objects.get(pk=gate["id"]).study.variants[1].variant
    assert (variant.program, variant.start) == ("weftwright-build", errand.body["start"])

    again = said_to_start(world, "/srv/other/weftwright")
    assert again["program"] == "weftwright-build"
    assert asked(world, builder, program=None).status_code == 400  # the rig starts the old one


def test_a_build_that_no_rig_starts_is_refused_before_anything_is_begun(world, builder):
    studies = Study.objects.count()
    for program, why in ((None, "nothing says what a rig starts"), ("other", "may not start")):
        refused = asked(world, builder, program=program)
        assert refused.status_code == 400
        assert why in refused.content.decode()
    assert Study.objects.count() == studies
    Rig.objects.update(last_seen=None)  # of a rig that was never heard of nothing is known
    assert asked(world, builder, program="other").status_code == 201


def test_what_is_started_for_builds_is_no_shell_and_said_by_members(world, builder):
    assert "needs a shell" in str(said_to_start(world, "weftwright | tee log", 400))
    said_to_start(world, "weftwright", 403, builder)
    said = said_to_start(world, "weftwright", client=world.tester)  # no owner: the rig is not asked
    assert said["on_rig"]["state"] == "not allowed"
    assert said["on_rig"]["line"].startswith("yardstick-agent allow weftwright-build -- weftwright")


def test_what_other_programs_disturbed_is_said_where_too_little_is_known(world, builder):
    gate = Gate.objects.get(pk=asked(world, builder).json()["id"])
    measure_all(world, {0: 2.0, 1: 2.0})
    warm = gate.study.runs.filter(purpose="round", cold=False)
    last = warm.order_by("round").last().round
    warm.filter(round__lt=last - 1).update(outcome="disturbed")
    Gate.objects.filter(pk=gate.pk).update(state=Gate.MEASURING)
    assert follow(gate.study)
    done = looked_at(builder, {"id": gate.pk})
    assert done["outcome"] == "not known well enough"
    lost = warm.filter(outcome="disturbed").count()
    said = f"of {warm.count()} runs, {lost} were disturbed by other programs and are not compared"
    assert done["why"].endswith(said)


def test_a_build_that_passes_says_that_it_crashed_now_and_then(world, builder):
    gate = Gate.objects.get(pk=asked(world, builder).json()["id"])
    measure_all(world, {0: 2.0, 1: 2.0})
    gate.study.runs.filter(cold=True, variant__position=1).update(outcome="crashed")
    Gate.objects.filter(pk=gate.pk).update(state=Gate.MEASURING)
    assert follow(gate.study)
    done = looked_at(builder, {"id": gate.pk})
    assert done["outcome"] == "not slower"
    assert "1 of 6 runs of 812 crashed" in done["why"]
    assert done["why"].endswith("That may be chance.")


def test_a_build_that_surely_crashes_more_often_does_not_pass():
    def analysis(crashes):
        runs = [
            JudgedRun(2 * n + v, v, n, False, "crashed" if v and n < crashes else "finished", ())
            for n in range(20)
            for v in (0, 1)
        ]
        names = ["4.1", "812"]
        return SimpleNamespace(runs=runs, names=names, judgement=judge(runs, names))

    assert fails_more_often(analysis(4)) == ""
    assert fails_more_often(analysis(8)).endswith("812 fails more often than chance explains.")


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


def test_disturbed_fresh_runs_are_repeated_before_the_build_is_decided(world, builder):
    gate = asked(world, builder).json()
    while Gate.objects.get().state == Gate.MEASURING:
        deliver_next(world, {0: 2.0, 1: 2.6})
    for _ in range(3):
        deliver_next(world, {0: 2.0, 1: 2.6}, outcome="disturbed")
    while Gate.objects.get().state == Gate.CONFIRMING:
        assert deliver_next(world, {0: 2.0, 1: 2.6})
    assert looked_at(builder, gate)["outcome"] == "slower"
    fresh = Gate.objects.get().study.runs.filter(round__in=Gate.objects.get().fresh)
    assert fresh.filter(outcome="disturbed").count() in (1, 2)  # of the build, in three runs
    assert fresh.filter(outcome="finished").count() == 8


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
    words = [
        "--study",
        str(world.study.pk),
        "--build",
        "812 <b>",
        "--program",
        "weftwright-nightly",
    ]
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
    assert json.loads((tmp_path / "json").read_text())["exit"] == 3
    assert "could not be measured" in (tmp_path / "markdown").read_text()
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


# -- results that were measured elsewhere --------------------------------------------------------


@pytest.fixture
def jobs(monkeypatch):
    """What the worker is to do, done when a test says so."""
    waiting = []
    for task in (keep_log, judge_results):
        monkeypatch.setattr(task, "defer", lambda task=task, **said: waiting.append((task, said)))
    return waiting


def work_off(jobs):
    while jobs:
        task, said = jobs.pop(0)
        task(**said)


def result_of(seconds, seed):
    """A log of one run: three openings, each with its begin and end."""
    rng = np.random.default_rng(seed)
    lines, at = ["task,begin (s),end (s)"], 1.0
    for _ in range(3):
        length = seconds * rng.lognormal(0, 0.02)
        lines.append(f"open,{at:.4f},{at + length:.4f}")
        at += length + 0.5
    return "\n".join(lines).encode() + b"\n"


def gathered(world, builder):
    """A gate that takes results, in a workspace where somebody has kept how they are read."""
    columns = (
        Column("task", "marker"), Column("begin (s)", "begin", "s"), Column("end (s)", "end", "s"),
    )  # fmt: skip
    world.workspace.mappings.create(
        name="openings", mapping=Mapping("separated", columns).as_dict()
    )
    gate = asked(world, builder, program="").json()
    assert (gate["state"], gate["runs_total"]) == ("gathering", 0)
    return gate


def bring(client, gate, side, name, content, mapping="openings"):
    asked = urlencode({"side": side, "name": name, "mapping": mapping})
    return client.generic(
        "POST", f"/api/gates/{gate['id']}/results?{asked}", content,
        content_type="application/octet-stream",
    )  # fmt: skip


def brought_gate(world, builder, jobs, lengths, count=8):
    """A gate with results of both sides, decided; `lengths(n)` are both openings of round n."""
    gate = gathered(world, builder)
    for n in range(count):
        for side, seconds in zip(("baseline", "build"), lengths(n), strict=True):
            # the tenth result comes after the ninth, whatever their names sort like as text
            answer = bring(builder, gate, side, f"run {n + 5}.csv", result_of(seconds, n + 99))
            assert answer.status_code == 201, answer.content
    assert builder.post(f"/api/gates/{gate['id']}/judge").status_code == 200
    work_off(jobs)
    return looked_at(builder, gate)


def test_results_that_are_the_same_pass(world, builder, jobs):
    done = brought_gate(world, builder, jobs, lambda n: (2.0, 2.0))
    assert (done["outcome"], done["exit"]) == ("not slower", 0)
    (row,) = [row for row in done["rows"] if row["deciding"]]
    assert (row["label"], row["change_text"] != "") == ("open", True)
    runs = Run.objects.filter(study=done["study"])
    assert set(runs.values_list("left_out", flat=True)) == {"", KEPT_BACK}
    assert runs.filter(left_out=KEPT_BACK).count() == 8
    assert {run.acceptance_reason for run in runs} == {
        "a result of a build at the gate (by token builds)"
    }
    assert list(runs.filter(variant__position=1).order_by("round").values_list("round", flat=True)
                ) == [*range(8)]  # fmt: skip
    files = [
        run.import_source["file"] for run in runs.filter(variant__position=0).order_by("round")
    ]
    assert files == [f"run {n + 5}.csv" for n in range(8)]


def test_results_stand_under_one_caveat_and_not_under_one_each(world, builder, jobs):
    done = brought_gate(world, builder, jobs, lambda n: (2.0, 2.6))
    notes = [
        str(note) for note in builder.get(f"/api/studies/{done['study']}/board").json()["notes"]
    ]
    (said,) = [note for note in notes if "brought in" in note]
    assert "8 runs of 4.1 and 8 runs of 812 were brought in from “run 5.csv” and 7 more" in said
    study = Study.objects.get(pk=done["study"])
    assert (study.plan.stop, study.plan.rounds, study.plan.state) == ("fixed", 8, "ended")
    for number, run in enumerate(study.runs.order_by("id")):
        study.runs.filter(pk=run.pk).update(started=run.started + timedelta(hours=number))
    assert acceptance.sittings(study) == 1  # nobody looked while they came


def test_slower_results_fail_once_the_rounds_kept_back_are_slower_too(world, builder, jobs):
    done = brought_gate(world, builder, jobs, lambda n: (2.0, 2.6))
    assert (done["outcome"], done["exit"]) == ("slower", 1)
    assert "again in fresh rounds: open +" in done["why"]
    assert not Run.objects.filter(study=done["study"]).exclude(left_out="").exists()


def test_results_that_were_slow_at_first_only_do_not_fail(world, builder, jobs):
    done = brought_gate(world, builder, jobs, lambda n: (2.0, 2.6 if n < 4 else 2.0))
    assert done["exit"] in (0, 2)


def test_slower_results_that_are_too_few_to_confirm_are_not_known(world, builder, jobs):
    done = brought_gate(world, builder, jobs, lambda n: (2.0, 3.0), count=6)
    assert (done["outcome"], done["exit"]) == ("not known well enough", 2)
    assert "too few results" in done["why"]


def test_results_that_make_no_rounds_could_not_be_measured(world, builder, jobs):
    done = brought_gate(world, builder, jobs, lambda n: (2.0, 2.0), count=2)
    assert (done["outcome"], done["exit"]) == ("could not be measured", 3)
    assert "2 results of either side are too few" in done["why"]


def test_a_result_that_cannot_be_read_is_refused_or_ends_the_gate(world, builder, jobs):
    gate = gathered(world, builder)
    assert bring(builder, gate, "baseline", "x", b"\x89PNG\r\n\x1a\n" * 9).status_code == 400
    doubtful = b"\n".join(b"%d;%d" % (n, n * n) for n in range(50))
    answer = bring(builder, gate, "build", "x.csv", doubtful, mapping="")
    assert answer.status_code == 400
    assert "more than one way" in answer.content.decode()
    assert bring(builder, gate, "mine", "x.csv", result_of(2, 1)).status_code == 400
    assert bring(builder, gate, "build", "x", result_of(2, 1), mapping="no").status_code == 400
    assert not LogFile.objects.exists()
    assert builder.post(f"/api/gates/{gate['id']}/judge").status_code == 400
    for side in ("build", "baseline"):
        assert bring(builder, gate, side, "a.csv", result_of(2, 1)).status_code == 201
    LogFile.objects.first().path.write_bytes(b"")
    assert builder.post(f"/api/gates/{gate['id']}/judge").status_code == 200
    assert bring(builder, gate, "build", "late.csv", result_of(2, 1)).status_code == 400
    work_off(jobs)
    done = looked_at(builder, gate)
    assert (done["exit"], "a.csv could not be read" in done["why"]) == (3, True)


def test_results_that_no_worker_reads_are_not_waited_for_for_ever(
    world, builder, jobs, monkeypatch
):
    gate = gathered(world, builder)
    for side in ("baseline", "build"):
        bring(builder, gate, side, "a.csv", result_of(2.0, 1))
    builder.post(f"/api/gates/{gate['id']}/judge")
    pauses = []

    class Later:
        def defer(self, **said):
            jobs.append((judge_results, said))

    def configure(schedule_in):
        pauses.append(schedule_in["seconds"])
        return Later()

    monkeypatch.setattr(judge_results, "configure", configure)
    jobs[:] = [job for job in jobs if job[0] is judge_results]
    work_off(jobs)
    done = looked_at(builder, gate)
    assert (done["exit"], done["why"]) == (3, "its results were not read in time")
    assert (pauses[0], pauses[-1], sum(pauses) >= 7200) == (1, 60, True)
    assert len(pauses) < 200


def test_a_result_whose_lines_are_broken_decides_nothing(world, builder, jobs):
    gate = gathered(world, builder)
    for n in range(8):
        for side in ("baseline", "build"):
            content = result_of(2.0, n)
            if (side, n) == ("build", 5):
                content += b"open,soon,later\nopen,,\n"
            assert bring(builder, gate, side, f"{n}.csv", content).status_code == 201
    builder.post(f"/api/gates/{gate['id']}/judge")
    work_off(jobs)
    done = looked_at(builder, gate)
    assert (done["exit"], "2 lines of 5.csv are broken" in done["why"]) == (3, True)


def test_results_of_another_teams_build_are_nobodys(others, world, builder):
    gate = gathered(world, builder)
    assert bring(others.owner, gate, "build", "a.csv", result_of(2, 1)).status_code == 404
    assert others.owner.post(f"/api/gates/{gate['id']}/judge").status_code == 404


def test_the_command_brings_results_in(monkeypatch, world, builder, jobs, tmp_path, capsys):
    for side, seconds in (("base", 2.0), ("build", 2.7)):
        for n in range(8):
            (tmp_path / f"{side}-{n}.csv").write_bytes(result_of(seconds, n))

    class Bringing(Answers):
        def bring(self, path, content, **said):
            answer = self.client.generic(
                "POST", f"/api/{path}?{urlencode(said)}", content,
                content_type="application/octet-stream",
            )  # fmt: skip
            assert answer.status_code == 201, answer.content
            return answer.json()

    monkeypatch.setenv("YARDSTICK_TOKEN", "secret")
    monkeypatch.setattr(command, "Server", lambda *_: Bringing(builder, lambda: work_off(jobs)))
    monkeypatch.setattr(command, "LOOK_S", 0)
    results = [str(file) for file in sorted(tmp_path.glob("build-*"))]
    base = [str(file) for file in sorted(tmp_path.glob("base-*"))]
    words = ["--study", str(world.study.pk), "--build", "812", "--mapping", "openings"]
    more = ["--stretch", "Open / open", "--results", *results, "--baseline-results", *base]
    gathered(world, builder)
    assert command.main([*words, *more]) == 1
    assert "again in fresh rounds" in capsys.readouterr().out
    for odd in (["--program", "x", *more], more[:11]):
        with pytest.raises(SystemExit):
            command.main([*words, *odd])
    begun = Gate.objects.count()
    with pytest.raises(SystemExit) as ended:
        command.main([*words, *more, str(tmp_path / "gone.csv")])
    assert (ended.value.code, Gate.objects.count()) == (3, begun)
    assert "gone.csv is no file: nothing was begun" in capsys.readouterr().err
