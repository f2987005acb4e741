"""False calls that simulation found, each as the smallest study that shows it."""

import math
from dataclasses import replace

import numpy as np
import pytest
from hypothesis import assume, given, settings
from hypothesis import strategies as st

from core.one_row import samples
from core.studies import OPEN, SCROLL, WHOLE, judged, names, runs_of
from core.test_decision import near
from yardstick_core.calibration.cells import SCENARIOS, calibrate_cell
from yardstick_core.compare.composite import Part, together
from yardstick_core.compare.contributions import breakdowns
from yardstick_core.compare.decision import decide_study
from yardstick_core.compare.difference import compare
from yardstick_core.compare.materiality import MaterialityRule, MaterialityRules
from yardstick_core.compare.multiplicity import DECIDING, MAIN, OTHER, DifferenceTest, stands
from yardstick_core.compare.profiles import BROKEN, KEPT, UNKNOWN, Limit, Profile, Weight, advise
from yardstick_core.compare.study import judge
from yardstick_core.plan import Plan, next_step
from yardstick_core.readings import METRICS
from yardstick_core.readings.metric import reported_metric_key

DURATION, RATE, STUTTER, SPIKES, PROCESSES, INSTALLED = (
    METRICS[key]
    for key in (
        "duration", "average_rate", "stutter_share", "spikes", "processes", "installed",
    )
)  # fmt: skip
COUNTED = reported_metric_key("rows", higher_is_better=False)
OPPOSITE = {"ahead": "behind", "behind": "ahead", "level": "level", "open": "open"}


# -- a change from 0, and readings that are no numbers ------------------------------------


@pytest.mark.parametrize(
    ("metric", "a", "b"),
    [
        (COUNTED, [0] * 5, [3] * 5),
        ("evenness", [0.0] * 5, [1.2, 1.3, 1.1, 1.2, 1.25]),
        ("evenness", [0.0] * 5, [0.0] * 5),
        ("disk_written", [0.0, 0.0, 4.0, 0.0], [0.0, 9.0, 8.0, 0.0]),
    ],
)
def test_a_change_from_nothing_is_judged_with_all_the_rest(metric, a, b):
    times = (OPEN, "duration")
    found = judged([{(SCROLL, metric): a, times: near(2)}, {(SCROLL, metric): b, times: near(1)}])
    verdicts = {row.metric.key: row.differences[1].verdict for row in found.rows}
    assert verdicts["duration"] == "ahead"
    assert verdicts[metric] in OPPOSITE


def test_any_difference_matters_where_the_study_says_so():
    terms = MaterialityRules([MaterialityRule("spikes", amount=0.0)])
    sides = [{(SCROLL, "spikes"): [2, 3, 2, 3, 2, 3]}, {(SCROLL, "spikes"): [9, 8, 9, 8, 9, 8]}]
    (row,) = judged(sides, terms=terms).rows
    assert row.differences[1].verdict == "behind"
    assert row.differences[1].band == 0


def test_a_reading_that_is_no_number_is_left_out_and_said():
    times, rate = (OPEN, "duration"), (SCROLL, "average_rate")
    sides = [
        {times: near(2), rate: [math.nan, *near(60, 7)]},
        {times: near(1), rate: [*near(60, 7), math.inf]},
    ]
    rows = {row.metric.key: row for row in judged(sides).rows}
    assert rows["duration"].differences[1].verdict == "ahead"
    assert len(rows["average_rate"].samples[0]) == 7
    assert "no number" in rows["average_rate"].warnings[0]


def test_what_cannot_be_worked_out_stops_nothing_else(monkeypatch):
    from yardstick_core.compare import difference, estimate

    def fails(metric, levels, *, on_logs):
        if metric.key == "average_rate":
            raise ZeroDivisionError("division by zero")
        return 0.03

    monkeypatch.setattr(estimate, "materiality", fails)
    times, rate = (OPEN, "duration"), (SCROLL, "average_rate")
    sides = [{times: near(2), rate: near(60)}, {times: near(1), rate: near(50)}]
    verdicts = {row.metric.key: row.differences[1] for row in judged(sides).rows}
    assert verdicts["duration"].verdict == "ahead"
    assert verdicts["average_rate"].verdict == "open"
    assert "cannot be judged" in verdicts["average_rate"].caveats[-1]
    assert verdicts["average_rate"].method == difference.NO_INTERVAL


# -- how many were looked at -----------------------------------------------------------------


def test_many_differences_too_small_to_matter_do_not_loosen_the_limit():
    """30 rates 1 % better at noise 0.3 % made half of the studies call one of 20 that are equal."""
    alarms = 0
    for seed in range(40):
        rng = np.random.default_rng(seed)
        sides = []
        for better in (1.0, 1.01):
            small = {
                (("Step", f"small {n}"), "average_rate"): near(100 * better, 5, [seed, n], 0.003)
                for n in range(30)
            }
            equal = {
                (("Step", f"equal {n}"), "average_rate"): 100 * np.exp(rng.normal(0, 0.08, 5))
                for n in range(20)
            }
            sides.append({**small, **equal})
        counts = judged(sides).counts[1]
        alarms += counts["ahead"] + counts["behind"] > 0
    assert alarms <= 6


def test_what_decides_has_the_whole_level_and_the_rest_what_it_hands_on():
    decides, main, other = (DifferenceTest(step, 1, 0.01) for step in (DECIDING, MAIN, OTHER))
    assert stands([decides, main, other], 0.05) == [True, True, True]
    unsure = replace(decides, p=0.2)
    assert stands([unsure, main, other], 0.05) == [False, False, False]
    assert stands([replace(unsure, level=True), main], 0.05) == [False, True]
    assert stands([unsure, replace(main, p=0.001)], 0.05) == [False, True]


def test_what_decides_is_judged_by_itself_among_many_metrics():
    """p of 0.03, one of 40 metrics: it stands where the question is about it, and only there."""
    noise = [
        {(("Step", f"part {n}"), "average_rate"): near(100, 6, [side, n], 0.05) for n in range(40)}
        for side in (2, 3)
    ]
    asked = (OPEN, "duration")
    first = {asked: [2.0, 2.2, 1.9, 2.1, 2.0, 2.15], **noise[0]}
    second = {asked: [1.78, 1.72, 1.82, 1.75, 1.66, 2.0], **noise[1]}

    def verdict(deciding):
        rows = judged([first, second], deciding=deciding).rows
        return next(row for row in rows if row.metric.key == "duration").differences[1].verdict

    assert verdict([("duration", OPEN)]) == "ahead"
    assert verdict([]) == "open"


def test_an_echo_is_shown_and_not_counted():
    low, p99 = near(30, seed=1), near(40, seed=2)
    sides = [
        {(SCROLL, "one_percent_low"): low, (SCROLL, "p99_rate"): p99},
        {(SCROLL, "one_percent_low"): 2 * low, (SCROLL, "p99_rate"): 2 * p99},
    ]
    found = judged(sides)
    assert [row.echo_of for row in found.rows] == ["", "one_percent_low"]
    assert {row.differences[1].verdict for row in found.rows} == {"ahead"}
    assert found.counts[1]["ahead"] == 1
    alone = judged([{key: side[key] for key in list(side)[1:]} for side in sides])
    assert (alone.rows[0].echo_of, alone.counts[1]["ahead"]) == ("", 1)


# -- whole numbers and rare events -----------------------------------------------------------


def test_a_count_that_happens_not_to_vary_is_not_known_to_the_last_unit():
    few = compare(PROCESSES, samples([4] * 3), samples([5] * 3), in_rounds=True)
    assert few.verdict == "open"
    assert few.change_low < 0 < few.change_high
    five = compare(PROCESSES, samples([4] * 5), samples([6] * 5), in_rounds=True)
    assert five.verdict == "behind"
    assert five.change_high - five.change_low > 0.9
    same = compare(PROCESSES, samples([4] * 5), samples([4] * 5), in_rounds=True)
    assert same.verdict == "level"


@pytest.mark.parametrize("in_rounds", [True, False])
def test_no_event_in_a_few_runs_is_not_level(in_rounds):
    """A quarter of hitchy runs shows none in 24 of 100 studies of five runs."""
    few = compare(STUTTER, samples([0] * 5), samples([0] * 5), in_rounds=in_rounds)
    assert (few.verdict, few.undecided) == ("open", "no_events")
    assert "5 runs a side cannot rule out" in few.caveats[-1]
    many = compare(STUTTER, samples([0] * 11), samples([0] * 11), in_rounds=in_rounds)
    assert many.verdict == "level"


def test_few_events_are_too_few_to_compare_and_none_is_taken_for_warming_up():
    found = compare(SPIKES, samples([9, 0, 0, 0, 0]), samples([0] * 5), in_rounds=True)
    assert (found.verdict, found.undecided, found.excluded_runs) == ("open", "few_events", ())
    late = samples([100, 100, 90, 100, 100])
    on_target = compare(METRICS["on_target_60"], samples([100] * 5), late, in_rounds=True)
    assert on_target.undecided == "few_events"


def test_many_events_on_one_side_alone_are_called():
    found = compare(STUTTER, samples([0] * 5), samples([6, 7, 5, 8, 6]), in_rounds=True)
    assert found.verdict == "behind"
    assert found.change_low < 6.4 < found.change_high


def test_a_plan_does_not_wait_for_events_that_never_come():
    sides = [
        {(SCROLL, "stutter_share"): [0] * 5, (OPEN, "duration"): near(level, 5)} for level in (2, 1)
    ]
    assert (
        next_step(Plan(), 5, judged(sides)).reason == "after 5 rounds every main metric is decided"
    )


@pytest.mark.parametrize(
    ("scenario", "runs", "most"),
    [
        ("warm-up of one side", 8, 0.10),
        ("spread 1 % and 15 %", 8, 0.06),
        ("stutter in 15 % of runs", 8, 0.06),
        ("12 or 13 processes", 5, 0.06),
    ],
)
@pytest.mark.parametrize("method", ["within rounds", "unpaired"])
def test_the_same_build_raises_few_alarms_whatever_its_readings_are_like(
    scenario, runs, most, method
):
    (one,) = [one for one in SCENARIOS if one.name == scenario]
    cell = calibrate_cell(method, one, runs, 150)
    assert cell.false_alarms <= most
    assert math.isnan(cell.coverage) or cell.coverage >= 0.9
    assert cell.wrongly_level <= 0.05


def test_wild_runs_cost_little_power():
    """One in ten differences is far off; 10 % more was found in 71 % of studies of eight rounds."""
    (one,) = [one for one in SCENARIOS if one.name == "5 % outliers"]
    assert calibrate_cell("within rounds", one, 12, 200).power[2] > 0.78


# -- sides, forms and words ------------------------------------------------------------------

values = st.floats(0.01, 1000, allow_nan=False)
both = st.integers(2, 9).flatmap(
    lambda n: st.tuples(st.lists(values, min_size=n, max_size=n),
                        st.lists(values, min_size=n, max_size=n))
)  # fmt: skip


@settings(max_examples=150)
@given(
    both,
    st.sampled_from(["duration", "average_rate", "threads", "peak_memory", "stutter_share"]),
    st.booleans(),
)
def test_which_side_is_the_baseline_does_not_matter(pair, key, in_rounds):
    metric = METRICS[key]
    a, b = map(samples, pair)
    one = compare(metric, a, b, in_rounds=in_rounds)
    other = compare(metric, b, a, in_rounds=in_rounds)
    if one.method == "no interval":
        assert other.method == "no interval"
        return
    assert other.verdict == OPPOSITE[one.verdict]
    assert other.gain == pytest.approx(-one.gain, rel=1e-6, abs=1e-9)
    assert other.band == pytest.approx(one.band, rel=1e-6)
    assert other.change == pytest.approx(-one.change, rel=1e-6, abs=1e-9)


def test_ninety_milliseconds_are_noticed_by_nobody_whichever_way():
    quick, slow = samples(near(0.060, 8, 1)), samples(near(0.150, 8, 2))
    assert compare(DURATION, slow, quick, in_rounds=True).verdict == "level"
    assert compare(DURATION, quick, slow, in_rounds=True).verdict == "level"
    slower = samples(near(0.180, 8, 3))
    assert compare(DURATION, slower, quick, in_rounds=True).verdict == "ahead"
    assert compare(DURATION, quick, slower, in_rounds=True).verdict == "behind"


@settings(max_examples=100)
@given(both)
def test_all_forms_of_a_difference_say_the_same(pair):
    found = compare(DURATION, *map(samples, pair), in_rounds=True)
    assume(found.method != "no interval")
    for change, ratio in (
        (found.change, found.ratio),
        (found.change_low, found.ratio_low),
        (found.change_high, found.ratio_high),
    ):
        assert (change > 0) == (ratio > 1) or change == pytest.approx(0, abs=1e-9)


def test_a_small_part_of_a_large_amount_does_not_matter():
    found = compare(INSTALLED, samples([812.0] * 5), samples([812.3] * 5), in_rounds=True)
    assert found.verdict == "level"
    many = compare(METRICS["handles"], samples([4000] * 6), samples([4030] * 6), in_rounds=True)
    assert many.verdict == "level"


# -- decisions -------------------------------------------------------------------------------


def test_a_plan_says_that_readings_without_an_end_keep_it_open():
    runs = runs_of([{(OPEN, "duration"): near(2, 5, 1)}, {(OPEN, "duration"): near(2, 5, 2)}])
    endless = [
        replace(
            run, readings=tuple(replace(r, right_censored=run.variant == 1) for r in run.readings)
        )
        for run in runs
    ]
    reason = next_step(Plan(), 5, judge(endless, names(2))).reason
    assert "no sensible number" not in reason
    assert "never reached their end" in reason


def ended(values, longer):
    return samples(values, [n for n, value in enumerate(values) if value >= longer])


@pytest.mark.parametrize(
    ("other", "why"),
    [([1000] * 8, "never_reached"), ([300, 310, 1000, 1000] * 2, "unknown_limits")],
)
def test_of_readings_that_are_only_known_to_be_longer_nothing_is_claimed(other, why):
    """Neither `inf % more`, nor an average that is 0 × as good."""
    waited = METRICS["key_to_picture"]
    found = compare(waited, ended([1000] * 8, 1000), ended(other, 1000), in_rounds=True)
    assert (found.verdict, found.undecided) == ("open", why)
    said = (found.change_text, found.percent_text, found.factor_text, found.interval_text)
    assert said == ("", "", "", "")
    assert math.isnan(found.gain)
    assert "known only to be longer" in found.caveats[-1]


def test_what_is_known_on_one_side_is_said():
    waited, quick = METRICS["key_to_picture"], ended([300 + n for n in range(8)], 1000)
    slow = compare(waited, quick, ended([1000] * 8, 1000), in_rounds=True)
    assert slow.verdict == "behind"
    assert slow.range_text.startswith("at least")
    mixed = compare(waited, quick, ended([301, 302, 303, 304, *[1000] * 4], 1000), in_rounds=True)
    assert mixed.verdict == "open"
    assert mixed.range_text.endswith("less upwards")


def test_an_average_with_a_metric_that_is_only_longer_is_not_known():
    """In which the other metrics are told apart all the same."""
    sides = [{(OPEN, "duration"): near(at, 8, at), (SCROLL, "key_to_picture"): [1000.0] * 8}
             for at in (2, 1)]  # fmt: skip
    endless = [
        replace(run, readings=tuple(
            replace(r, right_censored=r.metric == "key_to_picture") for r in run.readings
        ))
        for run in runs_of(sides)
    ]  # fmt: skip
    decision = decide_study(judge(endless, names(2)), names(2), 0, [])
    (average,) = [one for one in decision.together if one is not None]
    assert (average.gain, average.no_interval) == (None, "never_reached")
    places = dict(zip((row.metric.key for row in decision.main), decision.ranking.places,
                      strict=True))  # fmt: skip
    assert places["duration"] == (2, 1)
    assert places["key_to_picture"] is None


@pytest.mark.parametrize(
    ("change", "state"), [(1.05, KEPT), (1.10, KEPT), (1.60, BROKEN), (1.21, UNKNOWN)]
)
def test_a_limit_with_a_tolerance_is_broken_only_beyond_it(change, state):
    memory = (WHOLE, "peak_memory")
    sides = [{memory: near(100, 8, 1, 0.01)}, {memory: near(100 * change, 8, 2, 0.01)}]
    profile = Profile(
        "Calm", weights=(Weight("peak_memory", WHOLE),),
        limits=(Limit("peak_memory", WHOLE, tolerance=20),),
    )  # fmt: skip
    (score,) = advise(profile, judged(sides), names(2), 0).scores
    assert score.limits[0].state == state


def test_a_part_that_a_run_has_no_reading_of_is_not_nothing():
    whole, part = (OPEN, "duration"), (("Open", "open", "read"), "duration")
    read = [1.0, 1.1, 0.9, 1.0, None, 1.05]
    sides = [
        {whole: [2.0] * 6, part: [1.0] * 6},
        {whole: [2.0] * 6, part: read},
    ]
    (found,) = breakdowns(judged(sides).rows, 0, 1)
    assert found.parts[0].candidate == pytest.approx(np.mean([v for v in read if v]))


def test_a_metric_in_its_own_unit_counts_for_no_more_than_twice_as_good():
    growth = (WHOLE, "memory_growth")
    sides = [{growth: near(60, 6, 1)}, {growth: np.zeros(6) + np.linspace(-0.01, 0.01, 6)}]
    (row,) = judged(sides).rows
    found = together([Part(row)], 0, 1, in_rounds=True, alpha=0.05)
    assert 1.5 < math.exp(found.gain.estimate) <= 2.0
