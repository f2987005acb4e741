"""Studies: rounds in balanced order, scripts in versions, runs to verdicts."""

import pytest

from server.worlds import SCRIPT, deliver, measure_all, recorded_streams
from yardstick_server.analysis.judging import judge_study
from yardstick_server.planning.tasks import read_run
from yardstick_server.runs.models import Run


def order(study) -> list[list[int]]:
    rounds: dict[int, list[int]] = {}
    for run in study.runs.select_related("variant").order_by("round", "order_in_round"):
        rounds.setdefault(run.round, []).append(run.variant.position)
    return list(rounds.values())


def test_the_first_round_is_cold_and_extra_later_ones_take_turns(world):
    assert world.study.add_rounds(2) == [0, 1, 2]
    assert world.study.add_rounds(1) == [3]
    assert order(world.study) == [[0, 1], [1, 0], [0, 1], [1, 0]]
    assert world.study.runs.filter(cold=True).count() == 2


def test_rounds_are_asked_for_over_the_api(world):
    url = f"/api/studies/{world.study.pk}/rounds"
    answer = world.owner.post(url, {"count": 1}, content_type="application/json")
    assert (answer.status_code, answer.json()) == (201, {"rounds": [0, 1]})
    for count in (0, 51, "many"):
        refused = world.owner.post(url, {"count": count}, content_type="application/json")
        assert refused.status_code == 400
    assert world.study.runs.count() == 4


def test_each_run_is_taken_once_in_order(world):
    world.study.add_rounds(1)
    taken = [world.rig.post("/api/agent/runs/take") for _ in range(5)]
    assert [answer.status_code for answer in taken] == [200] * 4 + [204]
    runs = [answer.json()["run"] for answer in taken[:4]]
    assert runs == sorted(set(runs))
    first = taken[0].json()
    assert first["program"] == "weftwright-4.1"
    assert first["fixtures"][0]["name"] == "small.weft"
    assert first["script"] == SCRIPT


def test_stopping_withdraws_what_waits_and_aborts_what_runs(world):
    world.study.add_rounds(1)
    world.rig.post("/api/agent/runs/take")
    answer = world.owner.post(f"/api/studies/{world.study.pk}/stop")
    assert answer.json() == {"withdrawn": 3, "aborting": 1}
    assert world.rig.post("/api/agent/runs/take").status_code == 204
    assert Run.objects.filter(abort_asked=True).count() == 1


def test_aborting_a_finished_run_changes_nothing(world):
    world.study.add_rounds(1)
    run = world.rig.post("/api/agent/runs/take").json()["run"]
    deliver(world, run, recorded_streams())
    world.owner.post(f"/api/runs/{run}/abort")
    kept = Run.objects.get(pk=run)
    assert (kept.state, kept.outcome, kept.abort_asked) == ("measured", "finished", False)


def test_a_script_with_mistakes_changes_nothing_and_shows_them(world):
    url = f"/api/studies/{world.study.pk}/script"
    broken = SCRIPT.replace("press Ctrl+O", "pres Ctrl+O")
    answer = world.owner.put(url, {"text": broken}, content_type="application/json")
    assert answer.status_code == 400
    (problem,) = answer.json()["problems"]
    assert (problem["line"], problem["column"], problem["meant"]) == (8, 5, "press")
    assert world.study.script.text == SCRIPT


def test_a_script_with_an_unknown_fixture_is_refused(world):
    text = SCRIPT.replace("small.weft", "large.weft")
    url = f"/api/studies/{world.study.pk}/script"
    answer = world.owner.put(url, {"text": text}, content_type="application/json")
    assert answer.status_code == 400
    assert "no fixture is called large.weft" in answer.content.decode()


def test_a_changed_script_makes_a_version_and_runs_keep_theirs(world):
    world.study.add_rounds(1)
    url = f"/api/studies/{world.study.pk}/script"
    text = SCRIPT.replace("repeat 20", "repeat 30")
    answer = world.owner.put(url, {"text": text}, content_type="application/json")
    assert answer.json()["number"] == 2
    again = world.owner.put(url, {"text": text}, content_type="application/json")
    assert again.json()["number"] == 2
    assert world.study.runs.first().script.number == 1
    assert world.rig.post("/api/agent/runs/take").json()["script"] == SCRIPT


def test_a_script_can_be_checked_without_keeping_it(world):
    answer = world.owner.post(
        "/api/scripts/check", {"text": "sesion"}, content_type="application/json"
    )
    assert answer.json()["problems"][0]["meant"] == "session"


def test_runs_become_readings_differences_and_a_sentence(world):
    world.study.add_rounds(4)
    measure_all(world, {0: 2.0, 1: 1.4})
    board = world.owner.get(f"/api/studies/{world.study.pk}/board").json()
    rows = {(row["metric"], *row["stretch"]): row for row in board["rows"]}
    opened = rows["duration", "Open", "open"]
    assert opened["differences"][0] is None
    assert opened["differences"][1]["verdict"] == "ahead"
    assert opened["differences"][1]["ratio"] == pytest.approx(0.7, abs=0.02)
    assert "less time" in opened["differences"][1]["percent_text"]
    assert len(opened["samples"][0]) == 4
    rate = rows["average_rate", "Scroll", "scroll"]
    assert rate["differences"][1]["verdict"] == "ahead"
    assert rate["medians"][0]["value"] == pytest.approx(125, abs=2)
    summary = world.owner.get("/api/studies").json()[0]
    assert summary["headline"].startswith("4.2 is ahead on")
    assert (summary["runs_done"], summary["runs_total"], summary["state"]) == (10, 10, "measured")


def test_any_variant_can_be_the_baseline_without_changing_what_is_kept(world):
    world.study.add_rounds(4)
    measure_all(world, {0: 2.0, 1: 1.4})
    url = f"/api/studies/{world.study.pk}/board"
    turned = world.owner.get(f"{url}?baseline=1").json()
    assert turned["baseline"] == 1
    opened = next(row for row in turned["rows"] if row["metric"] == "duration")
    assert opened["differences"][1] is None
    assert opened["differences"][0]["verdict"] == "behind"
    assert opened["differences"][0]["ratio"] == pytest.approx(1 / 0.7, abs=0.04)
    assert world.owner.get(url).json()["baseline"] == 0
    for wrong in ("2", "-1", "x", ""):
        assert world.owner.get(f"{url}?baseline={wrong}").status_code == 400


def test_a_cut_off_run_is_kept_counted_and_not_averaged_in(world):
    world.study.add_rounds(3)
    measure_all_but_one(world)
    summary = world.owner.get("/api/studies").json()[0]
    assert summary["troubles"] == 1
    board = world.owner.get(f"/api/studies/{world.study.pk}/board").json()
    opened = next(row for row in board["rows"] if row["metric"] == "duration")
    assert [s["right_censored"] for s in opened["samples"][1]].count(True) == 1
    rate = next(row for row in board["rows"] if row["metric"] == "average_rate")
    assert len(rate["samples"][1]) == 2


def measure_all_but_one(world) -> None:
    """The last run of variant 1 is cut off while opening."""
    last = world.study.runs.filter(variant__position=1).order_by("-id").first().pk
    while (answer := world.rig.post("/api/agent/runs/take")).status_code == 200:
        run = answer.json()["run"]
        outcome = "cut off" if run == last else "finished"
        streams = recorded_streams(30.0 if run == last else 2.0, outcome=outcome, seed=run)
        deliver(world, run, streams, outcome)
        read_run(run)


def test_reading_a_run_twice_gives_the_same_readings(world):
    world.study.add_rounds(1)
    run = world.rig.post("/api/agent/runs/take").json()["run"]
    deliver(world, run, recorded_streams())
    read_run(run)
    readings = Run.objects.get(pk=run).readings.order_by("stretch", "metric")
    before = list(readings.values_list("stretch", "metric", "value"))
    read_run(run)
    assert list(readings.values_list("stretch", "metric", "value")) == before
    assert len(before) > 10


def test_distributions_are_means_of_the_runs_own_curves(world):
    world.study.add_rounds(2)
    measure_all(world, {0: 1.0, 1: 1.0})
    url = f"/api/studies/{world.study.pk}/distribution?stretch=Scroll&stretch=scroll"
    curves = world.owner.get(url).json()["curves"]
    assert [curve["runs"] for curve in curves] == [2, 2]
    assert curves[0]["ms"][50] == pytest.approx(8, abs=0.2)
    assert curves[1]["ms"][50] == pytest.approx(6, abs=0.2)


def test_a_study_in_full_shows_its_script_and_runs(world):
    world.study.add_rounds(1)
    body = world.owner.get(f"/api/studies/{world.study.pk}").json()
    assert body["script"]["steps"] == ["Open", "Scroll"]
    assert [s["path"] for s in body["script"]["stretches"]] == [
        ["Open", "open"],
        ["Scroll", "scroll"],
    ]
    assert body["state"] == "waiting for a rig"
    assert len(body["runs"]) == 4


def test_versions_are_listed_with_the_runs_that_used_them(world):
    world.study.add_rounds(1)
    world.study.keep_script(SCRIPT + "# once more\n")
    listed = world.owner.get(f"/api/studies/{world.study.pk}/scripts").json()
    assert [(v["number"], v["measured"]) for v in listed] == [(2, 0), (1, 4)]
    assert listed[1]["text"] == SCRIPT


def test_a_script_is_laid_out_by_the_server(world):
    def laid_out(text):
        return world.owner.post(
            "/api/scripts/layout", {"text": text}, content_type="application/json"
        )

    assert laid_out('session   "S"\nstep "A"\n  start').json() == {
        "text": 'session "S"\n\nstep "A"\n  start\n'
    }
    refused = laid_out('session "S')
    assert (refused.status_code, refused.json()["problems"][0]["line"]) == (400, 1)


def test_the_list_of_studies_asks_no_more_for_many_than_for_one(
    world, django_assert_max_num_queries
):
    world.study.add_rounds(3)
    measure_all(world, {0: 2.0, 1: 1.4})
    world.owner.get("/api/studies")
    with django_assert_max_num_queries(9):
        assert len(world.owner.get("/api/studies").json()) == 1
    for number in range(6):
        body = {"like": world.study.pk, "question": f"And again? {number}"}
        world.owner.post("/api/studies", body, content_type="application/json")
    with django_assert_max_num_queries(9):
        assert len(world.owner.get("/api/studies").json()) == 7


def test_the_list_says_what_an_answer_was_and_since_when_it_is_not(world):
    def home():
        (study,) = world.owner.get("/api/studies").json()
        return study

    assert home()["changed"] is None
    world.study.add_rounds(4)
    measure_all(world, {0: 2.0, 1: 1.4})
    (answer,) = home()["answers"]
    assert (answer["verdict"], answer["before"]["verdict"]) == ("ahead", "")
    since = home()["changed"]
    assert answer["before"]["until"].replace("+00:00", "Z") == since
    judge_study(world.study)
    assert home()["changed"] == since
    place = {"metric": "duration", "stretch": ["Open", "open"], "share": 900}
    url = f"/api/studies/{world.study.pk}/terms"
    world.owner.put(url, place, content_type="application/json")
    (answer,) = home()["answers"]
    assert (answer["verdict"], answer["before"]["verdict"]) == ("level", "ahead")
    assert home()["changed"] > since


def test_a_study_is_stopped_after_the_run_under_way(world):
    world.study.add_rounds(1)
    run = world.rig.post("/api/agent/runs/take").json()["run"]
    answer = world.owner.post(f"/api/studies/{world.study.pk}/stop?let_run_end=true")
    assert answer.json() == {"withdrawn": 3, "aborting": 0}
    deliver(world, run, recorded_streams())
    assert Run.objects.get(pk=run).outcome == "finished"


def test_the_runs_measured_last_are_listed_over_all_studies(world, others):
    world.study.add_rounds(1)
    run = world.rig.post("/api/agent/runs/take").json()["run"]
    deliver(world, run, recorded_streams())
    (last,) = world.reader.get("/api/runs").json()
    assert (last["id"], last["variant_name"], last["outcome"]) == (run, "4.1", "finished")
    assert last["question"] == "Is it faster?"
    assert world.reader.get("/api/runs?rig=nowhere").json() == []
    assert len(world.reader.get(f"/api/runs?subject={world.study.subject_id}").json()) == 1
    assert world.reader.get("/api/runs?subject=x").status_code == 400
    assert others.owner.get("/api/runs").json() == []
