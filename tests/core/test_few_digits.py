"""Durations told with few digits: no interval is narrower than those allow."""

import numpy as np
import pytest

from core.studies import OPEN, judged
from yardstick_core.compare.allowances import of_digits
from yardstick_core.compare.difference import FEW_DIGITS, compare
from yardstick_core.compare.estimate import Sample
from yardstick_core.readings import METRICS

TIME = (OPEN, "duration")
DURATION = METRICS["duration"]


def difference(a, b):
    judgement = judged([{TIME: a}, {TIME: b}])
    return judgement, judgement.rows[0].differences[1]


def test_whole_seconds_that_agree_are_not_known_to_be_level():
    judgement, found = difference([3] * 8, [3] * 8)
    assert (found.verdict, found.undecided, found.runs_to_decide) == ("open", FEW_DIGITS, None)
    assert found.change_low < -0.99 < 0.99 < found.change_high
    assert found.caveats == ("told to 1 s: the interval is no narrower than that allows",)
    assert judgement.headline == "4.2 is open on 1 of 1: no sensible number of rounds would tell"


def test_what_is_further_apart_than_digits_allow_is_decided():
    _, found = difference([3] * 8, [9] * 8)
    assert found.verdict == "behind"
    assert found.change_low < 6 < found.change_high


def test_the_truth_lies_within_however_it_was_rounded():
    rng = np.random.default_rng(3)
    for _ in range(200):
        before, after = rng.uniform(2, 6, 2)
        spread = rng.choice([0.001, 0.05, 0.2])
        sides = [np.rint(level + spread * rng.standard_normal(8)) for level in (before, after)]
        _, found = difference(*(side.tolist() for side in sides))
        assert found.verdict in ("open", "level") or (found.change > 0) == (after > before)
        assert found.verdict != "level" or abs(after / before - 1) < 0.05


@pytest.mark.parametrize(("a", "b", "step"), [
    ([60, 120], [180, 60], 60.0), ([3, 4], [5, 6], 1.0), ([3.1, 3.2], [3, 3], 0.1),
    ([0.412, 0.413], [0.4, 0.41], 0.001), ([0.4123, 0.413], [0.4, 0.41], 0.0),
])  # fmt: skip
def test_the_coarsest_step_of_all_readings_counts(a, b, step):
    steps, _, _ = of_digits(np.array([a], float), np.array([b], float))
    assert steps.tolist() == [step]


def test_readings_that_vary_by_more_than_a_step_are_none_the_worse():
    _, one, other = of_digits(np.array([[3.0, 4, 5, 2]]), np.array([[3.0, 3, 3, 3]]))
    assert (one.tolist(), other.tolist()) == ([0.0], [0.5])


def test_digits_enough_say_nothing():
    _, found = difference([0.412, 0.415, 0.409, 0.413, 0.411], [0.3, 0.304, 0.299, 0.305, 0.302])
    assert (found.verdict, found.caveats) == ("ahead", ())


def test_readings_of_nothing_are_compared_in_their_own_unit():
    _, found = difference([0.0, 1.0, 1.0, 1.0, 1.0, 1.0, 1.0, 1.0], [1.0] * 8)
    assert found.verdict == "open"
    assert found.change_low <= 0 <= found.change_high


def test_readings_with_a_known_error_of_their_own_are_not_told_with_few_digits():
    def sides(half_width):
        return [
            [Sample(9 * value + n, n, value, reaction_half_width=half_width) for n in range(2)]
            for value in (2.0, 1.0)
        ]

    told = compare(DURATION, *sides(0.0), in_rounds=False)
    assert (told.verdict, told.undecided) == ("open", FEW_DIGITS)
    filmed = compare(DURATION, *sides(1 / 30), in_rounds=False)
    assert filmed.verdict == "ahead"
    assert filmed.caveats[-1].startswith("readings are known to ± 0.033 s in the mean")
