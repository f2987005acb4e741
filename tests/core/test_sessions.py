"""A set of sessions: means of ratios by hand, places and their sums, what has no mean."""

import math
from dataclasses import replace

import numpy as np
import pytest

from yardstick_core.compare.composite import geometric_mean
from yardstick_core.compare.intervals import Interval
from yardstick_core.compare.profiles import JudgedLimit, Score
from yardstick_core.compare.runs import JudgedRun
from yardstick_core.compare.sessions import (
    BY_SHARE,
    IN_GENERAL,
    MISSING,
    NO_RATIO,
    NO_SHARES,
    THESE,
    TOO_FEW,
    SetRow,
    advise_over,
    headline,
    over_set,
)
from yardstick_core.compare.study import judge
from yardstick_core.readings import Reading

NAMES = ["4.1", "4.2", "5.0"]
OPEN = ("Open", "open")
LEAST = math.log(1.03)


def session(ratios, *, metric="duration", level=2.0, noise=0.01, seed=1, rounds=8):
    """The row of a session in which variants take these multiples of the baseline's time."""
    rng = np.random.default_rng(seed)
    runs = [
        JudgedRun(
            10 * turn + variant, variant, turn, False, "finished",
            (Reading(OPEN, metric, level * ratio * math.exp(rng.normal(0, noise))),),
        )
        for turn in range(rounds)
        for variant, ratio in enumerate(ratios)
    ]  # fmt: skip
    (row,) = judge(runs, NAMES[: len(ratios)]).rows
    return row


def test_a_geometric_mean_by_hand_alike_and_by_weight():
    """Halved in one, as it was in the other: √2 as fast over both; by 3 : 1 it is 2^¾."""
    sessions = [
        Interval(math.log(2), 0, 0, 0, "", 0.01, 7), Interval(0.0, 0, 0, 0, "", 0.02, 7)
    ]  # fmt: skip
    alike = geometric_mean(sessions)
    assert alike.estimate == pytest.approx(math.log(2) / 2)
    assert alike.spread == pytest.approx(math.hypot(0.01, 0.02) / 2)
    weighted = geometric_mean(sessions, weights=[30, 10])
    assert weighted.estimate == pytest.approx(0.75 * math.log(2))
    assert weighted.spread == pytest.approx(math.hypot(0.75 * 0.01, 0.25 * 0.02))
    assert weighted.low < weighted.estimate < weighted.high


def test_a_set_has_places_points_and_three_means():
    found = over_set(
        [
            SetRow(session([1, 0.5, 0.5], seed=1), 50),
            SetRow(session([1, 0.8, 0.5], seed=2), 30),
            SetRow(session([1, 0.7, 1.2], seed=3), 20),
        ],
        3, 0,
    )  # fmt: skip
    assert found.places == ((3, 1, 1), (3, 2, 1), (2, 1, 3))
    assert found.points == (8, 4, 5)
    these = found.means[THESE]
    assert these[0].gain.estimate == pytest.approx(-math.log(0.5 * 0.8 * 0.7) / 3, abs=0.01)
    assert these[0].verdict == "ahead"
    assert "× as good (" in these[0].words
    shared = found.means[BY_SHARE][1].gain.estimate
    wanted = -(0.8 * math.log(0.5) + 0.2 * math.log(1.2))
    assert shared == pytest.approx(wanted, abs=0.01)
    general = found.means[IN_GENERAL][1]
    width = these[1].gain.high - these[1].gain.low
    assert general.gain.high - general.gain.low > 5 * width
    assert general.verdict == "open", "three sessions that disagree say little of others"
    assert dict(found.asked_for)["sum of the readings"][0] == pytest.approx(6, abs=0.1)
    said = headline(found, NAMES, 0, 3)
    assert said.startswith("4.2 is 1.5")
    assert said.endswith("it is first in 2 of 3, 1 of them shared.")


def test_small_files_that_nobody_waits_for_do_not_count_against_large_ones():
    """36 ms become 90, and 20 s 15: the ratios say one thing, what is noticed another."""
    small, large = session([1, 2.5], level=0.036, seed=1), session([1, 0.75], level=20.0, seed=2)
    (alone,) = over_set([SetRow(small)], 2, 0).means[THESE]
    assert (alone.verdict, alone.words[:4]) == ("level", "0.39")
    (both,) = over_set([SetRow(small), SetRow(large)], 2, 0).means[THESE]
    assert both.gain.estimate == pytest.approx(-math.log(2.5 * 0.75) / 2, abs=0.02)
    assert both.verdict == "open"
    (mostly,) = over_set([SetRow(small, 10), SetRow(large, 90)], 2, 0).means[BY_SHARE]
    assert mostly.verdict == "ahead"


def test_what_has_no_mean_says_why():
    two = [SetRow(session([1, 0.5], seed=n)) for n in (1, 2)]
    found = over_set(two, 2, 0)
    assert found.means[IN_GENERAL][0].why == TOO_FEW
    assert found.means[BY_SHARE][0].why == NO_SHARES
    raw = [SetRow(session([1, 0.5], metric="stutter_share", level=9.0, seed=n)) for n in (1, 2)]
    assert over_set(raw, 2, 0).means[THESE][0].why == NO_RATIO
    single = over_set([SetRow(session([1, 0.5], rounds=1)), *two], 2, 0)
    assert single.means[THESE][0].why == MISSING
    assert single.places[0] is None
    assert "not every session has an interval" in headline(single, NAMES, 0, 3)


def test_a_session_without_the_metric_counts_in_no_mean():
    rows = [SetRow(session([1, 0.5], seed=n)) for n in (1, 2)]
    assert over_set([*rows, SetRow(None)], 2, 0).means == over_set(rows, 2, 0).means


def test_a_session_that_is_held_back_holds_back_the_mean():
    row = session([1, 0.5])
    held = replace(row.differences[1], verdict_withheld=True)
    spoilt = replace(row, differences=(None, held))
    found = over_set([SetRow(spoilt), SetRow(row)], 2, 0)
    assert found.means[THESE][0].gain is None
    assert found.places[0] is None


def score(variant, gain, half, broken="", band=LEAST):
    limits = (JudgedLimit("m", (), "broken", broken, "more"),) if broken else ()
    return Score(variant, "ahead", gain, gain - half, gain + half, "", limits, None, band)


def test_who_is_to_be_taken_over_all_sessions():
    """Gains of log 2 and 0 with a half-width of 0.1 each: √2 as good, ± 0.071 on logs."""
    both = [
        ("Short", None, [score(1, math.log(2), 0.1)]), ("Long", None, [score(1, 0.0, 0.1)]),
    ]  # fmt: skip
    told = advise_over(both, NAMES[:2], 0).replace("\u00a0", " ")
    assert told == "take 4.2: 1.41 × as good over all 2 sessions (1.32 to 1.52)"
    unnoticed = [("Short", None, [score(1, -0.9, 0.1, band=1.29)]), ("Long", None, both[0][2])]
    assert advise_over(unnoticed, NAMES[:2], 0).startswith("take 4.2: 1.40")
    shares = [("Short", 10, both[0][2]), ("Long", 90, both[1][2])]
    assert advise_over(shares, NAMES[:2], 0).startswith("stay with 4.1: no candidate is surely")


def test_a_limit_broken_in_one_session_rules_a_candidate_out():
    sessions = [
        ("Short", None, [score(1, 0.7, 0.1), score(2, 0.3, 0.1)]),
        ("Long", None, [score(1, 0.7, 0.1, "peak memory"), score(2, 0.3, 0.1)]),
    ]
    assert advise_over(sessions, NAMES, 0).startswith("take 5.0: ")
    alone = [(title, share, scores[:1]) for title, share, scores in sessions]
    told = advise_over(alone, NAMES, 0)
    assert told == "stay with 4.1: 4.2 breaks a limit in “Long”: peak memory"


def test_a_session_without_a_score_is_said_to_be_left_out():
    sessions = [("Short", None, [score(1, 0.7, 0.1)]), ("Long", None, [])]
    assert "over 1 of 2 sessions" in advise_over(sessions, NAMES[:2], 0)
