"""Films of runs over the API: sent in pieces, played in parts, limited, gone with their run."""

import base64
import hashlib
import io

import numpy as np
import pytest
from PIL import Image

from server.filmed import give_film, make_film
from server.worlds import deliver, recorded_streams
from yardstick_core.record import FILMED
from yardstick_server.films import tasks
from yardstick_server.films.models import Film, FindingClip, bytes_of_films
from yardstick_server.films.tasks import cut_clip
from yardstick_server.planning.purging import purge
from yardstick_server.races.models import RaceFilm
from yardstick_server.reports.issuing import document_of
from yardstick_server.reports.page import report_html
from yardstick_server.reports.svg import LIGHT
from yardstick_server.runs.models import Run

BYTES = "application/octet-stream"


@pytest.fixture
def filmed(world):
    """A run that is to be filmed, on its rig; its number."""
    made = world.owner.post(f"/api/studies/{world.study.pk}/films").json()["runs"]
    taken = world.rig.post("/api/agent/runs/take").json()
    assert taken["run"] == made[0]
    assert taken["film"] is True
    return taken["run"]


@pytest.fixture
def content(tmp_path):
    return make_film(tmp_path / "made.mp4", list(range(0, 200, 4))).read_bytes()


def put(world, run, at, piece):
    return world.rig.put(f"/api/agent/runs/{run}/film?at={at}", piece, content_type=BYTES)


def end(world, run, content, **more):
    body = {
        "size": len(content), "sha256": hashlib.sha256(content).hexdigest(), "began_ns": 5_000_000,
    } | more  # fmt: skip
    url = f"/api/agent/runs/{run}/film/end"
    return world.rig.post(url, body, content_type="application/json")


def shade(png, place=(20, 20)):
    return int(np.asarray(Image.open(io.BytesIO(png)).convert("RGB"))[place][1])


def test_a_film_comes_in_pieces_in_any_order_and_plays(world, filmed, content):
    half = len(content) // 2
    assert put(world, filmed, 0, b"").json() == {"held": 0}
    assert put(world, filmed, 0, content[:half]).json() == {"held": half}
    assert put(world, filmed, 0, content[: half - 9]).json() == {"held": half}, "known already"
    assert put(world, filmed, half + 100, b"x" * 10).json() == {"held": half}, "leaves a hole"
    assert put(world, filmed, half - 50, content[half - 50 :]).json() == {"held": len(content)}
    assert end(world, filmed, content).status_code == 200
    assert world.owner.get(f"/api/runs/{filmed}/film").status_code == 404, "not ready yet"
    tasks.make_ready(filmed)
    film = Film.objects.get(run=filmed)
    assert (film.state, film.frames, film.width, film.height) == ("ready", 50, 64, 48)
    assert film.seconds == pytest.approx(5.0, abs=0.15)
    assert not film.coming_path.exists()
    whole = b"".join(world.owner.get(f"/api/runs/{filmed}/film").streaming_content)
    assert len(whole) == film.size
    part = world.owner.get(f"/api/runs/{filmed}/film", headers={"Range": "bytes=100-199"})
    assert part.status_code == 206
    assert b"".join(part.streaming_content) == whole[100:200]
    assert part.headers["Content-Range"] == f"bytes 100-199/{film.size}"
    far = world.owner.get(f"/api/runs/{filmed}/film", headers={"Range": "bytes=99999999-"})
    assert far.status_code == 416


def test_a_film_that_differs_from_what_was_sent_is_asked_for_anew(world, filmed, content):
    put(world, filmed, 0, content[:-4] + b"oops")
    answer = end(world, filmed, content)
    assert (answer.status_code, answer.json()["held"]) == (409, 0)
    assert put(world, filmed, 0, content).json() == {"held": len(content)}
    assert end(world, filmed, content).status_code == 200
    assert end(world, filmed, content).status_code == 200, "said twice"


def test_what_is_no_film_is_said_so_and_keeps_the_run(world, filmed):
    junk = b"nothing that plays" * 40
    put(world, filmed, 0, junk)
    end(world, filmed, junk)
    tasks.make_ready(filmed)
    deliver(world, filmed, recorded_streams())
    told = world.owner.get(f"/api/runs/{filmed}").json()["film"]
    assert told["state"] == "unusable"
    assert "cannot be opened" in told["problem"]
    assert world.owner.get(f"/api/runs/{filmed}").json()["run"]["outcome"] == "finished"


def test_films_take_no_more_than_their_workspace_allows(world, filmed, content):
    world.workspace.film_bytes_limit = len(content) - 1
    world.workspace.save()
    refused = put(world, filmed, 0, content)
    assert refused.status_code == 400
    assert "no room left" in str(refused.json())
    assert bytes_of_films(world.workspace) == 0
    assert put(world, filmed, 0, content[:100]).json() == {"held": 100}


def test_nobody_else_sends_or_sees_a_film(world, others, filmed, content):
    assert others.rig.put(
        f"/api/agent/runs/{filmed}/film?at=0", content, content_type=BYTES
    ).status_code == 404  # fmt: skip
    put(world, filmed, 0, content)
    end(world, filmed, content)
    tasks.make_ready(filmed)
    assert others.owner.get(f"/api/runs/{filmed}/film").status_code == 404
    assert others.owner.get(f"/api/runs/{filmed}/film/still?at=1").status_code == 404


@pytest.mark.parametrize("at", ["x", "-1", "9" * 30, "1.5"])
def test_a_place_that_is_none_is_refused(world, filmed, at):
    assert put(world, filmed, at, b"x").status_code == 400


def test_a_sealed_run_takes_no_more_of_a_film(world, filmed, content):
    deliver(world, filmed, recorded_streams())
    assert put(world, filmed, 0, content).status_code == 400


def test_filmed_runs_are_in_no_comparison(world, filmed):
    deliver(world, filmed, recorded_streams(open_s=50))
    board = world.owner.get(f"/api/studies/{world.study.pk}/board").json()
    assert board["rows"] == []
    again = world.owner.post(f"/api/studies/{world.study.pk}/films")
    assert again.status_code == 400, "the other variant's is waiting still"


def test_a_plan_films_each_variant_once(world):
    study = world.study
    world.owner.patch(
        f"/api/studies/{study.pk}/plan", {"film": True}, content_type="application/json"
    )
    study.refresh_from_db()
    study.add_rounds(2)
    study.add_rounds(2)
    films = study.runs.filter(purpose=FILMED)
    assert [run.variant.position for run in films] == [0, 1]
    assert all(run.round < 0 for run in films)


def test_a_still_is_what_the_film_shows_at_an_instant_of_the_run(world, filmed):
    give_film(Run.objects.get(pk=filmed), list(range(0, 200, 4)), began_s=2.0)
    for at, expected in ((2.05, 0), (3.05, 40), (4.55, 100), (0, 0), (99, 196)):
        answer = world.owner.get(f"/api/runs/{filmed}/film/still?at={at}")
        assert shade(answer.content) == pytest.approx(expected, abs=3), at
    for bad in ("", "x", "nan", "inf"):
        assert world.owner.get(f"/api/runs/{filmed}/film/still?at={bad}").status_code == 400


def test_a_finding_takes_what_the_film_shows(world, filmed):
    give_film(Run.objects.get(pk=filmed), [10, 60, 110, 160, 210])
    body = {"at_s": 0.25, "kind": "artefact", "text": "a torn edge", "film_still": True}
    url = f"/api/runs/{filmed}/findings"
    made = world.owner.post(url, body, content_type="application/json").json()
    picture = world.owner.get(f"/api/findings/{made['id']}/picture").content
    assert shade(picture) == pytest.approx(110, abs=3)


def pinned(world, run, **changes):
    body = {"at_s": 2.25, "kind": "artefact", "text": "a torn edge", "film_clip": True, **changes}
    url = f"/api/runs/{run}/findings"
    return world.owner.post(url, body, content_type="application/json")


def of_run(world, run):
    return world.owner.get(f"/api/runs/{run}/findings").json()[0]


def test_a_clip_of_a_finding_goes_into_the_report_and_on_no_paper(world, filmed):
    run = Run.objects.get(pk=filmed)
    give_film(run, list(range(0, 250, 5)), began_s=1.0)
    made = pinned(world, filmed, until_s=3.25, film_still=True).json()
    clip = f"/api/findings/{made['id']}/clip"
    assert made["clip"] == "wanted"
    assert world.owner.get(clip).status_code == 404
    cut_clip(made["id"])
    assert of_run(world, filmed)["clip"] == "ready"
    whole = b"".join(world.owner.get(clip).streaming_content)
    part = world.owner.get(clip, headers={"Range": "bytes=4-7"})
    assert (part.status_code, b"".join(part.streaming_content)) == (206, b"ftyp")
    document = document_of(world.study)
    section = next(one for one in document["sections"] if one["key"] == "findings")
    (block,) = (one for one in section["blocks"] if one["kind"] == "clip")
    assert base64.b64decode(block["data"]) == whole
    assert "a clip of 1.0" in block["caption"]
    assert section["brief"] == "1, 1 clip"
    assert block["data"] in report_html(document)
    on_paper = report_html(document, palette=LIGHT)
    assert block["data"] not in on_paper
    assert block["still"] in on_paper


def test_a_clip_of_a_moment_shows_what_came_before_and_after(world, filmed):
    give_film(Run.objects.get(pk=filmed), list(range(0, 250, 5)))
    made = pinned(world, filmed).json()
    cut_clip(made["id"])
    assert FindingClip.objects.get(finding=made["id"]).seconds == pytest.approx(4)


def test_a_clip_that_cannot_be_had_says_why(world, filmed):
    give_film(Run.objects.get(pk=filmed), [10, 60])
    long = pinned(world, filmed, until_s=19.0)
    assert long.status_code == 400
    assert "a clip may take 15 s" in str(long.json())
    made = pinned(world, filmed, until_s=3.25).json()
    Film.objects.get(run=filmed).delete()
    cut_clip(made["id"])
    found = of_run(world, filmed)
    assert (found["clip"], found["clip_problem"]) == ("failed", "the run has no film any more")
    assert pinned(world, filmed).status_code == 400


def test_a_finding_of_a_run_without_a_film_says_so(world, filmed):
    body = {"at_s": 0.25, "kind": "artefact", "text": "x", "film_still": True}
    answer = world.owner.post(f"/api/runs/{filmed}/findings", body, content_type="application/json")
    assert answer.status_code == 400
    assert "no film" in str(answer.json())


def test_files_on_their_way_go_with_their_study(world, uploads):
    race = RaceFilm.objects.create(study=world.study, runs=[1], alignment="start", by="x")
    log = world.study.logs.create(workspace=world.workspace, name="x", by="x")
    bundle = world.workspace.bundles.create(study=world.study, way="out", name="x", by="x")
    for path in (race.path, race.path_of("webm"), log.path, bundle.path):
        path.write_bytes(b"x")
    purge(world.study)
    assert list(uploads.iterdir()) == []


def test_a_film_goes_with_its_run(world, filmed):
    film = give_film(Run.objects.get(pk=filmed), [10, 60])
    assert film.path.exists()
    purge(world.study)
    assert not film.path.exists()


def test_owners_see_what_films_take_and_say_how_much_they_may(world, filmed):
    film = give_film(Run.objects.get(pk=filmed), [10, 60])
    seen = world.owner.get("/api/storage").json()
    assert seen["films"] == film.size
    assert seen["largest"] == [
        {"run": filmed, "study": "Is it faster?", "variant": "4.1", "bytes": film.size}
    ]
    said = world.owner.patch(
        "/api/storage", {"film_bytes_limit": 5 << 30}, content_type="application/json"
    )
    assert said.json()["film_bytes_limit"] == 5 << 30
    wrong = world.owner.patch(
        "/api/storage", {"film_bytes_limit": -1}, content_type="application/json"
    )
    assert wrong.status_code == 400
    assert world.owner.delete(f"/api/runs/{filmed}/film").status_code == 204
    assert not film.path.exists()
    assert world.owner.get(f"/api/runs/{filmed}").json()["film"] is None
