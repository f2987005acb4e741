"""Lines of releases: what is tied to the anchor, where the level changes, what is said of it."""

import math
from dataclasses import replace

import numpy as np
import pytest

from yardstick_core.calibration import lines as simulated
from yardstick_core.compare.difference import Difference
from yardstick_core.compare.estimate import Sample
from yardstick_core.compare.line import Cell, anchor_of, line
from yardstick_core.compare.releases import (
    MeasuringSession,
    cells_of,
    change_text,
    headline,
    lines,
    next_release,
    since_text,
)
from yardstick_core.compare.rows import Row
from yardstick_core.readings import METRICS

DURATION, STUTTER = METRICS["duration"], METRICS["stutter_share"]
NAMES = [f"4.{n}" for n in range(14)]


def row(metric, sides, stretch=("Open", "open")):
    samples = tuple(
        tuple(Sample(100 * place + turn, turn, value) for turn, value in enumerate(side))
        for place, side in enumerate(sides)
    )
    return Row(stretch, metric, samples, (None,) * len(sides), (None,) * len(sides), "")


def sessions(levels, *, days=(1.0, 1.3, 0.9, 1.1), noise=0.004, metric=DURATION, skip=()):
    """Sessions of three releases and the anchor, release 6; `levels` are the true readings."""
    rng = np.random.default_rng(4)
    others = [n for n in range(len(levels)) if n != 6 and n not in skip]
    made = []
    for number, first in enumerate(range(0, len(others), 3)):
        chosen = [6, *others[first : first + 3]]
        day = days[number % len(days)]
        sides = [
            [levels[one] * day * math.exp(rng.normal(0, noise)) for _ in range(4)] for one in chosen
        ]
        made.append(MeasuringSession([row(metric, sides)], dict(enumerate(chosen))))
    return made


def test_a_day_is_no_change_and_a_step_is_one_where_it_is():
    """Days differ by 40 %, a release by 9 %."""
    levels = [2.0] * 9 + [2.18] * 5
    (found,) = lines(sessions(levels))
    (change,) = found.line.changes
    assert found.line.anchor == 6
    assert (change.earliest, change.latest) == (9, 9)
    assert change.low < math.log(1.09) < change.high
    assert "9." in change_text(found, change)
    assert "more time" in change_text(found, change)
    assert headline(found, NAMES) == (
        f"Open changed once: since 4.9, {change_text(found, change)}."
    )
    assert next_release(found) is None
    for point, level in zip(found.line.points, levels, strict=True):
        assert point.value == pytest.approx(math.log(level / 2), abs=0.02)
        assert point.low <= point.value <= point.high
    assert found.line.levels[0] == pytest.approx(0, abs=0.01)
    assert found.line.levels[-1] == pytest.approx(math.log(1.09), abs=0.01)


def test_without_a_step_there_is_none():
    (found,) = lines(sessions([2.0] * 14))
    assert found.line.changes == ()
    assert headline(found, NAMES) == "Open shows no change from 4.0 to 4.13."


def test_won_and_given_away_again_are_two_changes():
    (found,) = lines(sessions([2.0] * 7 + [1.0] * 3 + [2.1] * 4))
    first, last = found.line.changes
    assert (first.release, last.release) == (7, 10)
    assert change_text(found, first).startswith("0.499")
    assert change_text(found, last).startswith("2.1")
    assert "as long" in change_text(found, last)
    assert "changed twice, last since 4.10" in headline(found, NAMES)


def test_a_change_among_releases_that_were_not_measured_is_said_so():
    """4.8, 4.9 and 4.10 are not measured; the step came with 4.9."""
    levels = [2.0] * 9 + [2.4] * 5
    (found,) = lines(sessions(levels, skip=(8, 9, 10)))
    (change,) = found.line.changes
    assert (change.earliest, change.latest) == (8, 11)
    assert since_text(change, NAMES) == "since one of 4.8 to 4.11"
    following = next_release(found)
    assert (following.release, following.again) in ((9, False), (10, False))


def test_what_is_compared_in_its_own_unit_has_changes_in_it():
    made = sessions([10.0] * 7 + [22.0] * 7, metric=STUTTER, days=(1.0,))
    (found,) = lines(made)
    (change,) = found.line.changes
    assert change.size == pytest.approx(12, abs=0.3)
    assert change_text(found, change).startswith("+")
    assert found.gain(1.0) == -1.0


def test_sessions_without_the_anchor_hang_by_what_they_share_or_stand_apart():
    cells = [
        Cell(0, 0, 0.0, 1e-6), Cell(0, 1, 0.1, 1e-6),
        Cell(1, 1, 0.5, 1e-6), Cell(1, 2, 0.7, 1e-6),
        Cell(2, 8, 3.0, 1e-6), Cell(2, 9, 3.0, 1e-6),
    ]  # fmt: skip
    found = line(cells, anchor=0)
    assert [round(point.value, 3) for point in found.points] == [0, 0.1, 0.3]
    assert found.apart == (8, 9)
    assert anchor_of(cells) == 1
    assert line([], anchor=None) is None
    assert line([Cell(0, 3, 1.0, 0.1)]) is None


def test_the_noise_of_runs_is_what_rounds_do_not_share():
    """Two releases, four rounds that differ much and alike: next to nothing is left."""
    rounds = [1.0, 2.0, 4.0, 8.0]
    sides = {
        0: [Sample(n, n, value) for n, value in enumerate(rounds)],
        1: [Sample(9 + n, n, 1.1 * value) for n, value in enumerate(rounds)],
    }
    first, second = cells_of([(0, sides)], on_logs=True)
    assert second.mean - first.mean == pytest.approx(math.log(1.1))
    assert first.variance < 1e-20
    alone = cells_of([(0, {0: sides[0]})], on_logs=True)
    assert alone[0].variance == pytest.approx(np.var(np.log(rounds), ddof=1) / 4)


def test_a_run_that_was_held_up_moves_no_release_far():
    """One run of forty takes three times as long: its release stays where it is, nearly."""
    rng = np.random.default_rng(3)
    sides = {
        release: [Sample(10 * release + n, n, math.exp(rng.normal(0, 0.01))) for n in range(10)]
        for release in range(4)
    }
    clean = cells_of([(0, sides)], on_logs=True)
    sides[2][4] = sides[2][4]._replace(value=3.0)
    spoilt = cells_of([(0, sides)], on_logs=True)
    assert spoilt[2].mean == pytest.approx(clean[2].mean, abs=0.006)
    assert math.sqrt(spoilt[2].variance) < 1.5 * math.sqrt(clean[2].variance)


def test_releases_that_never_reached_an_end_have_no_mean():
    made = sessions([2.0] * 14)
    samples = list(made[0].rows[0].samples)
    samples[1] = (samples[1][0]._replace(right_censored=True), *samples[1][1:])
    spoilt = row(DURATION, [[1.0]] * 4)
    spoilt = type(spoilt)(spoilt.stretch, DURATION, tuple(samples), spoilt.medians, (None,) * 4, "")
    (found,) = lines([MeasuringSession([spoilt], made[0].releases), *made[1:]])
    assert made[0].releases[1] not in {point.release for point in found.line.points}


def test_what_was_not_measured_alike_is_left_out_and_said():
    """A session holds one release back: it is on no line, whatever its readings are."""
    made = sessions([2.0] * 14)
    held = Difference("duration", "open", 2.0, 9.0, 4, 4, verdict_withheld=True)
    first = made[0].rows[0]
    spoilt = replace(
        first,
        samples=(first.samples[0], tuple(s._replace(value=9.0) for s in first.samples[1]),
                 *first.samples[2:]),
        differences=(None, held, None, None),
    )  # fmt: skip
    (found,) = lines([MeasuringSession([spoilt], made[0].releases), *made[1:]])
    assert found.withheld == (made[0].releases[1],)
    assert found.withheld[0] not in {point.release for point in found.line.points}
    assert found.line.changes == ()


@pytest.mark.parametrize(("releases", "a_session"), [(6, 3), (12, 3), (60, 1)])
def test_a_line_without_a_change_seldom_shows_one(releases, a_session):
    alarms = sum(simulated.line_alarm(seed, releases, a_session) for seed in range(40))
    assert alarms <= 6, "at most 5 in 100 are meant; 7 of 40 come by chance once in 300"


def test_a_step_of_three_percent_among_sixty_releases_is_found_where_it_is():
    seeds = range(12)
    assert sum(simulated.step_found(seed) for seed in seeds) >= 10
    assert sum(simulated.step_in_range(seed) for seed in seeds) >= 10
    assert sum(simulated.size_covered(seed) for seed in seeds) >= 9
