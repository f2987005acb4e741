"""Clips cut from films of known pictures: what they show, when, how long, and how large."""

import io

import av
import numpy as np
import pytest
from made_films import SIZE, film

from yardstick_core.films import clip as module
from yardstick_core.films.clip import clip
from yardstick_core.films.container import FilmError, picture_at


def shade_at(at):
    """A tenth of a second each, ever brighter."""
    return np.full(SIZE[::-1], 5 * int(at * 10 + 1e-6) % 250, np.uint8)


@pytest.fixture(scope="module")
def source(tmp_path_factory):
    return film(tmp_path_factory.mktemp("clips") / "f.mp4", shade_at, 10, 5)


def shown(data):
    """Of each picture its instant, s, and its shade."""
    with av.open(io.BytesIO(data)) as container:
        return [
            (float(frame.pts * frame.time_base), float(frame.to_ndarray(format="rgb24").mean()))
            for frame in container.decode(video=0)
        ]


def test_a_clip_shows_each_picture_at_its_instant(source):
    found = clip(source, 2.05, 3.05)
    pictures = shown(found.data)
    assert found.seconds == pytest.approx(1)
    assert found.pictures == len(pictures)
    assert pictures[0][0] == 0
    assert pictures[0][1] == pytest.approx(5 * 20, abs=4), "what stands where it begins"
    for at_s, shade in pictures[1:-1]:
        assert shade == pytest.approx(5 * round((2.05 + at_s) * 10), abs=4), at_s
    assert pictures[-1][0] == pytest.approx(1, abs=0.02)
    assert pictures[-1][1] == pytest.approx(5 * 30, abs=4)


def test_a_still_stretch_is_one_picture_that_stands(tmp_path):
    still = film(tmp_path / "s.mp4", lambda at: np.full(SIZE[::-1], 90, np.uint8), 10, 3)
    pictures = shown(clip(still, 8.0, 9.0).data)
    assert [round(at_s, 2) for at_s, _ in pictures] == [0, 1], "beyond its end the last one stands"


def test_no_more_than_thirty_a_second_are_kept(tmp_path):
    quick = film(tmp_path / "q.mp4", lambda at: shade_at(at * 6), 60, 2)
    assert 25 <= clip(quick, 0.5, 1.5).pictures <= 33


@pytest.mark.parametrize(("from_s", "to_s", "why"), [
    (2.0, 2.0, "after it begins"), (0.0, 15.2, "may take 15 s"),
])  # fmt: skip
def test_what_is_no_clip_is_refused(source, from_s, to_s, why):
    with pytest.raises(FilmError, match=why):
        clip(source, from_s, to_s)


def test_one_that_is_too_large_loses_more_and_then_is_refused(source, monkeypatch):
    whole = len(clip(source, 0, 4).data)
    monkeypatch.setattr(module, "MOST_BYTES", whole - 1)
    assert len(clip(source, 0, 4).data) < whole
    monkeypatch.setattr(module, "MOST_BYTES", 100)
    with pytest.raises(FilmError, match="choose a shorter one"):
        clip(source, 0, 4)


@pytest.mark.parametrize(
    ("at", "tenth"), [(-1e300, 0), (0.0, 0), (2.05, 20), (1e13, 49), (1e300, 49)]
)
def test_outside_of_a_film_its_first_or_last_picture_stands(source, at, tenth):
    assert picture_at(source, at).mean() == pytest.approx(5 * tenth % 250, abs=4)
