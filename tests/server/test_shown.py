"""Numbers that are only shown: known truth drawn in many faces, a person where in doubt."""

import io
import random

import numpy as np
import pytest
from PIL import Image, ImageDraw, ImageFont

from server.worlds import deliver, read_all, recorded_streams
from yardstick_agent.display.picture import png
from yardstick_core.readings.shown import Look, judged
from yardstick_core.streams.chunk import decode_journal, encode_journal
from yardstick_server.analysis import text_reader
from yardstick_server.analysis.text_reader import NoReader, look_at

JSON = "application/json"
DEJAVU = "/usr/share/fonts/truetype/dejavu/DejaVu"
LIBERATION = "/usr/share/fonts/truetype/liberation/Liberation"
#: Eight faces; the last is the one that comes with the drawing library.
FACES = (
    f"{DEJAVU}Sans.ttf", f"{DEJAVU}Sans-Bold.ttf", f"{DEJAVU}Serif.ttf", f"{DEJAVU}SansMono.ttf",
    f"{LIBERATION}Sans-Regular.ttf", f"{LIBERATION}Serif-Regular.ttf",
    f"{LIBERATION}Mono-Regular.ttf", None,
)  # fmt: skip
SIZES = (11, 13, 16, 20, 28, 40)
LIGHT, DARK = ((250, 250, 248), (30, 30, 34)), ((24, 26, 30), (225, 228, 232))
EACH = 8


def drawn(text: str, face: str | None, size: int, colours=LIGHT) -> bytes:
    """A number as a program draws it, as PNG."""
    ground, ink = colours
    font = ImageFont.truetype(face, size) if face else ImageFont.load_default(size)
    width = int(font.getlength(text)) + 16
    image = Image.new("RGB", (width, int(size * 1.6) + 6), ground)
    ImageDraw.Draw(image).text((8, 4), text, fill=ink, font=font)
    file = io.BytesIO()
    image.save(file, "PNG")
    return file.getvalue()


def numbers(dice: random.Random) -> str:
    kind = dice.randrange(5)
    return (
        str(dice.randint(0, 99)), str(dice.randint(100, 9999)),
        f"{dice.uniform(0, 200):.{dice.choice([1, 2])}f}", f"{dice.randint(1000, 9999999):,}",
        f"-{dice.uniform(0.5, 50):.1f}",
    )[kind]  # fmt: skip


@pytest.mark.parametrize(
    "face", FACES, ids=lambda face: face.split("/")[-1] if face else "built in"
)
def test_numbers_in_eight_faces_are_read_right_or_doubted_and_never_wrong_and_sure(face, say):
    dice = random.Random(str(face))
    sure = 0
    for number in range(EACH):
        text, size = numbers(dice), SIZES[(number + dice.randrange(6)) % len(SIZES)]
        colours = DARK if number % 2 else LIGHT
        look = look_at(drawn(text, face, size, colours), 1)
        found = judged([look])
        if not found.doubt:
            sure += 1
            assert found.value == float(text.replace(",", "")), f"{text} at {size}: {look}"
    say(f"numbers on the screen, {face or 'built in'}: {sure} of {EACH} sure, the rest doubted")
    assert sure >= EACH // 2


#: How a number stands beside other text, and the pattern that says which part it is.
BESIDE = (
    ("Score: {} points", r"Score: ([\d.,-]+)"), ("{} fps (average)", r"([\d.,-]+) fps"),
    ("Last sweep took {} s", r"took ([\d.,-]+) s"),
    ("Items done {} of 12000", r"done ([\d.,-]+) of"),
)  # fmt: skip


@pytest.mark.parametrize(("form", "pattern"), BESIDE)
def test_numbers_beside_other_text_are_read_right_or_doubted(form, pattern, say):
    dice = random.Random(form)
    sure = 0
    for number in range(2 * EACH):
        text, face, size = numbers(dice), dice.choice(FACES), dice.choice(SIZES)
        colours = DARK if number % 2 else LIGHT
        look = look_at(drawn(form.format(text), face, size, colours), 1, pattern)
        found = judged([look], pattern)
        if not found.doubt:
            sure += 1
            assert found.value == float(text.replace(",", "")), f"{text} at {size}: {look}"
    say(f"numbers in “{form}”: {sure} of {2 * EACH} sure, the rest doubted")
    assert sure >= EACH


@pytest.mark.parametrize(
    ("text", "pattern"), [("130.3 fps (average)", r"([\d.,-]+) fps"), ("125.2", ""), ("-17.8", "")]
)
def test_a_point_that_touches_a_digit_is_missed_by_nobody(text, pattern):
    """Of small letters a point may run into the digit beside it, and then is read over."""
    face = f"{LIBERATION}Serif-Regular.ttf"
    for size in (11, 12):
        for colours in (LIGHT, DARK):
            found = judged([look_at(drawn(text, face, size, colours), 1, pattern)], pattern)
            assert found.doubt or found.value == float(text.split()[0])


def test_what_is_no_picture_or_an_empty_one_reads_as_nothing():
    assert look_at(b"no picture", 1).guesses == ()
    assert look_at(png(np.zeros((20, 60, 3), np.uint8)), 2) == Look(2, ())


def test_without_a_reader_everything_is_doubted(monkeypatch):
    monkeypatch.setattr(text_reader, "PROGRAM", "no-such-reader")
    with pytest.raises(NoReader):
        look_at(b"", 1)


# -- as a run delivers them ---------------------------------------------------------


def shown_run(world, pictures, pattern=""):
    """A run whose script took a number from pictures, delivered and read."""
    world.study.add_rounds(1)
    run = world.rig.post("/api/agent/runs/take").json()["run"]
    streams = recorded_streams()
    entries = [
        {
            "kind": "shown", "at": 1, "path": ["Draw", "score"], "unit": "points",
            "higher_is_better": True, "pattern": pattern,
            "looks": [{"picture": f"look-{n}", "count": 1} for n in range(len(pictures))],
        }
    ]  # fmt: skip
    journal = decode_journal(streams["journal"][0])
    streams["journal"] = [encode_journal([*journal[:-1], *entries, journal[-1]])]
    deliver(world, run, streams)
    found = world.study.runs.get(pk=run)
    for number, data in enumerate(pictures):
        found.pictures.create(name=f"look-{number}", content=data)
    read_all([run])
    return found


def score(run):
    return run.readings.filter(metric="said.higher.points").first()


def asked(world):
    return world.tester.get(f"/api/studies/{world.study.pk}/shown").json()


def test_a_number_without_doubt_is_a_reading_that_says_where_it_is_from(world):
    run = shown_run(world, [drawn("2040", FACES[0], 20)])
    assert score(run).value == 2040
    assert score(run).warning == "read from a picture"
    assert asked(world)["waiting"] == 0


def test_one_that_had_not_settled_says_by_how_much(world):
    run = shown_run(world, [drawn(text, FACES[0], 20) for text in ("2040", "2050", "2044")])
    assert (score(run).value, score(run).plus_minus) == (2044, 5)
    assert "had not settled" in score(run).warning


def test_a_doubtful_one_waits_for_a_person_whose_answer_is_noted(world):
    smudged = np.asarray(Image.open(io.BytesIO(drawn("2040", FACES[0], 20)))).copy()
    smudged[:, 20:34] = 128
    run = shown_run(world, [png(smudged)])
    (waiting,) = asked(world)["numbers"]
    assert score(run) is None
    assert not waiting["settled"]
    assert waiting["doubt"]
    route = f"/api/studies/{world.study.pk}/shown/{waiting['id']}"
    after = world.tester.put(route, {"value": 2040}, content_type=JSON).json()
    assert after["waiting"] == 0
    assert after["numbers"][0]["by"] == "weavers-tester"
    assert score(run).value == 2040
    assert score(run).warning == "typed from a picture by weavers-tester"
    read_all([run.pk])
    assert score(run).value == 2040, "reading it again keeps what a person said"


def test_a_person_may_say_that_nothing_can_be_read(world):
    run = shown_run(world, [png(np.full((20, 60, 3), 90, np.uint8))])
    (waiting,) = asked(world)["numbers"]
    route = f"/api/studies/{world.study.pk}/shown/{waiting['id']}"
    after = world.tester.put(route, {"value": None}, content_type=JSON).json()
    assert after["waiting"] == 0
    assert score(run) is None


def test_what_is_no_number_changes_nothing(world):
    shown_run(world, [png(np.full((20, 60, 3), 90, np.uint8))])
    (waiting,) = asked(world)["numbers"]
    route = f"/api/studies/{world.study.pk}/shown/{waiting['id']}"
    for value in ("many", float("1e300"), "nan"):
        answer = world.tester.put(route, {"value": value}, content_type=JSON)
        assert answer.status_code == 400
    assert asked(world)["waiting"] == 1
