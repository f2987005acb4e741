"""Films from elsewhere over the API: looked through apart, marked, kept with what they can tell."""

import numpy as np
import pytest

from core.made_films import CLOTH, clicks, film
from server.worlds import read_all
from yardstick_server.analysis.judging import judged_runs
from yardstick_server.api.study import footage
from yardstick_server.films.models import bytes_of_films
from yardstick_server.footage import tasks
from yardstick_server.footage.models import Footage
from yardstick_server.runs.models import BROUGHT_IN, Run

BYTES, JSON = "application/octet-stream", "application/json"


@pytest.fixture(autouse=True)
def no_queue(monkeypatch):
    """Jobs are called by the tests themselves."""
    monkeypatch.setattr(tasks.look_through, "defer", lambda **_: None)


def opening(at):
    """A menu answers after 0.4 s; the cloth is there after 1.5 s."""
    picture = np.full_like(CLOTH, 40)
    if at >= 0.4:
        picture[:32, :64] = 200
    if at >= 1.5:
        picture[32:] = CLOTH[32:]
    return picture


def bring(world, content: bytes, variant=1, name="opening.mkv"):
    url = f"/api/studies/{world.study.pk}/footage?name={name}&variant={variant}"
    return world.owner.post(url, content, content_type=BYTES)


@pytest.fixture
def looked(world, tmp_path):
    """A film of 4.2, looked through; what the server says of it."""
    path = film(tmp_path / "f.mp4", opening, 30, 3)
    number = bring(world, path.read_bytes()).json()["id"]
    tasks.look_through(number)
    return world.owner.get(f"/api/footage/{number}").json()


def put_marks(world, number, marks, variant=1, regions=()):
    body = {"variant": variant, "regions": list(regions), "marks": marks}
    return world.owner.put(f"/api/footage/{number}", body, content_type=JSON)


def test_a_film_is_looked_through_and_says_what_it_can_tell(world, looked):
    assert (looked["state"], looked["variant"], looked["name"]) == ("ready", 1, "opening.mkv")
    facts = looked["facts"]
    assert (facts["width"], facts["height"], facts["frames"]) == (320, 192, 90)
    assert facts["step_s"] == pytest.approx(1 / 30)
    assert facts["new"] == 3
    assert not facts["every_picture_new"]
    assert not Footage.objects.get().path("brought").exists()
    course = world.owner.get(f"/api/footage/{looked['id']}/course").json()
    assert course["new"] == [0, 12, 45]
    assert [one["first"] for one in course["bursts"]] == [12, 45]
    part = world.owner.get(f"/api/footage/{looked['id']}/course?region=0,64,320,100").json()
    assert part["new"] == [0, 45]
    played = world.owner.get(f"/api/footage/{looked['id']}/film", headers={"Range": "bytes=0-99"})
    assert played.status_code == 206


def test_marks_become_a_run_that_is_kept_apart_with_its_uncertainty(world, looked):
    number = looked["id"]
    snapped = [
        world.owner.get(f"/api/footage/{number}/snap", {"picture": near, "to": "first change"})
        for near in (10, 50)
    ]
    start, end = (answer.json()["picture"] for answer in snapped)
    assert (start, end) == (12, 45)
    marks = [{"path": ["Open", "open"], "start": start, "end": end}]
    told = put_marks(world, number, marks).json()["timings"][0]
    assert told["end_s"] - told["start_s"] == pytest.approx(1.1)
    assert told["plus_minus_s"] == pytest.approx(1 / 30)
    run = world.owner.post(f"/api/footage/{number}/keep").json()["run"]
    read_all([run])
    kept = Run.objects.get(pk=run)
    assert (kept.origin, kept.variant.position) == (BROUGHT_IN, 1)
    assert kept.left_out.startswith("filmed elsewhere")
    reading = kept.readings.get(metric="duration", stretch=["Open", "open"])
    assert reading.value == pytest.approx(1.1)
    assert reading.plus_minus == pytest.approx(1 / 30)
    assert reading.warning == "filmed elsewhere"
    again = world.owner.post(f"/api/footage/{number}/keep")
    assert again.status_code == 400, "it is a run already"
    let_in = world.owner.post(
        f"/api/runs/{run}/let-in", {"reason": "the same film rate for both"}, content_type=JSON
    )
    assert let_in.status_code == 200
    (judged,) = judged_runs(world.study)
    assert judged.by_hand, "its ± goes into the intervals"


def test_a_run_made_of_a_film_shows_it_also_once_that_is_thrown_away(world, looked):
    number, held = looked["id"], bytes_of_films(world.workspace)
    put_marks(world, number, [{"path": ["Open", "open"], "start": 12, "end": 45}])
    run = world.owner.post(f"/api/footage/{number}/keep").json()["run"]
    assert bytes_of_films(world.workspace) == held  # one file, counted once
    read_all([run])
    shown = world.owner.get(f"/api/runs/{run}").json()["film"]
    # the run begins with the picture that its timing starts in, known to half a step
    assert shown["began_s"] == pytest.approx(-12 / 30, abs=1 / 60 + 1e-6)
    assert (shown["width"], shown["height"]) == (320, 192)
    assert world.owner.delete(f"/api/footage/{number}").status_code == 204
    film = world.owner.get(f"/api/runs/{run}/film", headers={"Range": "bytes=0-99"})
    assert film.status_code == 206
    assert 0 < bytes_of_films(world.workspace) <= held
    Run.objects.get(pk=run).delete()
    assert bytes_of_films(world.workspace) == 0


@pytest.mark.parametrize(("hertz", "drawn"), [(60, 47), (60, 24), (30, 12), (30, 60)])
def test_new_pictures_become_frames_no_finer_than_the_film(world, tmp_path, hertz, drawn):
    """A cloth that scrolls `drawn` times a second, filmed; a caret that blinks beside it."""

    def scrolling(at):
        picture = np.roll(CLOTH, 8 * int(at * drawn + 1e-6), axis=0)
        picture[160:] = 40 + 200 * (int(at * 7) % 2)
        return picture

    path = film(tmp_path / "f.mp4", scrolling, hertz, 6)
    number = bring(world, path.read_bytes()).json()["id"]
    tasks.look_through(number)
    cloth = {"name": "cloth", "x": 0, "y": 0, "width": 320, "height": 128}
    marks = [{"path": ["Scroll", "scroll"], "start": 5, "end": 6 * hertz - 5, "region": cloth}]
    told = put_marks(world, number, marks, regions=[cloth]).json()["timings"][0]
    seen = min(hertz, drawn)
    assert abs(told["rate"] - seen) <= told["rate_plus_minus"] < 0.6
    run = world.owner.post(f"/api/footage/{number}/keep").json()["run"]
    read_all([run])
    readings = {one.metric: one for one in Run.objects.get(pk=run).readings.all()}
    rate = readings["average_rate"]
    assert abs(rate.value - seen) <= rate.plus_minus + 0.2
    assert ("may have drawn more" in rate.warning) == (drawn > hertz)
    slowest = 1000 / readings["one_percent_low"].value
    assert slowest == pytest.approx(1000 / seen, abs=1000 / hertz)
    assert readings["one_percent_low"].plus_minus > 0
    assert not {"median_frame", "p99_frame", "evenness", "drops_60"} & set(readings)


@pytest.mark.parametrize("marks", [
    [{"path": ["Open", "open"], "start": 0, "end": 900}],
    [{"path": ["Open"], "start": 0, "end": 1}],
    [{"path": ["Open", "open"], "start": -1, "end": 1}],
    "x",
])  # fmt: skip
def test_marks_that_are_none_change_nothing(world, looked, marks):
    assert put_marks(world, looked["id"], marks).status_code == 400
    assert world.owner.get(f"/api/footage/{looked['id']}").json()["marks"] == []


def test_unfinished_marks_make_no_run(world, looked):
    put_marks(world, looked["id"], [{"path": ["Open", "open"], "start": 3, "end": None}])
    answer = world.owner.post(f"/api/footage/{looked['id']}/keep")
    assert answer.status_code == 400
    assert "both its start and its end" in str(answer.json())


@pytest.mark.parametrize("content", [b"no film at all" * 99, b"\0" * 5000])
def test_what_is_no_film_fails_in_words_and_leaves_no_file(world, content):
    number = bring(world, content).json()["id"]
    tasks.look_through(number)
    told = world.owner.get(f"/api/footage/{number}").json()
    assert told["state"] == "failed"
    assert "cannot be opened" in told["problem"]
    assert not any(path.exists() for path in Footage.objects.get().files)
    assert world.owner.get(f"/api/footage/{number}/course").status_code == 400


def test_a_film_that_breaks_off_in_its_pictures_is_told_in_words(world, tmp_path):
    whole = film(tmp_path / "f.mp4", opening, 30, 3).read_bytes()
    head = whole.index(b"mdat") + 4
    spoilt = (
        whole[:head] + b"\0" * (whole.index(b"moov") - 4 - head) + whole[whole.index(b"moov") - 4 :]
    )
    number = bring(world, spoilt).json()["id"]
    tasks.look_through(number)
    told = world.owner.get(f"/api/footage/{number}").json()
    assert told["state"] == "failed"
    assert told["problem"]
    assert not any(path.exists() for path in Footage.objects.get().files)


def test_a_film_for_no_variant_or_without_content_is_refused(world):
    for variant in (9, "x", ""):
        assert bring(world, b"x", variant=variant).status_code == 400
    assert bring(world, b"").status_code == 400
    assert not Footage.objects.exists()


def test_there_is_no_more_room_than_films_may_take(world, tmp_path):
    world.workspace.film_bytes_limit = 100
    world.workspace.save()
    assert bring(world, b"x" * 200).status_code == 413
    assert not Footage.objects.exists()


def test_sound_and_another_film_are_held_against_the_picture(world, tmp_path):
    at = np.array([0.5, 1.1, 2.0, 2.9, 3.5, 4.6, 5.2, 6.1, 7.3, 8.0])

    def flashing(instant):
        return np.full_like(CLOTH, 230 if (np.abs(instant - at - 0.05) <= 0.05).any() else 20)

    sound = clicks(at + 0.05 + 0.01 * at, 9, 48_000)
    path = film(tmp_path / "f.mp4", flashing, 60, 9, sound=sound)
    number = bring(world, path.read_bytes()).json()["id"]
    tasks.look_through(number)
    told = world.owner.get(f"/api/footage/{number}/drift", {"against": "sound"}).json()
    assert told["known"]
    assert told["pairs"] >= 9
    assert told["drift_low"] < 600 < told["drift_high"]
    same = world.owner.get(f"/api/footage/{number}/drift", {"against": str(number)}).json()
    assert same["drift_ms_a_minute"] == pytest.approx(0, abs=0.01)
    assert world.owner.get(f"/api/footage/{number}/drift", {"against": "x"}).status_code == 400


def test_too_many_events_are_said_and_not_paired(world, looked, monkeypatch):
    monkeypatch.setattr(footage, "MOST_EVENTS", 1)
    answer = world.owner.get(f"/api/footage/{looked['id']}/drift", {"against": str(looked["id"])})
    assert answer.status_code == 400
    assert "choose a region" in str(answer.json())


def test_others_see_and_change_nothing(world, others, looked):
    number = looked["id"]
    for path in ("", "/film", "/course", "/snap?picture=1", "/drift"):
        assert others.owner.get(f"/api/footage/{number}{path}").status_code == 404
    assert others.owner.delete(f"/api/footage/{number}").status_code == 404
    assert world.owner.delete(f"/api/footage/{number}").status_code == 204
    assert not Footage.objects.exists()
