"""Pictures told by how a program draws: known truth at rates that pauses cannot tell."""

import numpy as np
import pytest

from yardstick_core.streams.pictures import BY_BEGINNING, BY_PAUSES, Order, Pictures, learn

WHOLE = (1, 0, 0, 640, 480)
MS = 1_000_000


def told(drawn):
    """The pictures told from rectangles, and who told them."""
    kept = []
    pictures = Pictures(kept.append)
    begun = [pictures.drawn(at, area) for at, area in drawn]
    assert sum(begun) <= len(kept) == pictures.count
    assert kept == sorted(kept)
    return kept, pictures


def tiles(number):
    return [(1, 64 * (n % 8), 64 * (n // 8), 64, 64) for n in range(number)]


def program(hertz, count, parts=(WHOLE,), jitter_ms=0.0, part_ms=0.02, seed=1):
    """Pictures at a rate, each drawn in the same parts, and their true instants."""
    rng = np.random.default_rng(seed)
    starts = np.cumsum(1e9 / hertz + rng.normal(0, jitter_ms * MS, count)).astype(np.int64)
    starts = np.maximum.accumulate(starts)
    drawn = []
    for start in starts.tolist():
        drawn += [(start + int(n * part_ms * MS), area) for n, area in enumerate(parts)]
    return sorted(drawn, key=lambda one: one[0]), starts.tolist()


@pytest.mark.parametrize("hertz", [300, 450, 600, 660, 1000])
@pytest.mark.parametrize("jitter_ms", [0, 0.15])
def test_pictures_in_one_piece_are_told_at_any_rate(hertz, jitter_ms):
    drawn, truth = program(hertz, 600, jitter_ms=jitter_ms)
    kept, pictures = told(drawn)
    assert kept == truth
    assert pictures.told_by == BY_BEGINNING
    assert pictures.trusted_hz is None


@pytest.mark.parametrize("hertz", [60, 240, 400])
def test_pictures_in_forty_parts_are_told_by_the_part_they_begin_with(hertz):
    drawn, truth = program(hertz, 300, tiles(40), part_ms=0.03)
    kept, _ = told(drawn)
    assert kept == truth


def test_a_clearing_before_each_drawing_makes_no_picture_of_its_own():
    drawn, truth = program(60, 200, (WHOLE, WHOLE), part_ms=1.2)
    kept, pictures = told(drawn)
    assert kept == truth
    assert pictures.order == Order(WHOLE, 2, 2)
    assert pictures.redraws == 2


@pytest.mark.parametrize(
    ("parts", "redraws"),
    [((WHOLE,), 0), (tiles(40), 0), ((WHOLE,) * 20, 20), ((WHOLE, *tiles(2)), 0)],
)
def test_what_draws_the_same_area_many_times_in_one_go_is_said_to(parts, redraws):
    drawn, truth = program(30, 60, parts)
    kept, pictures = told(drawn)
    assert kept == truth
    assert pictures.redraws == redraws


def test_a_clearing_close_before_each_drawing_is_told_at_high_rates_too():
    drawn, truth = program(600, 600, (WHOLE, WHOLE), part_ms=0.1)
    kept, _ = told(drawn)
    assert kept == truth


def test_a_clearing_that_takes_its_time_at_a_high_rate_is_not_taken_for_a_picture():
    drawn, _ = program(700, 600, (WHOLE, WHOLE), part_ms=0.45)
    kept, pictures = told(drawn)
    assert pictures.told_by == BY_PAUSES  # whether these are one or two, nobody can tell
    assert pictures.trusted_hz <= 500
    assert len(kept) < 600


def test_what_is_drawn_anywhere_is_told_by_pauses_and_says_up_to_which_rate():
    rng = np.random.default_rng(3)
    areas = [(1, *map(int, rng.integers(1, 600, 4))) for _ in range(900)]
    drawn = [(n // 3 * 20 * MS + n % 3 * MS // 2, area) for n, area in enumerate(areas)]
    kept, pictures = told(drawn)
    assert len(kept) == 300
    assert pictures.told_by == BY_PAUSES
    assert pictures.trusted_hz == pytest.approx(1000 / 3, rel=0.01)


def test_a_program_that_comes_to_draw_otherwise_is_learnt_anew():
    slow, first = program(60, 100, tiles(12))
    after = slow[-1][0] + 50 * MS
    quick, second = program(600, 800, ((1, 0, 0, 640, 400), *tiles(15)[12:]), part_ms=0.05)
    kept, pictures = told(slow + [(at + after, area) for at, area in quick])
    assert pictures.order.leader == (1, 0, 0, 640, 400)
    truth = first + [at + after for at in second]
    # Until the new order is known a long burst is one picture; nothing is made up meanwhile.
    assert set(kept) <= set(truth)
    assert len(kept) > 100 + 0.8 * 800


def test_one_that_begins_to_clear_first_is_learnt_anew():
    once, _ = program(60, 60)
    after = once[-1][0] + 30 * MS
    twice, second = program(60, 120, (WHOLE, WHOLE), part_ms=0.5)
    kept, pictures = told(once + [(at + after, area) for at, area in twice])
    assert pictures.order == Order(WHOLE, 2, 2)
    assert len(kept) <= 60 + 120 + 33  # at most what it takes to see it
    assert kept[-60:] == [at + after for at in second[-60:]]


def test_rectangles_that_come_late_all_at_once_are_still_told():
    drawn, truth = program(300, 200)
    late = drawn[:100] + [(drawn[115][0] + n, area) for n, (_, area) in enumerate(drawn[100:116])]
    kept, pictures = told(late + drawn[116:])
    assert len(kept) == len(truth)
    assert pictures.parted >= 15


def test_a_picture_that_is_interrupted_goes_on_after_a_pause():
    drawn, truth = program(60, 100, tiles(40), part_ms=0.03)
    cut = 80 * 40 + 25
    late = drawn[:cut] + [(at + 5 * MS, area) for at, area in drawn[cut:]]
    kept, _ = told(late)
    assert kept == truth[:81] + [at + 5 * MS for at in truth[81:]]


def test_a_part_drawn_anew_after_a_whole_picture_is_a_picture():
    drawn, _ = program(60, 100, tiles(40), part_ms=0.03)
    alone = drawn[-1][0] + 8 * MS
    kept, _ = told([*drawn, (alone, tiles(40)[7])])
    assert kept[-1] == alone
    assert len(kept) == 101


def test_too_few_pictures_teach_nothing():
    drawn, _ = program(60, 10)
    assert learn(drawn) is None
    assert learn([]) is None
