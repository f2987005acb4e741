"""The gate: rows, failures held against fresh rounds, outcomes, and what it costs."""

import math

import pytest

from core.studies import OPEN, SCROLL, WHOLE, names, runs_of
from yardstick_core.calibration.gates import gate_outcome, results_outcome
from yardstick_core.compare.gate import (
    EXITS,
    FALSE_FAILURES,
    NOT_KNOWN,
    NOT_MEASURED,
    NOT_SLOWER,
    SLOWER,
    confirmed,
    gate_rows,
    kept_back,
    outcome,
    to_confirm,
    yearly_false_failures,
)
from yardstick_core.compare.study import judge

DECIDES = [("duration", OPEN)]
PLACE = ("duration", OPEN)
STEADY = [5.0, 5.02, 4.99, 5.01, 5.0, 5.03, 4.98, 5.01]


def side(factor=1.0, rate=60.0, more=()):
    return {
        (OPEN, "duration"): [factor * value for value in STEADY] + list(more),
        (SCROLL, "average_rate"): [rate + n % 3 / 10 for n in range(8 + len(more))],
        (WHOLE, "peak_memory"): [100 + n % 2 / 10 for n in range(8 + len(more))],
    }


def at_gate(build, before=None, **options):
    judgement = judge(runs_of([before or side(), build]), names(2), deciding=DECIDES)
    return judgement, gate_rows(judgement, 1, **options)


def row_of(rows, label="open"):
    return next(row for row in rows if row.label == label)


def test_the_same_build_is_not_slower():
    _, rows = at_gate(side())
    assert {row.standing for row in rows} == {NOT_SLOWER}
    assert outcome(rows)[0] == NOT_SLOWER
    assert EXITS[outcome(rows)[0]] == 0


def test_a_slower_build_fails_only_after_fresh_rounds_say_so_too():
    _, rows = at_gate(side(1.2))
    assert to_confirm(rows) == [PLACE]
    assert "to be held against fresh rounds" in outcome(rows)[1]
    more = [5.0, 5.01, 4.99, 5.02]
    later, _ = at_gate(side(1.2, more=[6.0, 6.05, 5.98, 6.01]), side(more=more))
    again = confirmed(later, 0, 1, [PLACE], range(8, 12))
    assert again == {PLACE: True}
    decided, why = outcome(rows, again)
    assert decided == SLOWER
    assert why.startswith("slower, and again in fresh rounds: open +1.00\u00a0s (")
    assert EXITS[decided] == 1


def test_a_failure_that_fresh_rounds_do_not_bear_out_does_not_fail_the_build():
    more = [5.0, 5.01, 4.99, 5.02]
    _, rows = at_gate(side(1.05))
    assert to_confirm(rows) == [PLACE]
    later, _ = at_gate(side(1.05, more=more), side(more=more))
    again = confirmed(later, 0, 1, [PLACE], range(8, 12))
    assert again == {PLACE: False}
    decided, why = outcome(rows, again)
    assert decided == NOT_SLOWER
    assert "failed once and not again" in why


def test_a_failure_that_fresh_rounds_leave_open_passes_nothing():
    _, rows = at_gate(side(1.2))
    more = [5.0, 5.01, 4.99, 5.02]
    later, _ = at_gate(side(1.2, more=more), side(more=more))
    again = confirmed(later, 0, 1, [PLACE], range(8, 12))
    assert again == {PLACE: None}
    assert outcome(rows, again)[0] == NOT_KNOWN


def test_fresh_rounds_that_are_too_few_settle_nothing():
    later, _ = at_gate(side(1.2, more=[6.0, 6.0]), side(more=[5.0, 5.0]))
    assert confirmed(later, 0, 1, [PLACE], range(8, 10)) == {PLACE: None}


def test_what_decides_and_is_not_known_is_said_so_and_passes_nothing():
    wild = [3.0, 8.0, 4.0, 9.0, 2.5, 7.5, 4.5, 8.5]
    _, rows = at_gate({**side(), (OPEN, "duration"): wild})
    decided, why = outcome(rows)
    assert (decided, row_of(rows).standing) == (NOT_KNOWN, NOT_KNOWN)
    assert "may be worse by more than 10" in why


def test_a_main_metric_that_is_not_known_stops_no_build_but_is_shown():
    wild = [60.0, 20.0, 55.0, 110.0, 30.0, 90.0, 45.0, 100.0]
    _, rows = at_gate({**side(), (SCROLL, "average_rate"): wild})
    assert outcome(rows)[0] == NOT_SLOWER
    assert row_of(rows, "average frame rate in Scroll").standing == NOT_KNOWN


def test_a_build_of_which_nothing_was_read_could_not_be_measured():
    judgement = judge(runs_of([side()]), names(2), deciding=DECIDES)
    assert outcome(gate_rows(judgement, 1))[0] == NOT_MEASURED


def test_a_lower_rate_is_slower_and_a_higher_one_is_not():
    _, rows = at_gate(side(rate=40.0))
    assert row_of(rows, "average frame rate in Scroll").standing == SLOWER
    _, rows = at_gate(side(rate=90.0))
    assert row_of(rows, "average frame rate in Scroll").standing == NOT_SLOWER


def test_only_what_is_wanted_counts():
    _, rows = at_gate(side(1.3), wanted=[("peak_memory", WHOLE)])
    assert [row.label for row in rows] == ["peak memory"]
    assert outcome(rows)[0] == NOT_SLOWER


def test_the_smallest_change_that_is_found_grows_with_the_noise():
    quiet = row_of(at_gate(side())[1]).smallest
    loud = [5.0, 5.4, 4.7, 5.2, 4.8, 5.3, 4.9, 5.1]
    noisy = row_of(at_gate({**side(), (OPEN, "duration"): loud})[1]).smallest
    assert 1.02 < quiet < noisy < 2
    rate = row_of(at_gate(side())[1], "average frame rate in Scroll")
    assert 0.9 < rate.smallest < 1


def test_a_wider_tolerance_lets_more_pass():
    loud = [5.0, 5.7, 4.5, 5.5, 4.6, 5.6, 4.7, 5.2]
    build = {**side(), (OPEN, "duration"): loud}
    assert row_of(at_gate(build, tolerance=5)[1]).standing == NOT_KNOWN
    assert row_of(at_gate(build, tolerance=40)[1]).standing == NOT_SLOWER


def test_false_failures_a_year_follow_the_rate_of_builds():
    assert yearly_false_failures(30, 30) == pytest.approx(FALSE_FAILURES * 365.25)
    assert yearly_false_failures(0, 30) == 0
    assert math.isfinite(yearly_false_failures(3, 0))


def test_builds_that_are_the_same_hardly_ever_fail_and_slower_ones_do():
    """A small part of what `./yardstick calibrate` counts."""
    same = [gate_outcome(seed, 0.0, 0.03) for seed in range(150)]
    assert same.count(SLOWER) == 0
    assert same.count(NOT_SLOWER) > 120
    slower = [gate_outcome(seed, 0.10, 0.03) for seed in range(150)]
    assert slower.count(SLOWER) >= 140
    assert slower.count(NOT_SLOWER) <= 3


def test_results_that_were_brought_in_keep_their_last_rounds_back_to_confirm():
    assert kept_back(range(6)) == []
    assert kept_back([9, 3, 5, 7, 1, 8, 2]) == [5, 7, 8, 9]
    same = [results_outcome(seed, 0.0, 0.03, 12) for seed in range(60)]
    assert same.count(SLOWER) == 0
    assert same.count(NOT_SLOWER) > 50
    slower = [results_outcome(seed, 0.10, 0.03, 12) for seed in range(60)]
    assert slower.count(SLOWER) >= 52
    too_few = [results_outcome(seed, 0.30, 0.03, 5) for seed in range(5)]
    assert set(too_few) == {NOT_KNOWN}
