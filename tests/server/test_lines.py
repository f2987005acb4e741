"""Lines of releases over the API: from studies that measured alike to changes and what is next."""

from copy import deepcopy

import pytest

from server.worlds import make_world, measure_all
from yardstick_server.analysis.lines import lines_of
from yardstick_server.gates.deciding import ask
from yardstick_server.studies.models import Study

JSON = "application/json"


def measured_session(world, study, opens):
    """Measure a study of several variants once cold and four times warm."""
    study.add_rounds(4)
    measure_all(world, opens)


@pytest.fixture(scope="module")
def measured_once(begun):
    """4.1 beside 4.0, 4.2, 4.3 in one session, beside 4.4, 4.5, 4.6 in another; 4.4 is slower."""
    world = make_world("weavers")
    subject, study = world.study.subject, world.study
    for release in ("4.0", "4.3"):
        variant = subject.variants.create(name=release, program=f"weftwright-{release}")
        study.study_variants.create(variant=variant, position=study.study_variants.count())
    later = [subject.variants.get(name="4.1")] + [
        subject.variants.create(name=release, program=f"weftwright-{release}")
        for release in ("4.3.1", "4.4", "4.5", "4.6")
    ]
    second = study.another("4.4 to 4.6", [one for one in later if one.name != "4.3.1"])
    measured_session(world, study, {0: 1.0, 1: 1.0, 2: 1.0, 3: 1.0})
    measured_session(world, second, {0: 1.3, 1: 1.56, 2: 1.56, 3: 1.56})
    return world


@pytest.fixture
def line(measured_once, db):
    return deepcopy(measured_once)


@pytest.fixture
def db(within):
    return within


def told(world):
    (short,) = world.owner.get(f"/api/subjects/{world.study.subject_id}/lines").json()
    url = f"/api/subjects/{world.study.subject_id}/lines/{short['key']}"
    return short, url, world.owner.get(url).json()


def test_studies_that_measured_alike_are_one_line(line):
    short, _, body = told(line)
    assert (short["studies"], short["releases"], short["rigs"]) == (2, 7, ["loft"])
    names = [one["name"] for one in body["releases"]]
    assert names == ["4.0", "4.1", "4.2", "4.3", "4.3.1", "4.4", "4.5", "4.6"]
    assert [one["name"] for one in body["releases"] if not one["measured"]] == ["4.3.1"]
    assert names[body["anchor"]] == "4.1"
    assert [one["releases"] for one in body["sessions"]] == [[0, 1, 2, 3], [1, 5, 6, 7]]


def test_a_day_on_which_all_is_slower_is_no_change_and_what_is_slower_is_one(line):
    _, url, body = told(line)
    opened = next(one for one in body["metrics"] if one["label"] == "open")
    (change,) = opened["changes"]
    assert (change["earliest"], change["latest"], change["better"]) == (4, 5, False)
    assert change["since"] == "since 4.3.1 or 4.4"
    assert (
        change["text"].replace("\u00a0", " ").startswith(("19 % more time (", "20 % more time ("))
    )
    assert opened["headline"].startswith("Open changed once: since 4.3.1 or 4.4")
    assert opened["next"] == {"release": 4, "again": False, "why": "the change since 4.3.1 or 4.4"}
    assert body["metrics"][0]["changes"], "what changed stands first"
    made = line.owner.post(f"{url}/sessions", {"releases": ["4.3.1"]}, content_type=JSON)
    study = Study.objects.get(pk=made.json()["study"])
    assert [part.variant.name for part in study.variants] == ["4.1", "4.3.1"]
    assert (study.baseline, study.question) == (0, "4.3.1 beside 4.1")
    assert study.script.sha256 == line.study.script.sha256
    study.add_rounds(4)
    measure_all(line, {0: 1.0, 1: 1.2})
    opened = next(one for one in told(line)[2]["metrics"] if one["label"] == "open")
    assert [one["since"] for one in opened["changes"]] == ["since 4.3.1"]
    assert opened["next"] is None


@pytest.mark.parametrize("releases", [[], ["9.9"], ["4.1"], [f"4.{n}" for n in range(9)], "x"])
def test_a_session_that_cannot_be_is_refused(line, releases):
    _, url, _ = told(line)
    before = Study.objects.count()
    answer = line.owner.post(f"{url}/sessions", {"releases": releases}, content_type=JSON)
    assert answer.status_code == 400
    assert Study.objects.count() == before


def test_the_order_is_that_of_names_unless_somebody_says_another(line):
    subject = f"/api/subjects/{line.study.subject_id}"
    order = ["4.2", "4.0", "4.1"]
    assert line.owner.patch(subject, {"release_order": order}, content_type=JSON).status_code == 200
    names = [one["name"] for one in told(line)[2]["releases"]]
    assert names == ["4.2", "4.0", "4.1", "4.3", "4.3.1", "4.4", "4.5", "4.6"]


def test_what_was_put_away_stays_in_the_line_and_what_was_deleted_does_not(line):
    second = Study.objects.order_by("pk").last()
    second.move_to("archived", "x")
    assert told(line)[0]["studies"] == 2
    second.move_to("deleted", "x")
    assert told(line)[0]["releases"] == 4


def test_a_release_that_was_put_away_keeps_its_place(line):
    line.study.subject.variants.get(name="4.2").move_to("archived", "x")
    names = [one["name"] for one in told(line)[2]["releases"]]
    assert names == ["4.0", "4.1", "4.2", "4.3", "4.3.1", "4.4", "4.5", "4.6"]


def test_a_session_of_releases_with_long_names_is_made(line):
    names = [f"{'nightly ' * 6}{number}" for number in range(7)]
    for name in names:
        line.study.subject.variants.create(name=name, program="nightly")
    url = told(line)[1]
    made = line.owner.post(f"{url}/sessions", {"releases": names}, content_type=JSON)
    assert made.status_code == 201
    assert len(Study.objects.get(pk=made.json()["study"]).question) == 200


def test_other_sessions_factors_and_rigs_are_other_lines(line):
    subject = line.study.subject
    second = Study.objects.order_by("pk").last()
    second.factor = "driver"
    second.save()
    assert [len(one.studies) for one in lines_of(subject)] == [1]
    second.factor = "Release"
    second.save()
    second.keep_script(second.script.text + "\n# another\n")
    assert [len(one.studies) for one in lines_of(subject)] == [1, 1]


def test_settings_that_were_crossed_are_no_releases_between(line):
    variant = line.study.subject.variants.create(name="4.2 narrow", program="weftwright")
    crossed = line.study.another("Crossed?")
    crossed.study_variants.create(variant=variant, position=9)
    crossed.second_factor = "margin"
    crossed.save()
    short, _, body = told(line)
    assert short["studies"] == 2
    assert "4.2 narrow" not in [one["name"] for one in body["releases"]]


def test_a_build_at_the_gate_is_on_the_line(line):
    gate = ask(line.study, "5.0 (812)", "nightly", wanted=[], tolerance=10, rounds=3, by="x")
    gate.study.add_rounds(4)
    measure_all(line, {0: 1.0, 1: 1.2})
    short, _, body = told(line)
    assert short["studies"] == 3
    assert body["releases"][-1] == {"name": "5.0 (812)", "measured": True}
    opened = next(one for one in body["metrics"] if one["label"] == "open")
    newest = opened["points"][-1]
    assert body["releases"][newest["release"]]["name"] == "5.0 (812)"
    assert newest["text"].replace("\u00a0", " ").startswith("1.2")


def test_others_see_no_line(line, others):
    _, url, _ = told(line)
    assert others.owner.get(url).status_code == 404
    assert line.owner.get(url[:-3] + "zzz").status_code == 404
    refused = line.reader.post(f"{url}/sessions", {"releases": ["4.3.1"]}, content_type=JSON)
    assert refused.status_code == 403
