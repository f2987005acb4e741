"""Films with known truth: real pictures, timings, sound and drift are found as they were."""

import struct

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from made_films import CLOTH, clicks, film

from yardstick_core.films import changes as changes_module
from yardstick_core.films.changes import (
    ANY,
    FIRST,
    LAST,
    Burst,
    Changes,
    bursts,
    changes_of,
    frame_stream,
    instants,
    plus_minus_s,
    scenes,
    snap,
)
from yardstick_core.films.container import FilmError
from yardstick_core.films.drift import drift
from yardstick_core.films.sound import of_samples, onsets


def program(hertz, freezes=()):
    """A program that scrolls a cloth so many pictures a second, and stands still in its freezes."""

    def shown(at):
        for begins, ends in freezes:
            if begins <= at:
                at = begins if at < ends else at
        return np.roll(CLOTH, 8 * int(at * hertz + 1e-9), axis=0)

    return shown


@pytest.mark.parametrize(
    ("container", "drawn"),
    [(30, 12), (30, 24), *((hertz, n) for hertz in (60_000 / 1001, 60) for n in (12, 24, 47))],
)
def test_real_pictures_are_told_from_repeated_ones(tmp_path, container, drawn):
    path = film(tmp_path / "f.mp4", program(drawn), container, 3)
    stream = frame_stream(changes_of(path))
    true = np.arange(1, 3 * drawn) / drawn
    found = stream.at_s[1:]
    assert not stream.every_picture_new
    assert stream.plus_minus_s == pytest.approx(0.5 / container, rel=0.01)
    assert abs(len(found) - len(true)) <= 1
    count = min(len(found), len(true))
    assert np.abs(found[:count] - true[:count]).max() <= 1 / container


@pytest.mark.parametrize("drawn", [60, 144])
def test_a_film_slower_than_the_program_says_what_it_cannot_tell(tmp_path, drawn):
    path = film(tmp_path / "f.mp4", program(drawn), 30, 2)
    stream = frame_stream(changes_of(path))
    assert stream.every_picture_new
    assert len(stream.at_s) == 60


def test_freezes_are_found_with_their_lengths(tmp_path):
    freezes = [(0.8, 1.3), (2.1, 2.9)]
    changes = changes_of(film(tmp_path / "f.mp4", program(30, freezes), 60, 4))
    found = bursts(changes)
    assert len(found) == 3
    ends = [instants(changes)[burst.last] for burst in found[:-1]]
    starts = [instants(changes)[burst.first] for burst in found[1:]]
    for (begins, stops), end, start in zip(freezes, ends, starts, strict=True):
        assert end == pytest.approx(begins, abs=1 / 30 + 1 / 60)
        assert start == pytest.approx(stops, abs=1 / 30 + 1 / 60)


def test_a_fade_is_one_change_and_no_noise_beside_it(tmp_path):
    def fading(at):
        share = np.clip((at - 1.0) / 0.5, 0, 1)
        return (CLOTH * (1 - share) + 255 * share).astype(np.uint8)

    changes = changes_of(film(tmp_path / "f.mp4", fading, 60, 3))
    (burst,) = bursts(changes)
    assert instants(changes)[burst.first] == pytest.approx(1.0, abs=2 / 60)
    assert instants(changes)[burst.last] == pytest.approx(1.5, abs=2 / 60)


def test_a_caret_is_seen_in_its_region_and_nowhere_else(tmp_path):
    def blinking(at):
        picture = CLOTH.copy()
        if int(at * 2) % 2:
            picture[100:116, 200:204] = 255 - picture[100:116, 200:204]
        return picture

    changes = changes_of(film(tmp_path / "f.mp4", blinking, 30, 4, crf=28))
    assert np.flatnonzero(changes.changed((190, 90, 30, 30)))[1:].tolist() == [
        15, 30, 45, 60, 75, 90, 105,
    ]  # fmt: skip
    assert changes.changed((0, 0, 120, 80)).sum() == 1
    assert bursts(changes, (0, 0, 120, 80)) == []


def test_a_timing_is_within_a_picture_of_the_truth(tmp_path):
    def opening(at):
        picture = np.full_like(CLOTH, 40)
        if at >= 0.417:
            picture[:32, :64] = 200  # the menu answers
        if at >= 2.15:
            picture[32:] = CLOTH[32:]
        return picture

    changes = changes_of(film(tmp_path / "f.mp4", opening, 30, 3))
    start = snap(changes, 10, FIRST)
    end = snap(changes, 70, FIRST, (0, 64, 320, 100))
    took = instants(changes)[end] - instants(changes)[start]
    reach = plus_minus_s(changes, start) + plus_minus_s(changes, end)
    assert reach == pytest.approx(1 / 30)
    assert abs(took - (2.15 - 0.417)) <= reach


def test_a_cut_begins_a_scene(tmp_path):
    def cut(at):
        return CLOTH if at < 1 else 255 - CLOTH if at < 2 else np.full_like(CLOTH, 90)

    assert scenes(changes_of(film(tmp_path / "f.mp4", cut, 30, 3))) == [0, 30, 60]


def test_scrolling_over_a_second_is_one_scene_and_the_cut_after_it_another(tmp_path):
    noise = np.random.default_rng(4).integers(0, 2, CLOTH.shape, dtype=np.uint8) * 200

    def scrolled(at):
        if at >= 2:
            return np.full_like(CLOTH, 90)
        return np.roll(noise, 7 * round(30 * min(max(at, 0.5), 1.5)), axis=0)

    assert scenes(changes_of(film(tmp_path / "f.mp4", scrolled, 30, 3))) == [0, 60]


def plain(new, step=1 / 30):
    """Changes of a film in which just some pictures are new."""
    amounts = np.zeros((len(new), 2, 2), np.uint8)
    amounts[np.array(new, bool), 0, 0] = 200
    at = np.arange(len(new)) * step
    return Changes(at, amounts, np.zeros(len(new), bool), 64, 64)


def test_a_mark_snaps_to_what_is_near_and_stays_where_nothing_is():
    changes = plain([0] * 20 + [1] * 10 + [0] * 40)
    assert bursts(changes) == [Burst(20, 29)]
    assert snap(changes, 15, FIRST) == 20
    assert snap(changes, 24, LAST) == 29
    assert snap(changes, 23, ANY) == 23
    assert snap(changes, 66, LAST) == 66
    assert snap(changes, 45, LAST, reach_s=2) == 29


def test_what_was_found_is_kept_and_read_again(tmp_path):
    changes = plain([1, 0, 1, 0, 0, 1])
    changes.save(tmp_path / "kept")
    again = Changes.load(tmp_path / "kept")
    assert (again.at_s == changes.at_s).all()
    assert (again.changed() == changes.changed()).all()
    (tmp_path / "kept").write_bytes(b"spoilt")
    with pytest.raises(FilmError):
        Changes.load(tmp_path / "kept")


@pytest.mark.parametrize("content", [b"", b"no film" * 99])
def test_what_is_no_film_is_refused(tmp_path, content):
    (tmp_path / "bad").write_bytes(content)
    with pytest.raises(FilmError):
        changes_of(tmp_path / "bad")


def test_a_film_that_is_too_long_is_refused_in_words(tmp_path, monkeypatch):
    path = film(tmp_path / "f.mp4", program(30), 30, 2)
    monkeypatch.setattr(changes_module, "MOST_CELLS", 30 * 60)
    with pytest.raises(FilmError, match="Cut it into parts"):
        changes_of(path)


# -- two lists of events ------------------------------------------------------------------


def test_offset_and_drift_are_found_among_events_that_only_one_has():
    rng = np.random.default_rng(5)
    first = np.sort(rng.uniform(0, 600, 60))
    second = first + 0.8 + 0.0006 * first + rng.normal(0, 0.008, 60)
    one = np.delete(first, [3, 20])
    two = np.sort(np.append(np.delete(second, [7, 40, 41]), [55.5, 333.3]))
    found = drift(one, two)
    assert found.drift == pytest.approx(0.0006, abs=2e-5)
    assert found.drift_low < 0.0006 < found.drift_high
    assert found.offset_s == pytest.approx(0.8 + 0.0006 * one[0], abs=0.01)
    assert len(found.pairs) == 55
    assert [round(float(two[n]), 1) for n in found.unmatched[1] if two[n] in (55.5, 333.3)] == [
        55.5, 333.3,
    ]  # fmt: skip


def test_without_drift_the_interval_holds_none():
    rng = np.random.default_rng(6)
    first = np.sort(rng.uniform(0, 60, 20))
    found = drift(first, first + 0.25 + rng.normal(0, 0.01, 20))
    assert found.drift_low < 0 < found.drift_high
    assert found.offset_low_s < 0.25 < found.offset_high_s


def test_the_interval_of_the_drift_holds_the_truth_as_often_as_it_says():
    held = {"drift": 0, "offset": 0}
    for seed in range(200):
        rng = np.random.default_rng(seed)
        first = np.sort(rng.uniform(0, 120, 25))
        second = first + 0.4 + 0.001 * (first - first[0]) + rng.normal(0, 0.01, 25)
        found = drift(first, second)
        held["drift"] += found.drift_low <= 0.001 <= found.drift_high
        held["offset"] += found.offset_low_s <= 0.4 <= found.offset_high_s
    assert held["drift"] >= 180
    assert held["offset"] >= 180


@pytest.mark.parametrize(("one", "two"), [([], [1.0]), ([1.0, 2.0], [5.0]), ([], [])])
def test_too_few_events_tell_nothing(one, two):
    found = drift(np.array(one), np.array(two))
    assert not found.known


@settings(max_examples=50)
@given(st.lists(st.floats(0, 100), max_size=30), st.lists(st.floats(0, 100), max_size=30))
def test_pairs_are_in_order_and_no_event_is_in_two(one, two):
    found = drift(np.array(one), np.array(two))
    assert [a for a, _ in found.pairs] == sorted({a for a, _ in found.pairs})
    assert [b for _, b in found.pairs] == sorted({b for _, b in found.pairs})
    assert len(found.pairs) + len(found.unmatched[0]) == len(one)


@pytest.mark.parametrize("apart_s", [-7.0, -0.013, 0.013, 40.0])
def test_few_events_that_are_all_equally_far_apart_are_paired(apart_s):
    at = 1 + np.arange(4) / 1000
    found = drift(at, at + apart_s)
    assert found.offset_s == pytest.approx(apart_s, abs=4e-3)
    assert len(found.pairs) == 4


# -- sound --------------------------------------------------------------------------------


def test_onsets_are_found_to_a_window():
    at = [0.5, 1.25, 2.0, 2.4]
    found = of_samples(clicks(at, 3, 8000))
    assert found == pytest.approx(at, abs=0.006)


def test_silence_and_steady_noise_have_no_onset():
    assert len(of_samples(np.zeros(8000, np.float32))) == 0
    assert len(of_samples(clicks([], 3, 8000, noise=0.1))) == 0
    assert len(of_samples(np.zeros(10, np.float32))) == 0


def test_sound_that_lags_more_and_more_is_told_by_picture_and_sound(tmp_path):
    at = np.arange(0.5, 9.5, 0.75)
    heard = at + 0.04 + 0.02 * at

    def flashing(instant):
        return np.full_like(CLOTH, 230 if (np.abs(instant - at - 0.05) <= 0.05).any() else 20)

    path = film(tmp_path / "f.mp4", flashing, 60, 11, sound=clicks(heard, 11, 48_000))
    changes = changes_of(path)
    seen = instants(changes)[[burst.first for burst in bursts(changes, quiet_s=0.2)]]
    found = drift(seen, onsets(path))
    assert len(found.pairs) >= 10
    assert found.drift == pytest.approx(0.02, abs=0.004)
    assert found.drift_low < 0.02 < found.drift_high


def test_a_film_without_sound_has_no_onset(tmp_path):
    assert len(onsets(film(tmp_path / "f.mp4", program(10), 30, 1))) == 0


def turned(path):
    """Have a film say that its pictures are to be turned by a quarter, as one of a phone does."""
    content = bytearray(path.read_bytes())
    matrix = content.index(b"tkhd") + 44
    one = 1 << 16
    content[matrix : matrix + 36] = struct.pack(">9i", 0, one, 0, -one, 0, 0, 0, 0, 1 << 30)
    path.write_bytes(content)
    return path


def test_a_film_of_a_phone_is_seen_as_it_was_held(tmp_path):
    def corner(at):
        picture = np.full_like(CLOTH, 40)
        if at >= 1:
            picture[:32, :64] = 200
        return picture

    plain = film(tmp_path / "plain.mp4", corner, 30, 2)
    height, width = CLOTH.shape
    as_it_lies = changes_of(plain)
    assert (as_it_lies.width, as_it_lies.height) == (width, height)
    assert as_it_lies.changed((0, 0, 64, 32)).sum() == 2  # the first picture and the change
    changes = changes_of(turned(plain))
    assert (changes.width, changes.height) == (height, width)
    assert np.array_equal(changes.at_s, as_it_lies.at_s)
    # turned clockwise the corner lies on the right
    assert changes.changed((height - 32, 0, 32, 64)).sum() == 2
    assert changes.changed((0, 0, 32, 64)).sum() == 1
