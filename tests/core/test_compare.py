"""Intervals, verdicts and words: against known values, other implementations and simulation."""

import math

import numpy as np
import pytest
from scipy import stats

from core.one_row import (
    hodges_lehmann,
    noisy,
    paired,
    samples,
    screened,
    trend_z,
    warm_up_length,
    welch,
)
from yardstick_core.compare import text
from yardstick_core.compare.claims import Claim, judge_claim
from yardstick_core.compare.difference import compare
from yardstick_core.compare.estimate import Sample
from yardstick_core.compare.multiplicity import benjamini_hochberg
from yardstick_core.compare.runs import JudgedRun
from yardstick_core.compare.study import ONLY_BY_CORRECTION, judge
from yardstick_core.compare.verdict import materiality
from yardstick_core.plan import round_order
from yardstick_core.readings import METRICS, Reading

DURATION, RATE = METRICS["duration"], METRICS["average_rate"]
STUTTER = METRICS["stutter_share"]


def test_welch_agrees_with_scipy():
    a, b = noisy(10, 6, 1), noisy(11, 9, 2)
    ours = welch(a, b)
    theirs = stats.ttest_ind(b, a, equal_var=False)
    limits = theirs.confidence_interval(0.95)
    assert ours.p == pytest.approx(theirs.pvalue)
    assert (ours.low, ours.high) == pytest.approx((limits.low, limits.high))


def test_pairs_agree_with_scipy():
    d = np.random.default_rng(3).normal(0.5, 1, 8)
    theirs = stats.ttest_1samp(d, 0)
    limits = theirs.confidence_interval(0.95)
    ours = paired(d)
    assert ours.p == pytest.approx(theirs.pvalue)
    assert (ours.low, ours.high) == pytest.approx((limits.low, limits.high))


@pytest.mark.parametrize(("n", "m"), [(7, 7), (8, 10), (12, 9)])
def test_rank_test_agrees_with_scipys_exact_one(n, m):
    a, b = noisy(10, n, n), noisy(10.2, m, m + 50)
    theirs = stats.mannwhitneyu(b, a, alternative="two-sided", method="exact")
    assert hodges_lehmann(a, b).p == pytest.approx(theirs.pvalue)


def test_rank_limits_exclude_zero_just_when_the_test_rejects():
    rng = np.random.default_rng(4)
    for _ in range(300):
        a, b = rng.normal(0, 1, 8), rng.normal(rng.uniform(0, 2), 1, 9)
        found = hodges_lehmann(a, b)
        assert found.contains(0) == (found.p > 0.05)


@pytest.mark.parametrize("n", [3, 5, 8, 12])
def test_intervals_cover_the_truth_as_often_as_they_say(n):
    """At 1,200 repeats a coverage of 95 % is counted within ± 2 points."""
    rng = np.random.default_rng(n)
    hits = 0
    for _ in range(1200):
        drift = np.linspace(0, 0.06, n)
        a, b = (10 * np.exp(rng.normal(0, 0.03, n) + drift) for _ in range(2))
        difference = compare(RATE, samples(a), samples(b), in_rounds=True)
        hits += difference.ratio_low <= 1 <= difference.ratio_high
    assert 0.92 <= hits / 1200 <= 0.985


def test_longer_than_makes_limits_infinite_instead_of_dropping_the_run():
    a = samples([1.0, 1.1, 1.05, 0.98, 1.02, 1.07, 1.01, 1.03])
    b = samples([5.0] * 8, longer=range(8))
    found = compare(DURATION, a, b, in_rounds=True)
    assert found.verdict == "behind"
    assert found.ratio_high == math.inf
    assert found.ratio_low > 4
    assert found.candidate_runs == 8


def test_a_few_cut_off_runs_leave_it_open():
    a = samples([1.0, 1.1, 1.05])
    b = samples([1.0, 5.0, 1.02], longer=[1])
    assert compare(DURATION, a, b, in_rounds=True).verdict == "open"


def test_clear_differences_get_their_verdict_in_both_directions():
    a, faster, slower = noisy(2, 8, 1), noisy(1.5, 8, 2), noisy(2.6, 8, 3)
    assert compare(DURATION, samples(a), samples(faster), in_rounds=True).verdict == "ahead"
    assert compare(DURATION, samples(a), samples(slower), in_rounds=True).verdict == "behind"
    assert compare(RATE, samples(a), samples(faster), in_rounds=True).verdict == "behind"
    assert compare(RATE, samples(a), samples(slower), in_rounds=True).verdict == "ahead"


def test_a_real_difference_too_small_to_matter_is_level():
    a, b = noisy(100, 12, 1, 0.002), noisy(101, 12, 2, 0.002)
    found = compare(RATE, samples(a), samples(b), in_rounds=False)
    assert found.p < 0.05
    assert found.verdict == "level"


def test_a_change_nobody_would_notice_does_not_count_as_faster():
    found = compare(DURATION, samples(noisy(0.2, 8, 1)), samples(noisy(0.15, 8, 2)), in_rounds=True)
    assert found.ratio < 0.8
    assert found.verdict == "level"
    assert materiality(DURATION, (0.2, 0.15), on_logs=True) == pytest.approx(math.log1p(0.1 / 0.15))


def test_one_run_a_side_is_open_and_says_why():
    found = compare(DURATION, samples([2]), samples([1]), in_rounds=True)
    assert (found.verdict, found.method) == ("open", "no interval")
    assert "one run a side" in found.caveats[-1]
    assert math.isnan(found.ratio_low)


def test_shares_are_compared_in_points_and_zero_is_no_obstacle():
    found = compare(STUTTER, samples([0, 0, 0.1, 0]), samples([9, 10, 9.5, 11]), in_rounds=True)
    assert found.verdict == "behind"
    assert found.change == pytest.approx(9.85, abs=0.1)
    assert found.change_text.endswith("pt")
    assert found.band == pytest.approx(math.log(1.03))


def test_open_says_how_many_rounds_would_decide():
    found = compare(
        RATE, samples([100, 104, 97, 102]), samples([108, 103, 109, 106]), in_rounds=True
    )
    assert found.verdict == "open"
    assert 4 < found.runs_to_decide <= 60


def test_a_run_far_from_the_others_is_said_beside_the_difference():
    def compared(baseline, candidate):
        theirs = [one._replace(run=100 + one.run) for one in samples(candidate)]
        return compare(DURATION, samples(baseline), theirs, in_rounds=True)

    usual, wild = noisy(1.0, 8, 1), np.append(noisy(1.0, 7, 2), 30.0)
    said = "1 run is set apart: 30.0 s, the others about"
    for sides, name, run in (((usual, wild), "candidate", 107), ((wild, usual), "baseline", 7)):
        found = compared(*sides)
        (caveat,) = found.caveats
        assert caveat.replace(text.THIN, " ").startswith(f"of the {name} {said}")
        assert [number for number, _ in found.excluded_runs] == [run]  # and not its partner
    beside = compared(usual, np.append(noisy(1.0, 7, 2), 1.3))
    assert beside.excluded_runs
    assert beside.caveats == ()


def test_warm_up_runs_are_set_apart_and_named():
    assert warm_up_length(np.array([15, 12, 10, 10.1, 9.9, 10, 10.05, 10])) == 2
    assert warm_up_length(np.array([10, 10.1, 9.9, 10, 10.05, 10])) == 0
    found = compare(
        DURATION, samples([15, 10, 10.1, 9.9, 10, 10]), samples(noisy(8, 6, 1)), in_rounds=True
    )
    assert found.excluded_runs == ((0, "warming up"),)


def test_a_wild_value_is_screened_but_never_many():
    values = np.array([10, 10.1, 9.9, 10.05, 9.95, 30])
    assert screened(values).tolist() == [True] * 5 + [False]
    assert screened(np.array([10, 10.1, 9.9, 30, 31, 32])).all()
    assert screened(np.array([10, 10.1, 30])).all()


def test_a_trend_left_in_the_readings_is_said():
    assert trend_z(np.arange(8.0)) > 1.96
    drifting = compare(RATE, samples(np.linspace(100, 90, 8)), samples([80] * 8), in_rounds=True)
    assert any("still drift" in text for text in drifting.caveats)


def test_false_discoveries_are_held_by_the_step_up_rule():
    assert benjamini_hochberg([0.001, 0.02, 0.04, 0.2]) == [True, True, False, False]
    assert benjamini_hochberg([]) == []


def judged(variant, round_, values, outcome="finished", cold=False):
    readings = tuple(
        Reading(("Scroll", f"part {n}"), "average_rate", float(v)) for n, v in enumerate(values)
    )
    return JudgedRun(round_ * 10 + variant, variant, round_, cold, outcome, readings)


def test_the_same_build_twice_raises_almost_no_alarm():
    rng = np.random.default_rng(8)
    alarms = 0
    for _ in range(25):
        level = rng.uniform(20, 200, 40)
        runs = [
            judged(variant, n, level * np.exp(rng.normal(0, 0.05, 40)))
            for n in range(6)
            for variant in (0, 1)
        ]
        counts = judge(runs, ["A", "B"]).counts[1]
        alarms += counts["ahead"] + counts["behind"] > 0
    assert alarms <= 4


def test_correction_makes_a_lucky_difference_open_and_says_so():
    rng = np.random.default_rng(1)
    runs = [
        judged(variant, n, 100 * np.exp(rng.normal(0, 0.05, 300)))
        for n in range(6)
        for variant in (0, 1)
    ]
    rows = judge(runs, ["A", "B"]).rows
    said = [row for row in rows if ONLY_BY_CORRECTION in row.differences[1].caveats]
    assert said
    assert all(row.differences[1].verdict == "open" for row in said)


def test_cold_and_unfinished_runs_are_not_averaged_in():
    runs = [judged(0, 0, [1], cold=True), judged(1, 0, [1], cold=True)]
    runs += [judged(v, n, [100 + n]) for n in (1, 2, 3) for v in (0, 1)]
    runs.append(judged(1, 4, [5], outcome="crashed"))
    (row,) = judge(runs, ["A", "B"]).rows
    assert row.medians == (102, 102)


def test_the_answer_is_a_sentence_with_the_numbers():
    runs = [judged(v, n, [100 + 60 * v + n]) for n in range(1, 6) for v in (0, 1)]
    judgement = judge(runs, ["4.1", "4.2"])
    assert judgement.headline == "4.2 is ahead on 1 of 1, behind on none"
    assert judgement.rows[0].sentence.replace(text.THIN, " ") == (
        "average frame rate is 103 fps in 4.1; in 4.2 it is 163 fps: 57 to 59 % more "
        "(58 % more, 1.58 × the rate)."
    )


def test_percent_and_factor_are_never_confused():
    plain = {text.THIN: " ", text.MINUS: "-"}

    def read(text):
        for special, simple in plain.items():
            text = text.replace(special, simple)
        return text

    assert read(text.percent_noun(DURATION, 0.69)) == "31 % less time"
    assert read(text.times_as(DURATION, 0.69)) == "1.45 × as fast"
    assert read(text.times_as(RATE, 1.2)) == "1.20 × the rate"
    assert read(text.times_as(METRICS["peak_memory"], 1.3)) == "1.30 × as much memory"
    assert read(text.times_as(METRICS["evenness"], 1.99)) == "1.99 × as uneven"
    companions = METRICS["companions_processor"]
    assert read(text.times_as(companions, 1.996)) == "2.00 × as much processor time"
    assert read(text.quantity(DURATION, 0.0712)) == "71.2 ms"
    assert read(text.quantity(DURATION, 6.844)) == "6.84 s"
    assert read(text.signed(DURATION, -1.719)) == "-1.72 s"
    assert read(text.signed(STUTTER, 0.7)) == "+0.700 pt"
    assert read(text.quantity(METRICS["spikes"], 14.0)) == "14"


@pytest.mark.parametrize(
    ("value", "shown"),
    [(0.0996, "0.0996"), (9.996, "10.0"), (99.96, "100"), (1310.4, "1310"), (0, "0")],
)
def test_three_significant_digits(value, shown):
    assert text.significant(value) == shown


@pytest.mark.parametrize("variants", [2, 3, 4, 5, 6])
def test_variants_take_turns_in_a_balanced_order(variants):
    cycle = variants if variants % 2 == 0 else 2 * variants
    orders = [round_order(variants, n) for n in range(cycle)]
    assert all(sorted(order) == list(range(variants)) for order in orders)
    for place in range(variants):
        at_place = [order[place] for order in orders]
        assert len({at_place.count(v) for v in range(variants)}) == 1
    follows = [(o[i], o[i + 1]) for o in orders for i in range(variants - 1)]
    assert len({follows.count(pair) for pair in set(follows)}) == 1


def claimed(metric, baseline, candidate, side, amount):
    runs = [
        JudgedRun(
            10 * n + v, v, n, False, "finished", (Reading(("Open", "open"), metric, float(value)),)
        )
        for v, values in enumerate((baseline, candidate))
        for n, value in enumerate(values)
    ]
    (row,) = judge(runs, ["4.1", "4.2"]).rows
    return judge_claim(Claim(1, ("Open", "open"), metric, side, amount), row, ["4.1", "4.2"])


@pytest.mark.parametrize(
    ("candidate", "side", "amount", "judgement"),
    [
        (1.4, "at most", -20, "borne out"),
        (1.7, "at most", -20, "contradicted"),
        (1.6, "at most", -20, "not shown"),
        (2.6, "at least", 20, "borne out"),
        (2.1, "at most", 10, "borne out"),
        (2.4, "at most", 10, "contradicted"),
    ],
)
def test_a_claim_is_judged_by_the_interval(candidate, side, amount, judgement):
    a, b = noisy(2, 8, 1, 0.01), noisy(candidate, 8, 2, 0.01)
    found = claimed("duration", a, b, side, amount)
    assert found.judgement == judgement
    assert f"95{text.THIN}% interval" in found.because


@pytest.mark.parametrize(
    ("side", "amount", "says"),
    [
        ("at most", -20, "open is at least 20 % less in 4.2 than in 4.1"),
        ("at most", 10, "open is no more than 10 % more in 4.2 than in 4.1"),
        ("at least", 12.5, "open is at least 12.5 % more in 4.2 than in 4.1"),
        ("at least", -5, "open is no more than 5 % less in 4.2 than in 4.1"),
        ("at most", 0, "open is not more in 4.2 than in 4.1"),
        ("at least", 0, "open is not less in 4.2 than in 4.1"),
    ],
)
def test_a_claim_is_worded_as_people_say_it(side, amount, says):
    a, b = noisy(2, 4, 1), noisy(2, 4, 2)
    assert claimed("duration", a, b, side, amount).statement.replace(text.THIN, " ") == says


def test_a_claim_about_a_share_is_in_points():
    found = claimed("stutter_share", [0, 0, 0.1, 0], [9, 10, 9.5, 11], "at most", 2)
    assert found.judgement == "contradicted"
    assert "2 pt more" in found.statement.replace(text.THIN, " ")


def test_a_claim_without_enough_runs_is_not_shown():
    found = claimed("duration", [2], [1], "at most", -20)
    assert found.judgement == "not shown"
    assert "one run a side" in found.because


def by_hand(values, half_width, first_run=0):
    return [
        Sample(first_run + n, n, value, reaction_half_width=half_width)
        for n, value in enumerate(values)
    ]


def test_an_interval_by_hand_is_no_narrower_than_reactions_allow():
    sides = [10.0, 10.01, 9.99, 10.0], [9.5, 9.51, 9.49, 9.5]
    sure = compare(
        METRICS["duration"], by_hand(sides[0], 0), by_hand(sides[1], 0, 9), in_rounds=True
    )
    hand = compare(
        METRICS["duration"], by_hand(sides[0], 0.8), by_hand(sides[1], 0.8, 9), in_rounds=True
    )
    assert sure.verdict == "ahead"
    assert hand.verdict == "open"
    reach = math.hypot(0.8, 0.8) / 2
    assert hand.change == sure.change
    assert hand.change_high == pytest.approx(hand.change + reach, rel=0.01)
    assert any("known to ± 0.57 s" in doubt for doubt in hand.caveats)


def test_a_wide_spread_by_hand_stays_as_wide_as_it_is():
    sides = [10.0, 13.0, 8.0, 11.0], [9.5, 12.0, 10.0, 7.0]
    sure = compare(
        METRICS["duration"], by_hand(sides[0], 0), by_hand(sides[1], 0, 9), in_rounds=True
    )
    hand = compare(
        METRICS["duration"], by_hand(sides[0], 0.1), by_hand(sides[1], 0.1, 9), in_rounds=True
    )
    assert (hand.change_low, hand.change_high) == (sure.change_low, sure.change_high)


def test_runs_of_no_round_are_compared_unpaired_where_no_rounds_are_shared():
    measured = [Sample(n, n, 10 + 0.1 * n) for n in range(4)]
    brought = [Sample(20 + n, -1 - n, 8 + 0.1 * n) for n in range(4)]
    found = compare(METRICS["duration"], measured, brought, in_rounds=True)
    assert found.method == "Welch t"
    assert found.verdict == "ahead"
    alone = compare(METRICS["duration"], measured, brought[:1], in_rounds=True)
    assert alone.verdict == "open"


def test_a_name_says_its_step_where_that_says_more():
    assert text.qualified_label("1 % low", ("Scroll cloth", "scroll")) == "1 % low in Scroll cloth"
    assert text.qualified_label("open", ("Open", "open")) == "open"
    assert text.qualified_label("open", ("Open · 2000 rows", "open")) == "open in Open · 2000 rows"
    assert text.qualified_label("peak memory", ("Whole session",)) == "peak memory"
