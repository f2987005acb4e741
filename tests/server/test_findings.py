"""Findings: pinned to a moment of a run, with a picture, taken back and restored."""

import io

import pytest
from PIL import Image

from server.worlds import deliver, recorded_streams
from yardstick_server.runs.models import Finding, RunPicture

TEAR = {"at_s": 2.5, "kind": "artefact", "text": "a torn picture near the selvedge"}


@pytest.fixture
def run(world) -> int:
    world.study.add_rounds(1)
    number = world.rig.post("/api/agent/runs/take").json()["run"]
    deliver(world, number, recorded_streams())
    return number


def pin(world, run: int, **changes):
    url = f"/api/runs/{run}/findings"
    return world.owner.post(url, {**TEAR, **changes}, content_type="application/json")


def picture(kind: str = "PNG", size: tuple[int, int] = (8, 6)) -> bytes:
    written = io.BytesIO()
    Image.new("RGB", size, (200, 30, 30)).save(written, kind)
    return written.getvalue()


def put_picture(world, finding: int, data: bytes, kind: str = "image/png"):
    return world.owner.put(f"/api/findings/{finding}/picture", data, content_type=kind)


def test_a_finding_is_kept_with_its_moment_and_who_pinned_it(world, run):
    answer = pin(world, run)
    assert answer.status_code == 201
    (found,) = world.reader.get(f"/api/runs/{run}/findings").json()
    assert (found["at_s"], found["until_s"], found["kind"]) == (2.5, None, "artefact")
    assert found["by"] == "weavers-owner"
    assert found["picture"] is False


def test_a_finding_may_be_about_a_stretch(world, run):
    assert pin(world, run, until_s=3.5).json()["until_s"] == 3.5
    assert pin(world, run, until_s=2.5).status_code == 400


@pytest.mark.parametrize(
    "changes", [{"kind": "guess"}, {"text": ""}, {"at_s": -1}, {"at_s": "nan"}, {"at_s": 1e300}]
)
def test_a_finding_that_makes_no_sense_is_refused(world, run, changes):
    assert pin(world, run, **changes).status_code == 400
    assert not Finding.objects.exists()


def test_a_finding_is_taken_back_and_restored(world, run):
    number = pin(world, run).json()["id"]
    url = f"/api/findings/{number}"
    world.owner.patch(url, {"withdrawn": True}, content_type="application/json")
    assert world.owner.get(f"/api/runs/{run}/findings").json() == []
    world.owner.patch(url, {"withdrawn": False}, content_type="application/json")
    assert len(world.owner.get(f"/api/runs/{run}/findings").json()) == 1


@pytest.mark.parametrize("kind", ["PNG", "JPEG", "WEBP"])
def test_a_picture_of_any_usual_kind_is_kept_as_png(world, run, kind):
    number = pin(world, run).json()["id"]
    answer = put_picture(world, number, picture(kind), f"image/{kind.lower()}")
    assert answer.status_code == 200
    back = world.reader.get(f"/api/findings/{number}/picture")
    assert back.headers["Content-Type"] == "image/png"
    with Image.open(io.BytesIO(back.content)) as kept:
        assert (kept.format, kept.size) == ("PNG", (8, 6))


@pytest.mark.parametrize("data", [b"", b"<svg onload='x'/>", picture()[:30]])
def test_what_is_no_picture_is_refused_and_the_finding_stays_as_it_was(world, run, data):
    number = pin(world, run).json()["id"]
    assert put_picture(world, number, data).status_code == 400
    assert not Finding.objects.get().picture
    assert world.owner.get(f"/api/findings/{number}/picture").status_code == 404


def test_a_picture_that_unpacks_to_too_much_is_refused(world, run):
    number = pin(world, run).json()["id"]
    written = io.BytesIO()
    Image.new("1", (30_000, 30_000)).save(written, "PNG")
    assert put_picture(world, number, written.getvalue()).status_code == 400


def test_a_picture_the_agent_kept_goes_with_a_finding(world, run):
    RunPicture.objects.create(run_id=run, name="end", content=picture())
    number = pin(world, run, kept_picture="end").json()["id"]
    assert world.owner.get(f"/api/findings/{number}/picture").content == picture()
    assert pin(world, run, kept_picture="unheard").status_code == 400


def test_readers_look_only_and_other_teams_see_nothing(world, others, run):
    number = pin(world, run).json()["id"]
    body = {"text": "mine"}
    for client, wanted in ((world.reader, 403), (others.owner, 404)):
        changed = client.patch(f"/api/findings/{number}", body, content_type="application/json")
        assert changed.status_code == wanted
        made = client.post(f"/api/runs/{run}/findings", TEAR, content_type="application/json")
        assert made.status_code == wanted
    assert others.owner.get(f"/api/findings/{number}/picture").status_code == 404
    assert others.owner.get(f"/api/runs/{run}/findings").status_code == 404
