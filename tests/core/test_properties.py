"""What must hold for any readings: mirrored sides, other units, other orders, extreme values."""

import math

import numpy as np
import pytest
from hypothesis import assume, given, settings
from hypothesis import strategies as st

from core.one_row import hodges_lehmann, median, paired, samples, screened, warm_up_length, welch
from yardstick_core.compare import text
from yardstick_core.compare.difference import compare
from yardstick_core.compare.estimate import Sample
from yardstick_core.compare.multiplicity import benjamini_hochberg
from yardstick_core.readings import METRICS

RATE, DURATION, STUTTER = (METRICS[k] for k in ("average_rate", "duration", "stutter_share"))
VERDICTS = {"ahead", "behind", "level", "open"}
OPPOSITE = {"ahead": "behind", "behind": "ahead", "level": "level", "open": "open"}

values = st.floats(0.01, 10_000, allow_nan=False)
sides = st.integers(2, 12).flatmap(
    lambda n: st.tuples(st.lists(values, min_size=n, max_size=n),
                        st.lists(values, min_size=n, max_size=n))
)  # fmt: skip


@settings(max_examples=150)
@given(sides, st.booleans())
def test_any_readings_get_one_of_four_verdicts_with_numbers_in_order(pair, in_rounds):
    a, b = map(samples, pair)
    found = compare(RATE, a, b, in_rounds=in_rounds)
    assert found.verdict in VERDICTS
    if found.method != "no interval":
        assert found.gain_low <= found.gain + 1e-9
        assert found.gain - 1e-9 <= found.gain_high
        assert 0 <= found.p <= 1
        assert found.ratio_low <= found.ratio * (1 + 1e-9)
        assert found.band > 0


@settings(max_examples=80)
@given(sides)
def test_changing_sides_mirrors_the_verdict(pair):
    a, b = map(samples, pair)
    one = compare(RATE, a, b, in_rounds=False)
    other = compare(RATE, b, a, in_rounds=False)
    assume(one.method == other.method != "no interval")
    assume(not one.excluded_runs + other.excluded_runs)
    assert one.gain == pytest.approx(-other.gain, abs=1e-9)
    assert OPPOSITE[one.verdict] == other.verdict


@settings(max_examples=80)
@given(sides, st.sampled_from([1e-3, 60, 1e6]))
def test_another_unit_changes_neither_ratio_nor_verdict(pair, factor):
    a, b = pair
    plain = compare(RATE, samples(a), samples(b), in_rounds=True)
    scaled = compare(
        RATE, samples([v * factor for v in a]), samples([v * factor for v in b]), in_rounds=True
    )
    assume(plain.method != "no interval")
    assert scaled.ratio == pytest.approx(plain.ratio, rel=1e-9)
    assert scaled.excluded_runs == plain.excluded_runs


@settings(max_examples=60)
@given(st.lists(values, min_size=2, max_size=30), st.floats(-50, 50))
def test_a_shift_of_one_side_shifts_every_interval(listed, shift):
    a = np.log(np.array(listed))
    b = a[::-1] + shift
    for method in (welch, hodges_lehmann):
        before, after = method(a, a[::-1].copy()), method(a, b)
        assert after.estimate - before.estimate == pytest.approx(shift, abs=1e-6)
        if math.isfinite(before.low):
            assert after.low - before.low == pytest.approx(shift, abs=1e-6)


@settings(max_examples=60)
@given(st.lists(st.floats(-1e6, 1e6), min_size=1, max_size=25))
def test_medians_are_those_of_numpy(listed):
    array = np.array(listed)
    assert median(array) == pytest.approx(float(np.median(array)), abs=1e-9)


@settings(max_examples=100)
@given(st.lists(values, min_size=1, max_size=30))
def test_never_more_is_set_apart_than_the_rules_allow(listed):
    array = np.array(listed)
    assert (~screened(array)).sum() <= max(1, len(array) // 5)
    assert warm_up_length(array) <= len(array) // 2


@settings(max_examples=100)
@given(st.lists(st.floats(0, 1), max_size=60))
def test_correction_only_takes_away_and_keeps_order(p_values):
    stands = benjamini_hochberg(p_values)
    assert len(stands) == len(p_values)
    assert all(p <= 0.05 for p, stays in zip(p_values, stands, strict=True) if stays)
    kept = [p for p, stays in zip(p_values, stands, strict=True) if stays]
    gone = [p for p, stays in zip(p_values, stands, strict=True) if not stays]
    assert not kept or not gone or max(kept) <= min(gone)


@settings(max_examples=100)
@given(st.floats(1e-9, 1e12))
def test_a_number_in_words_lies_within_half_a_digit_of_it(value):
    shown = text.significant(value)
    assert float(shown) == pytest.approx(value, rel=0.0051)
    digits = shown.replace(".", "").lstrip("0")
    assert len(digits) >= 3 or "." not in shown


@settings(max_examples=60)
@given(st.floats(0.02, 50))
def test_percent_and_factor_say_the_same(ratio):
    percent = text.percent(ratio)
    number = float(percent.split(text.THIN)[0])
    back = 1 + number / 100 * (-1 if percent.endswith("less") else 1)
    assert back == pytest.approx(ratio, abs=0.006 * max(1, ratio))
    factor = float(text.times_as(RATE, ratio).split(text.THIN)[0])
    assert factor == pytest.approx(ratio, rel=0.01)


@pytest.mark.parametrize("metric", [RATE, DURATION, STUTTER])
def test_equal_readings_are_level(metric):
    same = samples([50.0] * 6)
    found = compare(metric, same, same, in_rounds=True)
    assert found.verdict == "level"
    assert found.change == 0


def test_two_rounds_have_an_interval_but_a_wide_one():
    found = compare(RATE, samples([100, 101]), samples([150, 149]), in_rounds=True)
    assert found.method == "t within rounds"
    narrow = compare(RATE, samples([100, 101] * 4), samples([150, 149] * 4), in_rounds=True)
    assert narrow.gain_high - narrow.gain_low < (found.gain_high - found.gain_low) / 3


def test_runs_without_a_partner_in_their_round_do_not_count_in_pairs():
    a = [Sample(1, 1, 100.0), Sample(2, 2, 100.0), Sample(3, 3, 100.0)]
    b = [Sample(4, 2, 110.0), Sample(5, 9, 500.0)]
    found = compare(RATE, a, b, in_rounds=True)
    assert found.method == "no interval"
    assert "fewer than two rounds" in found.caveats[-1]


def test_no_spread_at_all_is_no_reason_to_fail():
    assert paired(np.zeros(4)).p == 1
    assert paired(np.ones(4)).p == 0
    assert welch(np.ones(3), np.ones(3)).estimate == 0
