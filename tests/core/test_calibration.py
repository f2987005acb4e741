"""The calibration itself: its simulations do what they say, and it notices what falls short."""

import numpy as np
import pytest

from yardstick_core.compare.calibrate import Studies, report
from yardstick_core.compare.calibration import (
    METHODS,
    RUNS,
    SCENARIOS,
    Cell,
    Scenario,
    calibrate_cell,
    cells,
    look_alarms,
    shortfalls,
    simulated,
    study_alarms,
    wrong_ways,
)


def scenario(name: str) -> Scenario:
    return next(s for s in SCENARIOS if s.name == name)


def test_every_cell_is_there_once():
    assert len(list(cells())) == len(METHODS) * len(SCENARIOS) * len(RUNS)


def test_simulated_runs_have_the_change_they_should():
    rng = np.random.default_rng(1)
    a, b = simulated(scenario("noise 1 %"), 400, 0.10, rng)
    ratio = np.mean([s.value for s in b]) / np.mean([s.value for s in a])
    assert ratio == pytest.approx(1.10, abs=0.003)
    assert [s.round for s in a] == list(range(400))


def test_drift_and_warm_up_are_in_the_order_taken():
    rng = np.random.default_rng(1)
    a, _ = simulated(scenario("drift of 6 %"), 200, 0, rng)
    assert np.mean([s.value for s in a[-20:]]) < np.mean([s.value for s in a[:20]]) - 4
    a, _ = simulated(scenario("warm-up"), 20, 0, rng)
    assert a[0].value < 90 < np.mean([s.value for s in a[2:]])


def test_coverage_of_plain_noise_is_near_95_percent():
    cell = calibrate_cell("within rounds", scenario("noise 3 %"), 8, 250)
    assert 0.92 <= cell.coverage <= 0.98
    assert cell.power[2] > cell.power[0]
    assert cell.wrong_way <= 0.005


def test_calibrating_twice_counts_the_same():
    once, again = (calibrate_cell("unpaired", scenario("stutters"), 5, 20) for _ in range(2))
    assert once == again


def test_studies_and_looks_are_counted():
    assert 0 <= study_alarms(6) <= 0.5
    assert wrong_ways(3) <= 0.05
    looked, peeked = look_alarms(60)
    assert looked <= peeked


def cell(**changes) -> Cell:
    kept = {
        "method": "unpaired",
        "scenario": "noise 3 %",
        "drifts": False,
        "runs": 5,
        "coverage": 0.95,
        "false_alarms": 0.01,
        "power": (0.1, 0.5, 1.0),
        "wrong_way": 0.0,
    }
    return Cell(**(kept | changes))  # fmt: skip


@pytest.mark.parametrize(
    ("changes", "says"),
    [
        ({"coverage": 0.90}, "coverage 90.0 %"),
        ({"coverage": 0.995}, "coverage 99.5 %"),
    ],
)
def test_what_falls_short_is_named(changes, says):
    (text,) = shortfalls([cell(**changes)], 0.01, 0.05, 0.0)
    assert says in text


@pytest.mark.parametrize(
    "changes",
    [{}, {"coverage": 0.7, "runs": 2}, {"coverage": 0.7, "drifts": True}],
)
def test_what_is_not_required_is_not_named(changes):
    assert shortfalls([cell(**changes)], 0.06, 0.06, 0.005) == []


def test_too_many_alarms_are_named():
    assert len(shortfalls([], 0.07, 0.07, 0.01)) == 3


def test_the_report_shows_every_cell_and_what_is_not_reached():
    text = report([cell(), cell(runs=8)], Studies(0.03, 0.05, 0.18, 0), ["a shortfall"], 100)
    assert text.count("| noise 3 % |") == 2
    assert "- a shortfall" in text
    assert "18.0 %" in text
