"""Races over the API: who runs, who leads, stills and films that say the same."""

import io
from types import SimpleNamespace

import av
import numpy as np
import pytest
from PIL import Image, ImageFont

from server.filmed import give_film
from server.worlds import make_world, measure_all
from yardstick_core.record import FILMED
from yardstick_server.analysis.judging import judge_study
from yardstick_server.races import tasks
from yardstick_server.races.drawing import HEIGHT, MARGIN, ROW, WIDTH, fitting
from yardstick_server.races.filming import film_race
from yardstick_server.races.models import RaceFilm
from yardstick_server.reports.svg import LIGHT


@pytest.fixture(scope="module")
def measured_once(begun):
    """Five rounds of two variants: the second opens in half the time."""
    world = make_world("weavers")
    world.study.materiality_rules.create(
        metric="duration", stretch=["Open", "open"], decides=True, by="weavers-owner"
    )
    world.study.add_rounds(5)
    measure_all(world, {0: 2.0, 1: 1.0})
    judge_study(world.study)
    return world


@pytest.fixture
def db(within):
    return within


def raced(world, **asked):
    return world.owner.get(f"/api/studies/{world.study.pk}/race", asked)


def test_the_usual_run_of_each_races_where_none_is_filmed(measured):
    race = raced(measured).json()
    assert [racer["name"] for racer in race["racers"]] == ["4.1", "4.2"]
    assert [racer["film"] for racer in race["racers"]] == [None, None]
    assert race["baseline"] == 0
    assert race["racers"][1]["steps"][0]["lead_s"] == pytest.approx(1.0, abs=0.2)
    assert [one["code"] for one in race["alignments"]][:3] == ["start", "step:Open", "step:Scroll"]
    (timing,) = [one for one in race["racers"][1]["timings"] if one["name"] == "open"]
    assert timing["lead_s"] == pytest.approx(1.0, abs=0.2)
    assert timing["base_end_s"] - timing["end_s"] == pytest.approx(timing["lead_s"])
    assert race["rounds"] == 5
    assert "4.2" not in race["answers"][0]["text"]
    assert "open" in race["answers"][0]["text"]


def test_filmed_runs_race_first_and_what_filming_took_is_said(measured):
    measured.owner.post(f"/api/studies/{measured.study.pk}/films")
    measure_all(measured, {0: 2.6, 1: 1.0})
    films = measured.study.runs.filter(purpose=FILMED)
    for run in films:
        give_film(run, list(range(0, 250, 5)), began_s=0.1)
    race = raced(measured).json()
    assert [racer["run"] for racer in race["racers"]] == [run.pk for run in films]
    assert race["racers"][0]["film"]["began_s"] == pytest.approx(0.1)
    cost = race["filming_cost"][0]
    assert cost["name"] == "4.1"
    assert cost["runs"] == 5, "the cold round is no measure of it"
    assert cost["shortest_s"] <= cost["longest_s"]


def test_runs_and_alignment_can_be_chosen(measured):
    first = measured.study.runs.filter(variant__position=1).first()
    last = measured.study.runs.filter(variant__position=0).last()
    asked = {"runs": f"{first.pk},{last.pk}", "at": "step:Scroll"}
    race = raced(measured, **asked).json()
    assert [racer["run"] for racer in race["racers"]] == [first.pk, last.pk]
    assert race["baseline"] == 1
    assert race["racers"][0]["zero_s"] == pytest.approx(2.0)


@pytest.mark.parametrize("asked", [
    {"runs": "1"}, {"runs": "x,y"}, {"runs": "999998,999999"}, {"runs": ","}, {"at": "step:None"},
    {"at": "mark:x"}, {"runs": "1,2,3,4,5"}, {"at": "input:77"},
])  # fmt: skip
def test_what_cannot_race_is_said(measured, asked):
    answer = raced(measured, **asked)
    assert answer.status_code == 400
    assert answer.json()


def test_nothing_measured_is_no_race(world):
    answer = raced(world)
    assert answer.status_code == 400
    assert "measure them first" in str(answer.json())


def test_long_names_are_cut_to_the_room_that_they_have():
    face = ImageFont.load_default(20)
    assert fitting("4.2", 50, face) == "4.2"
    short = fitting("4.2 with everything switched on that can be switched on", 150, face)
    assert short.endswith("…")
    assert 120 < face.getlength(short) <= 150


def test_a_still_shows_the_films_at_that_instant(measured):
    runs = [measured.study.runs.filter(variant__position=n).first() for n in (0, 1)]
    for run in runs:
        give_film(run, list(range(0, 250, 5)))
    numbers = ",".join(str(run.pk) for run in runs)
    answer = measured.owner.get(
        f"/api/studies/{measured.study.pk}/race/still", {"runs": numbers, "instant": "2.05"}
    )
    image = np.asarray(Image.open(io.BytesIO(answer.content)))
    assert image.shape == (HEIGHT, WIDTH, 3)
    for x in (400, 1500):
        assert int(image[400, x, 1]) == pytest.approx(100, abs=4)
    for bad in ("x", "nan"):
        wrong = measured.owner.get(f"/api/studies/{measured.study.pk}/race/still", {"instant": bad})
        assert wrong.status_code == 400


def test_what_came_before_the_alignment_is_not_drawn_over_the_names(measured):
    asked = {"at": "step:Scroll", "instant": "0.1"}
    answer = measured.owner.get(f"/api/studies/{measured.study.pk}/race/still", asked)
    image = np.asarray(Image.open(io.BytesIO(answer.content)).convert("RGB"))
    rows = image[HEIGHT - 40 - 2 * (ROW + 4) : HEIGHT - 40, MARGIN : MARGIN + 14]
    paper = np.array([int(LIGHT["paper"][n : n + 2], 16) for n in (1, 3, 5)])
    assert (rows[:4] == paper).all(), "above the mark of a variant nothing is drawn"


def test_a_race_is_taken_along_as_two_films_of_the_same_pictures(measured):
    runs = [measured.study.runs.filter(variant__position=n).first() for n in (0, 1)]
    give_film(runs[0], list(range(0, 250, 5)))
    url = f"/api/studies/{measured.study.pk}/race/films"
    body = {"runs": [run.pk for run in runs], "at": "step:Scroll"}
    made = measured.owner.post(url, body, content_type="application/json")
    assert made.status_code == 201
    number = made.json()["id"]
    file = f"/api/race-films/{number}/file"
    assert measured.owner.get(file).status_code == 400, "not drawn yet"
    tasks.draw_race(number)
    told = measured.owner.get(url).json()[0]
    assert (told["state"], told["problem"]) == ("done", "")
    assert told["done"] == told["total"] == 2 * 30 + 1 + 7 * 30
    for kind in ("mp4", "webm"):
        found = b"".join(measured.owner.get(f"{file}?kind={kind}").streaming_content)
        assert len(found) == told["sizes"][kind]
        with av.open(io.BytesIO(found)) as film:
            stream = film.streams.video[0]
            assert (stream.width, stream.height) == (WIDTH, HEIGHT)
            frames = list(film.decode(stream))
            assert len(frames) == told["total"]
            # a second into the race, three into the run: the thirtieth picture of its film
            assert int(frames[30].to_ndarray(format="rgb24")[400, 400, 1]) == pytest.approx(
                150, abs=8
            )
            last = frames[-1].to_ndarray(format="rgb24")
            assert last[900:, :].mean() > 200, "the card with the result is plain there"
    assert measured.owner.delete(f"/api/race-films/{number}").status_code == 204
    assert not RaceFilm(pk=number).path.exists()


def test_a_race_whose_film_cannot_be_read_fails_in_words(measured):
    runs = [measured.study.runs.filter(variant__position=n).first() for n in (0, 1)]
    film = give_film(runs[0], [1, 2, 3])
    made = RaceFilm.objects.create(
        study=measured.study, runs=[run.pk for run in runs], alignment="start", by="x"
    )
    film.path.write_bytes(b"spoilt")
    tasks.draw_race(made.pk)
    made.refresh_from_db()
    assert made.state == "failed"
    assert "cannot be opened" in made.problem
    assert not made.path.exists()


def test_the_last_picture_of_a_race_shows_where_all_have_ended():
    seen = []
    drawing = SimpleNamespace(
        end_s=0.45, at=lambda at_s, _: seen.append(at_s), result_card=lambda: None
    )
    film_race(SimpleNamespace(runs=[]), drawing, {}, lambda *_: None)
    assert seen[-2:] == [pytest.approx(13 / 30), 0.45]
