"""Claims: put up, judged by what was measured, taken back."""

import pytest

from server.worlds import make_world, measure_all
from yardstick_server.analysis.judging import judge_study

OPEN = {"variant": 1, "stretch": ["Open", "open"], "metric": "duration", "side": "at most"}


@pytest.fixture(scope="module")
def measured_once(begun):
    """Four warm rounds in which 4.2 opens 30 % faster."""
    world = make_world("weavers")
    world.study.add_rounds(4)
    measure_all(world, {0: 2.0, 1: 1.4})
    return world


@pytest.fixture
def db(within):
    return within


def put_up(world, **changes):
    body = {**OPEN, "amount": -20, "source": "change notes", **changes}
    url = f"/api/studies/{world.study.pk}/claims"
    return world.owner.post(url, body, content_type="application/json")


def test_a_claim_is_judged_as_soon_as_it_is_put_up(measured):
    answer = put_up(measured)
    assert answer.status_code == 201
    body = answer.json()
    assert body["judgement"] == "borne out"
    assert body["statement"].startswith("open is at least 20")
    assert "99.6\u00a0% interval" in body["because"]["text"]
    assert put_up(measured, amount=-50).json()["judgement"] == "contradicted"
    listed = measured.owner.get(f"/api/studies/{measured.study.pk}/claims").json()
    assert [claim["judgement"] for claim in listed] == ["borne out", "contradicted"]


def test_a_claim_about_what_was_set_aside_says_so(measured):
    put_up(measured, amount=-50)
    url = f"/api/studies/{measured.study.pk}/"
    body = {"metric": "duration", "stretch": ["Open", "open"], "counts": False}
    measured.owner.put(url + "terms", body, content_type="application/json")
    (claim,) = measured.owner.get(url + "claims").json()
    assert claim["judgement"] == "not shown"
    assert claim["because"]["text"].startswith("this study sets it aside")


def test_a_claim_is_put_up_before_the_first_run_and_judged_by_those_to_come(world):
    url = f"/api/studies/{world.study.pk}/claimable"
    rows = world.owner.get(url).json()
    assert {"stretch": ["Open", "open"], "metric": "duration", "name": "duration", "unit": "s",
            "in_percent": True} in rows  # fmt: skip
    assert (["Scroll", "scroll"], "one_percent_low") in [(r["stretch"], r["metric"]) for r in rows]
    assert (["Whole session"], "peak_memory") in [(r["stretch"], r["metric"]) for r in rows]
    made = put_up(world).json()
    assert made["judgement"] == "not shown"
    assert made["statement"].startswith("open is at least 20")
    assert (made["because"]["text"], made["after"]) == ("no run has a reading of this", 0)
    world.study.add_rounds(4)
    measure_all(world, {0: 2.0, 1: 1.4})
    listed = world.owner.get(f"/api/studies/{world.study.pk}/claims").json()
    assert [(claim["judgement"], claim["after"]) for claim in listed] == [("borne out", 0)]


def test_a_claim_put_up_after_a_look_says_after_how_many_runs(measured):
    runs = measured.study.runs.filter(state="read").count()
    assert runs > 4
    assert put_up(measured).json()["after"] == runs


def test_once_runs_are_read_claims_are_about_what_was_read(measured):
    rows = measured.owner.get(f"/api/studies/{measured.study.pk}/claimable").json()
    read = measured.owner.get(f"/api/studies/{measured.study.pk}/board").json()["rows"]
    assert [(row["stretch"], row["metric"]) for row in rows] == [
        (row["stretch"], row["metric"]) for row in read if row["judged"]
    ]


@pytest.mark.parametrize(
    "changes",
    [
        {"variant": 0},
        {"variant": 7},
        {"metric": "no_such"},
        {"stretch": ["Elsewhere"]},
        {"side": "about"},
        {"amount": -101},
        {"amount": "much"},
    ],
)
def test_a_claim_that_makes_no_sense_is_refused(measured, changes):
    assert put_up(measured, **changes).status_code == 400
    assert measured.study.claims.count() == 0


def test_a_claim_is_taken_back(measured):
    claim = put_up(measured).json()["id"]
    url = f"/api/studies/{measured.study.pk}/claims/{claim}"
    assert measured.owner.delete(url).status_code == 204
    assert measured.owner.delete(url).status_code == 404


def test_claims_of_another_team_are_out_of_reach(measured, others):
    claim = put_up(measured).json()["id"]
    url = f"/api/studies/{measured.study.pk}/claims"
    assert others.owner.get(url).status_code == 404
    assert others.owner.post(url, OPEN | {"amount": 1}, "application/json").status_code == 404
    assert others.owner.delete(f"{url}/{claim}").status_code == 404
    assert measured.reader.get(url).status_code == 200
    assert measured.reader.delete(f"{url}/{claim}").status_code == 403
    assert measured.study.claims.count() == 1


def test_a_claim_whose_readings_are_gone_says_so(measured):
    put_up(measured)
    for run in measured.study.runs.all():
        run.readings.all().delete()
    judge_study(measured.study)
    (claim,) = measured.owner.get(f"/api/studies/{measured.study.pk}/claims").json()
    assert claim["judgement"] == "not shown"
    assert "no run has a reading" in claim["because"]["text"]
