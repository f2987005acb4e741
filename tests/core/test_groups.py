"""Readings of a side in two groups: said, hardly ever by chance, with what goes with them."""

import numpy as np
import pytest

from core.one_row import noisy, samples
from yardstick_core.compare.difference import MORE_RUNS, TWO_GROUPS, compare
from yardstick_core.compare.estimate import Sample
from yardstick_core.compare.groups import goes_with, parted_in_two, traits
from yardstick_core.readings.metric import METRICS

DURATION = METRICS["duration"]


LAUNCHES = [0.72, 0.21, 0.23, 0.81, 0.74, 0.20, 0.78]  # the end of some was told too early


@pytest.mark.parametrize("in_rounds", [True, False])
def test_readings_in_two_groups_are_said(in_rounds):
    ready = samples(noisy(0.44, 7, 3, 0.1))
    found = compare(DURATION, samples(LAUNCHES), ready, in_rounds=in_rounds)
    [said] = [text for text in found.caveats if "two groups" in text]
    assert said.startswith(
        "readings of the baseline fall into two groups, 3 of about 210\u00a0ms and 4 of about "
        "760\u00a0ms"
    )
    assert (found.verdict, found.undecided) == ("open", MORE_RUNS)
    many = [
        compare(DURATION, samples(LAUNCHES * 3), samples(noisy(level, 21, 3, 0.1)), in_rounds=True)
        for level in (0.42, 0.45)
    ]
    assert [(one.verdict, one.undecided) for one in many] == [("open", TWO_GROUPS)] * 2
    turned = compare(DURATION, ready, samples(LAUNCHES), in_rounds=in_rounds)
    assert any("the candidate fall into two groups" in text for text in turned.caveats)
    # what nobody would notice parts nothing, and neither does a single odd one
    near = np.array([0.0201, 0.0202, 0.0203, 0.031, 0.0311, 0.0312])
    odd = [0.2, 0.21, 0.205, 0.9, 0.202, 0.198, 0.207]
    for values in (near, odd, LAUNCHES[:5]):
        few = compare(DURATION, samples(values), samples(values), in_rounds=in_rounds)
        assert not any("two groups" in text for text in few.caveats), values


@pytest.mark.parametrize("count", [6, 9, 14, 30])
def test_readings_of_one_kind_are_hardly_ever_parted(count):
    rng = np.random.default_rng(count)
    kinds = [
        rng.normal(size=(20_000, count)), rng.exponential(size=(20_000, count)),
        rng.random((20_000, count)), rng.standard_t(3, (20_000, count)),
    ]  # fmt: skip
    assert max(float((parted_in_two(values) > 0).mean()) for values in kinds) < 0.01
    two = rng.normal(0, 0.05, (2_000, count)) + np.log(3.5) * (np.arange(count) % 2)
    assert (parted_in_two(two)[:, None] == [count - count // 2]).mean() > 0.5


def two_sides(launches, ready, *, baseline_first, rigs=("", "")):
    """Samples of both sides; in each round one of them runs first."""
    sides = [], []
    for n, first in enumerate(baseline_first):
        for side, value in enumerate((launches[n], ready[n])):
            run = 2 * n + (side if first else 1 - side)
            sides[side].append(Sample(run, n, float(value), rig=rigs[n % 2]))
    return sides


def groups_said(sides):
    found = compare(DURATION, *sides, in_rounds=True)
    [said] = [text for text in found.caveats if "two groups" in text]
    return said


READY = noisy(0.44, 12, 3, 0.1)
SOMETIMES_SLOW = np.array([0.72, 0.21] * 6) * noisy(1, 12, 5)
SHUFFLED = [True, False, False, True] * 3
TURNS = [n % 2 == 0 for n in range(12)]


def test_it_is_said_that_groups_go_with_the_order_in_a_round():
    said = groups_said(two_sides(SOMETIMES_SLOW, READY, baseline_first=TURNS))
    assert said.endswith(
        "of the lower 6 of 6 ran after the other variant of their round, of the higher 0 of 6"
    )
    turned = groups_said(two_sides(READY, SOMETIMES_SLOW, baseline_first=TURNS))
    assert "the candidate fall" in turned
    assert turned.endswith(
        "of the lower 6 of 6 ran before the other variant of their round, of the higher 0 of 6"
    )


def test_it_is_said_that_groups_go_with_the_rig_or_with_time():
    on_rigs = two_sides(SOMETIMES_SLOW, READY, baseline_first=SHUFFLED, rigs=("loom", "shed"))
    assert groups_said(on_rigs).endswith("of the lower 6 of 6 ran on shed, of the higher 0 of 6")
    later = np.sort(SOMETIMES_SLOW)
    assert groups_said(two_sides(later, READY, baseline_first=SHUFFLED)).endswith(
        "of the lower 6 of 6 are of the earlier half, of the higher 0 of 6"
    )


def test_groups_that_go_with_nothing_say_nothing_of_it():
    said = groups_said(
        two_sides(SOMETIMES_SLOW, READY, baseline_first=[True, False, False, True] * 3)
    )
    assert said.endswith("look at a run of each")


def test_a_trait_is_hardly_ever_named_by_chance():
    rng = np.random.default_rng(2)
    named = 0
    for _ in range(500):
        runs = np.arange(16) * 2 + rng.integers(0, 2, 16)
        rounds = [(n, "loom") for n in range(16)]
        others = np.arange(16) * 2 + 1 - runs % 2
        lower = rng.permutation(np.arange(16) < 8)
        named += bool(goes_with(lower, traits(runs.tolist(), rounds, others.tolist(), rounds)))
    assert named <= 10


def test_runs_without_the_other_variant_in_their_round_count_for_no_order():
    first, *_ = traits([1, 4, 5], [(0, ""), (1, ""), (2, "")], [2, 3], [(0, ""), (1, "")])
    assert first.of_runs.tolist() == [1, 0, -1]
