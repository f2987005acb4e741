"""What several readings of a picture amount to, and how a picture is made readable."""

import numpy as np
import pytest

from yardstick_core.readings.shown import (
    Guess,
    Look,
    Marks,
    judged,
    made_readable,
    marks_in,
    number_in,
)
from yardstick_core.script import parse
from yardstick_core.script.model import ScriptError, Take


def look(*texts, confidence=95, count=1):
    return Look(count, tuple(Guess(text, confidence) for text in texts))


def test_readings_that_agree_and_are_sure_need_nobody():
    found = judged([look("1,234.5", "1 234.5", "1234.5", count=5)])
    assert (found.value, found.plus_minus, found.doubt) == (1234.5, 0, "")


@pytest.mark.parametrize(
    ("looks", "why"),
    [
        ([look("47", "47", "41")], "read as 41 or 47"),
        ([look("47", "", "47")], "not every reading"),
        ([look("47", "47")], "not every reading"),
        ([look("4087,732", "4087,732", "4087,732")], "decimal comma"),
        ([look("47", "47", "47", confidence=30)], "only 30 % sure"),
        ([look("", "", "")], "no number was read"),
        ([look()], "no number was read"),
        ([], "no picture"),
        ([look("5", "5", "5"), look("6", "8", "6")], "read as 6 or 8"),
    ],
)
def test_what_is_not_sure_waits_for_a_person_and_says_why(looks, why):
    assert why in judged(looks).doubt


def test_several_looks_give_their_median_and_how_far_they_lay_apart():
    looks = [look("98", "98", "98", count=3), look("101", "101", "101"), look("104", "104", "104")]
    found = judged(looks)
    assert (found.value, found.plus_minus, found.doubt) == (98, 3, "")


def test_a_pattern_picks_the_number_out_of_what_stands_there():
    assert number_in("Score:  2,040 points", r"Score: ([\d,]+)") == 2040
    assert number_in("Best: 2,040", r"Score: ([\d,]+)") is None
    assert number_in("12 345", "") == 12345
    assert "fits the pattern" in judged([look("a", "b", "c")], r"(\d+) x").doubt


@pytest.mark.parametrize("dark", [False, True])
def test_letters_are_cut_out_dark_on_white_whatever_the_ground(dark):
    picture = np.full((40, 100), 20 if dark else 230, np.uint8)
    picture[10:30, 40:60] = 220 if dark else 40
    letters, factor = made_readable(picture, 44)
    assert letters.shape == (22, 22)
    assert factor == 2
    assert letters[5, 5] == 0
    assert letters[0, 0] == 255


def test_a_point_that_no_reading_saw_is_missed():
    grey = np.full((30, 80), 255, np.uint8)
    grey[5:25, 10:20] = grey[5:25, 24:34] = grey[5:25, 44:54] = 0
    grey[22:25, 37:40] = 60
    grey[14:16, 2:8] = 0
    letters, _ = made_readable(grey, 32)
    assert marks_in(letters) == Marks(1, 1)
    read = (Guess("-245", 96),) * 4
    assert "point" in judged([Look(1, read, Marks(1, 1))]).doubt
    assert judged([Look(1, (Guess("-24.5", 96),) * 4, Marks(1, 1))]).doubt == ""
    beside = (Guess("took 245 s", 96, "245", Marks(1, 0)),) * 4
    assert "point" in judged([Look(1, beside)], r"took ([\d.]+) s").doubt


def test_an_even_picture_has_nothing_to_read():
    assert made_readable(np.full((20, 20), 128, np.uint8), 36) is None
    assert made_readable(np.zeros((0, 4), np.uint8), 36) is None


SCRIPT = """session "Score"
  place score = region 12,40 80x24
  place corner = 5,5
step "Play"
  start
  {line}
"""


def taken(line):
    (take,) = (
        one for one in parse(SCRIPT.format(line=line)).steps[0].body if isinstance(one, Take)
    )
    return take


def test_a_script_takes_a_number_from_a_picture():
    plain = taken("take score from picture at score as points, higher is better")
    assert (plain.region.width, plain.pattern, plain.source) == (80, "", "picture")
    fitting = taken(
        r"take rate from picture at score like /(\d+) fps/ as fps, higher is better, within 4s"
    )
    assert (fitting.pattern, fitting.within_ns) == (r"(\d+) fps", 4_000_000_000)


@pytest.mark.parametrize(
    ("line", "why"),
    [
        ("take a from picture at corner as s, lower is better", "with a size"),
        ("take a from picture at 3,4 as s, lower is better", "with a size"),
        ("take a from picture at nowhere as s, lower is better", "place"),
        ("take a from picture at score like /x/ as s, lower is better", "one group"),
        ("take a from picture as s, lower is better", "at"),
    ],
)
def test_a_place_that_no_picture_can_be_taken_of_is_refused(line, why):
    with pytest.raises(ScriptError) as error:
        taken(line)
    assert why in str(error.value)
