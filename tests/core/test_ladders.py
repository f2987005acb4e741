"""Ladders: exponents and capacities come from rounds, with the truth inside their intervals."""

import math
from dataclasses import replace

import numpy as np
import pytest

from yardstick_core.compare.ladder_text import ladder_readings
from yardstick_core.compare.ladders import capacities, growths, level_number
from yardstick_core.compare.rows import at_level
from yardstick_core.compare.runs import JudgedRun
from yardstick_core.compare.study import judge
from yardstick_core.readings import Reading

LEVELS = (100, 300, 900)
OPENING = ("Open", "open")


def ladder_runs(exponents, rounds=5, rates=None, noise=0.02, seed=1):
    """Runs of each variant at each level; time grows with its exponent."""
    rng = np.random.default_rng(seed)
    runs, number = [], 0
    for turn in range(rounds):
        for variant, exponent in enumerate(exponents):
            for level in LEVELS:
                number += 1
                seconds = 0.01 * (level / 100) ** exponent * math.exp(rng.normal(0, noise))
                readings = [Reading(("Open", "open"), "duration", seconds)]
                if rates:
                    rate = rates[variant](level) * math.exp(rng.normal(0, noise))
                    readings.append(Reading(("Scroll", "scroll"), "average_rate", rate))
                runs.append(
                    JudgedRun(
                        number, variant, turn, False, "finished", tuple(readings), "loft",
                        level=f"ends {level}",
                    )
                )  # fmt: skip
    return runs


def test_the_exponent_that_was_put_in_is_found():
    (growth,) = growths(ladder_runs([1.0, 2.0]), 2, 0)
    assert growth.stretch == ("Open", "open")
    for known, truth in zip(growth.exponents, (1.0, 2.0), strict=True):
        assert known.low <= truth <= known.high
        assert known.value == pytest.approx(truth, abs=0.05)
    assert growth.apart[0] is None
    assert growth.apart[1].low <= 1.0 <= growth.apart[1].high
    assert growth.apart[1].rounds == 5


def test_intervals_of_exponents_cover_as_often_as_they_say():
    inside = sum(
        known.low <= 1.5 <= known.high
        for seed in range(200)
        for known in growths(ladder_runs([1.5], seed=seed, noise=0.1), 1, 0)[0].exponents
    )
    assert 180 <= inside <= 199


def timed_runs(seconds_of, rounds=5, noise=0.01):
    """Runs of one variant at four levels, taking as long as `seconds_of` says of each."""
    rng = np.random.default_rng(3)
    return [
        JudgedRun(
            10 * turn + place, 0, turn, False, "finished",
            (Reading(OPENING, "duration", seconds_of(n) * math.exp(rng.normal(0, noise))),),
            "loft", level=f"ends {n}",
        )
        for turn in range(rounds)
        for place, n in enumerate((50, 100, 300, 900))
    ]  # fmt: skip


def test_a_constant_part_is_no_part_of_the_growth():
    (growth,) = growths(timed_runs(lambda n: 0.5 + 0.001 * n**1.5 / 30), 1, 0)
    assert growth.exponents[0].low <= 1.5 <= growth.exponents[0].high
    assert growth.constants[0] == pytest.approx(0.5, rel=0.1)
    (said,) = ladder_readings(timed_runs(lambda n: 0.5 + 0.001 * n**1.5 / 30), ["4.1"], 0)
    assert "whatever the ends, and beyond that grows as ends" in said.sentences[0]


def test_what_follows_no_power_gets_no_exponent():
    (growth,) = growths(timed_runs(lambda n: {50: 1, 100: 4, 300: 1.5, 900: 6}[n]), 1, 0)
    assert (growth.exponents, growth.misfits) == ((None,), (True,))
    (said,) = ladder_readings(
        timed_runs(lambda n: {50: 1, 100: 4, 300: 1.5, 900: 6}[n]), ["4.1"], 0
    )
    assert "no single number says how" in said.sentences[0]


def test_a_level_that_hung_is_not_fluid():
    runs = ladder_runs([1], rates=[lambda level: 90.0])
    hung = [
        replace(run, outcome="hung", readings=()) if run.level == "ends 900" else run
        for run in runs
    ]
    (capacity,) = capacities(hung, 1)
    assert capacity.beyond == (0,)
    assert capacity.variants[0].value == pytest.approx(300)


def test_one_round_has_an_exponent_and_no_interval():
    (growth,) = growths(ladder_runs([1.0], rounds=1), 1, 0)
    assert growth.exponents[0].low == -math.inf


def test_capacity_lies_where_the_rate_crosses_the_line():
    # 30 pictures a second are crossed at level 300 by the first, at 600 by the second.
    rates = [lambda level: 30 * 300 / level, lambda level: 30 * 600 / level]
    (capacity,) = capacities(ladder_runs([1, 1], rates=rates), 2)
    assert capacity.variants[0].value == pytest.approx(300, rel=0.05)
    assert capacity.variants[1].value == pytest.approx(600, rel=0.05)
    assert capacity.variants[1].low <= 600 <= capacity.variants[1].high


def test_a_capacity_that_is_only_bounded_has_no_interval():
    rates = [lambda level: 90.0, lambda level: 3.0]
    (capacity,) = capacities(ladder_runs([1, 1], rates=rates), 2)
    assert capacity.variants == (None, None)
    assert capacity.beyond == (5, 0)
    assert capacity.below == (0, 5)


@pytest.mark.parametrize(
    ("level", "number"),
    [("ends 400", 400), ("size 2.5", 2.5), ("quality high", None), ("n 0", None)],
)
def test_only_positive_numbers_are_levels_of_load(level, number):
    assert level_number(level) == number


def test_runs_that_do_not_count_give_no_growth():
    runs = [run for run in ladder_runs([1.0]) if run.level != "ends 900"]
    assert growths(runs, 1, 0) == []


def test_levels_are_judged_apart_from_one_another():
    judged = judge(ladder_runs([1.0, 1.0]), ["4.1", "4.2"])
    stretches = [row.stretch for row in judged.rows]
    assert stretches == [at_level(("Open", "open"), f"ends {level}") for level in LEVELS]
    assert all(len(row.samples[0]) == 5 for row in judged.rows)


def test_a_ladder_is_read_in_words_with_its_medians():
    rates = [lambda level: 30 * 300 / level, lambda level: 90.0]
    growth, capacity = ladder_readings(ladder_runs([1.0, 2.0], rates=rates), ["4.1", "4.2"], 0)
    assert (growth.kind, growth.ladder, growth.levels) == ("growth", "ends", (100, 300, 900))
    assert growth.medians[0] == pytest.approx((0.01, 0.03, 0.09), rel=0.1)
    assert growth.sentences[0].startswith("4.1 grows as ends to the power of ")
    assert growth.sentences[2].startswith("4.2 grows more steeply than 4.1 (by +")
    assert capacity.sentences[0].startswith("4.1 carries ")
    assert "at 30 pictures a second (95\u00a0%: " in capacity.sentences[0]
    assert capacity.sentences[1] == "4.2 is still fluid at the largest level measured."


def test_a_ladder_is_read_from_the_compared_rounds_alone():
    runs = ladder_runs([1.0, 2.0])
    found = judge(runs, ["4.1", "4.2"], compared_rounds=[0, 1]).ladders
    assert found == judge([r for r in runs if r.round < 2], ["4.1", "4.2"]).ladders
    assert found != judge(runs, ["4.1", "4.2"]).ladders


def test_equal_growth_is_said_to_show_no_difference():
    (growth,) = ladder_readings(ladder_runs([1.0, 1.0]), ["4.1", "4.2"], 0)
    assert growth.sentences[2].startswith("No difference in growth is shown between 4.2 and 4.1")


def test_without_a_ladder_nothing_is_read():
    runs = [JudgedRun(1, 0, 0, False, "finished", (Reading(("A", "b"), "duration", 1.0),))]
    assert ladder_readings(runs, ["4.1"], 0) == []
