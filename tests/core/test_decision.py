"""Places, means, contributions, trade-offs and recommendations: hand-computed and simulated."""

import math
from dataclasses import replace

import numpy as np
import pytest

from core.studies import OPEN, SCROLL, WHOLE, judged, names, runs_of
from yardstick_core.compare.composite import (
    Part,
    geometric_mean,
    geometric_mean_in_general,
    together,
)
from yardstick_core.compare.contributions import breakdowns
from yardstick_core.compare.decision import decide_study
from yardstick_core.compare.intervals import Interval
from yardstick_core.compare.materiality import MaterialityRule, MaterialityRules
from yardstick_core.compare.profiles import Limit, Profile, Weight, advise
from yardstick_core.compare.ranking import ranking
from yardstick_core.compare.runs import JudgedRun
from yardstick_core.compare.study import judge
from yardstick_core.compare.text import MINUS, THIN
from yardstick_core.compare.tradeoff import fieller, trade_offs

TIME, RATE, LOW = (OPEN, "duration"), (SCROLL, "average_rate"), (SCROLL, "one_percent_low")
COST, MEMORY = (OPEN, "processor_seconds"), (WHOLE, "peak_memory")


def near(level, n=8, seed=1, share=0.01):
    return level * np.exp(np.random.default_rng(seed).normal(0, share, n))


def plain(text):
    return text.replace(THIN, " ").replace(MINUS, "-")


def places(sides):
    judgement = judged(sides)
    return ranking(judgement.rows, len(sides), in_rounds=True, alpha=0.05)


def test_places_count_who_beats_whom_and_ties_share_one():
    found = places([{TIME: near(2, seed=1)}, {TIME: near(2, seed=2)}, {TIME: near(1.2, seed=3)}])
    assert found.places == ((2, 2, 1),)
    assert [one.points for one in found.standings] == [2, 2, 1]
    assert [one.firsts for one in found.standings] == [0, 0, 1]
    assert found.standings[2].beats == (1, 1, 0)


def test_ties_are_not_transitive_and_so_places_are_given_one_by_one():
    """The middle one is too near to either side; the outer two are apart."""
    a, b, c = (near(v, seed=n, share=0.004) for n, v in enumerate((2.0, 1.95, 1.90)))
    found = places([{RATE: 100 / a}, {RATE: 100 / b}, {RATE: 100 / c}])
    assert found.places == ((2, 1, 1),)


def mixed_rig_exclusions(judgement, candidate=1):
    """A judgement in which every verdict on a candidate is held back."""
    rows = []
    for row in judgement.rows:
        differences = list(row.differences)
        differences[candidate] = replace(
            differences[candidate], verdict="open", verdict_withheld=True
        )
        rows.append(replace(row, differences=tuple(differences)))
    return replace(judgement, rows=tuple(rows))


def test_what_is_held_back_is_neither_ranked_nor_recommended_nor_left_to_more_rounds():
    sides = [{TIME: near(2, seed=1)}, {TIME: near(1.2, seed=2)}, {TIME: near(1.5, seed=3)}]
    profile = Profile("P", weights=(Weight("duration", OPEN),))
    free = decide_study(judged(sides), names(3), 0, [profile])
    assert free.advice[0].recommendation == "take"
    held = decide_study(mixed_rig_exclusions(judged(sides[:2])), names(2), 0, [profile])
    (advice,) = held.advice
    assert advice.recommendation == "no recommendation"
    assert "4.2 is held back, for it was not measured alike" in advice.sentence
    assert advice.scores[0].runs_to_decide is None
    assert held.ranking.places == (None,)
    assert held.together == (None, None)
    assert [(one.verdict_withheld, one.rounds) for one in held.unsettled] == [(True, None)]
    other = decide_study(mixed_rig_exclusions(judged(sides)), names(3), 0, [profile])
    assert other.together[1] is None
    assert other.together[2] is not None
    assert other.advice[0].variants == (2,)


def test_a_metric_without_readings_of_all_variants_is_not_ranked():
    found = places([{TIME: near(2), RATE: near(60)}, {TIME: near(1)}])
    assert found.places == ((2, 1), None)
    assert [one.points for one in found.standings] == [2, 1]


def test_the_same_build_four_times_shares_the_first_place_nearly_always():
    beaten = 0
    for seed in range(60):
        sides = [{TIME: near(2, 6, seed=10 * seed + v, share=0.05)} for v in range(4)]
        beaten += places(sides).places != ((1, 1, 1, 1),)
    assert beaten <= 6


def test_metrics_of_one_run_are_taken_together_within_the_run():
    """Times that double as rates fall by half: the mean gain is their geometric mean.

    Times this long, that 3 % is what matters of both; shorter ones are counted below.
    """
    sides = [
        {TIME: near(20, seed=1), RATE: near(60, seed=2)},
        {TIME: near(10, seed=3), RATE: near(120, seed=4)},
    ]
    rows = judged(sides).rows
    found = together([Part(row) for row in rows], 0, 1, in_rounds=True, alpha=0.05)
    assert math.exp(found.gain.estimate) == pytest.approx(2, rel=0.02)
    heavier = [Part(rows[0], 3), Part(rows[1], 0.0001)]
    alone = together(heavier, 0, 1, in_rounds=True, alpha=0.05)
    assert alone.gain.estimate == pytest.approx(rows[0].differences[1].gain, rel=0.01)


def test_what_nobody_would_notice_decides_for_nobody():
    """56 ms more of 36 ms is 2.6 times as long and too little to notice; 25 % smoother is not."""
    sides = [
        {TIME: near(0.036, seed=1, share=0.1), RATE: near(60, seed=2)},
        {TIME: near(0.092, seed=3, share=0.1), RATE: near(75, seed=4)},
    ]
    judgement = judged(sides)
    time, rate = judgement.rows
    assert time.differences[1].verdict == "level"
    timing, both = (
        advise(Profile("P", weights=weights), judgement, names(2), 0)
        for weights in (
            (Weight("duration", OPEN),),
            (Weight("duration", OPEN), Weight("average_rate", SCROLL)),
        )
    )
    assert plain(timing.sentence) == "stay with 4.1: 4.2 is level"
    assert timing.scores[0].band == pytest.approx(time.differences[1].band)
    assert timing.scores[0].gain == pytest.approx(time.differences[1].gain)
    assert both.recommendation == "take"
    band = time.differences[1].band
    half = (math.log(1.03) / band * time.differences[1].gain + rate.differences[1].gain) / 2
    assert both.scores[0].gain == pytest.approx(half, rel=0.05)


@pytest.mark.parametrize("amount", [None, 0.0, 0.05, 0.4, 2.0])
@pytest.mark.parametrize("time", [0.04, 0.3, 2.0, 30.0])
@pytest.mark.parametrize("ratio", [1.0, 0.9, 1.3, 0.4])
def test_a_profile_of_one_metric_says_what_the_board_says(amount, time, ratio):
    terms = MaterialityRules([MaterialityRule("duration", amount=amount, share=0.03)])
    sides = [{TIME: near(time, seed=1)}, {TIME: near(time * ratio, seed=2)}]
    judgement = judge(runs_of(sides), names(2), terms=terms)
    (advice,) = decide_study(
        judgement, names(2), 0, [Profile("P", weights=(Weight("duration", OPEN),))]
    ).advice
    assert advice.scores[0].verdict == judgement.rows[0].differences[1].verdict


def test_where_any_difference_matters_a_profile_says_so_too():
    terms = MaterialityRules([MaterialityRule("duration", amount=0.0, share=0.0)])
    sides = [{TIME: near(2, share=0.001)}, {TIME: near(2 / 1.01, seed=2, share=0.001)}]
    judgement = judge(runs_of(sides), names(2), terms=terms)
    assert judgement.rows[0].differences[1].verdict == "ahead"
    profile = Profile("P", weights=(Weight("duration", OPEN),))
    assert advise(profile, judgement, names(2), 0).recommendation == "take"


def test_metrics_that_move_together_are_not_taken_for_independent():
    """The same reading ten times says no more than once: the interval must not shrink."""
    rng = np.random.default_rng(5)
    a, b = 2 * np.exp(rng.normal(0, 0.05, 8)), 1.9 * np.exp(rng.normal(0, 0.05, 8))
    sides = [{((f"S{n}", "t"), "duration"): side for n in range(10)} for side in (a, b)]
    rows = judged(sides).rows
    many = together([Part(row) for row in rows], 0, 1, in_rounds=True, alpha=0.05).gain
    one = together([Part(rows[0])], 0, 1, in_rounds=True, alpha=0.05).gain
    assert many.high - many.low == pytest.approx(one.high - one.low, rel=1e-9)


def test_rounds_on_two_machines_are_not_weighed_together():
    runs = [
        replace(run, rig="barn" if run.variant and run.round == 3 else "loft")
        for run in runs_of([{TIME: near(2)}, {TIME: near(1)}])
    ]
    (row,) = judge(runs, names(2)).rows
    found = together([Part(row)], 0, 1, in_rounds=True, alpha=0.05)
    assert len(found.pairs) == 7


def test_the_geometric_mean_over_sessions_is_that_of_satterthwaite():
    sessions = [
        Interval(0.2, 0, 0, 0, "", spread=0.03, df=7), Interval(0.1, 0, 0, 0, "", spread=0.04, df=4)
    ]  # fmt: skip
    found = geometric_mean(sessions)
    assert found.estimate == pytest.approx(0.15)
    assert found.spread == pytest.approx(0.025)
    assert found.df == pytest.approx(0.0025**2 / (0.0009**2 / 7 + 0.0016**2 / 4))
    general = geometric_mean_in_general([0.2, 0.1, 0.15])
    assert general.estimate == pytest.approx(0.15)
    assert general.high - general.estimate == pytest.approx(4.303 * 0.05 / math.sqrt(3), rel=1e-3)
    assert geometric_mean_in_general([0.2, 0.1]) is None


def test_the_mean_over_sessions_covers_the_truth():
    rng = np.random.default_rng(3)
    held = 0
    for _ in range(400):
        sessions = []
        for spread, n in ((0.02, 5), (0.08, 8), (0.04, 6)):
            values = rng.normal(0.1, spread, n)
            error = values.std(ddof=1) / math.sqrt(n)
            sessions.append(Interval(values.mean(), 0, 0, 0, "", spread=error, df=n - 1))
        held += geometric_mean(sessions).contains(0.1)
    assert 0.92 <= held / 400 <= 0.985


PARTS = [(("Open", "open", name), "duration") for name in ("read", "draw")]


def test_contributions_add_up_exactly_and_name_what_got_slower():
    rng = np.random.default_rng(2)
    read_a, draw_a, rest = (rng.normal(m, 0.05, 8) for m in (2.0, 0.4, 0.3))
    read_b, draw_b = read_a - 1.2 + rng.normal(0, 0.02, 8), draw_a + 0.5
    sides = [
        {TIME: read + draw + rest, PARTS[0]: read, PARTS[1]: draw}
        for read, draw in ((read_a, draw_a), (read_b, draw_b))
    ]
    judgement = judged(sides)
    (found,) = breakdowns(judgement.rows, 0, 1)
    assert [part.label for part in found.parts] == ["read", "draw", "the rest"]
    assert sum(part.change for part in found.parts) == pytest.approx(found.change, abs=1e-12)
    assert found.change == pytest.approx(judgement.rows[0].differences[1].change, rel=0.03)
    assert found.parts[0].change == pytest.approx(-1.2, abs=0.03)
    assert found.parts[1].change == pytest.approx(0.5)
    assert found.parts[1].low > 0
    assert sum(part.share for part in found.parts) == pytest.approx(1)


def test_a_part_that_one_side_lacks_is_named_as_such():
    sides = [
        {TIME: near(2), PARTS[0]: near(1.9)},
        {TIME: near(2.5), PARTS[0]: near(1.9), PARTS[1]: near(0.5)},
    ]
    (found,) = breakdowns(judged(sides).rows, 0, 1)
    draw = next(part for part in found.parts if part.label == "draw")
    assert (draw.only_in, draw.baseline) == ("candidate", 0)
    assert sum(part.change for part in found.parts) == pytest.approx(found.change)


def test_a_frame_rate_lead_that_comes_from_quiet_time_is_seen():
    busy, quiet = (SCROLL, "busy_rate"), (SCROLL, "quiet_rate")
    sides = [
        {RATE: near(60) + 10, busy: near(60), quiet: [10.0] * 8},
        {RATE: near(60) + 60, busy: near(60), quiet: [60.0] * 8},
    ]
    (found,) = breakdowns(judged(sides).rows, 0, 1)
    shares = {part.label: part.share for part in found.parts}
    assert shares["while quiet"] == pytest.approx(1)
    assert shares["while busy"] == pytest.approx(0, abs=1e-9)


def test_the_session_is_split_by_its_steps():
    step = "step_time"
    sides = [
        {(("Open",), step): near(2), (("Scroll",), step): [3.0] * 8, (WHOLE, step): near(2) + 3},
        {(("Open",), step): near(1), (("Scroll",), step): [3.0] * 8, (WHOLE, step): near(1) + 3},
    ]
    (found,) = breakdowns(judged(sides).rows, 0, 1)
    assert [part.label for part in found.parts] == ["Open", "Scroll"]
    assert found.parts[0].change == pytest.approx(found.change)


def test_a_gain_bought_with_processor_time_says_its_price():
    sides = [
        {TIME: near(4, seed=1), COST: near(4, seed=2)},
        {TIME: near(2, seed=3), COST: near(7, seed=4)},
    ]
    (found,) = trade_offs(judged(sides).rows, names(2), 0, 1)
    assert found.per_second == pytest.approx(1.5, rel=0.05)
    assert found.low < 1.5 < found.high
    assert plain(found.sentence).startswith("4.2 gains 2.0")
    assert "for each second gained" in found.sentence


@pytest.mark.parametrize(
    ("time", "cost", "says"),
    [
        (2, 3, "and saves 1.0"),
        (6, 5, "and uses "),
        (6, 3, "but saves 1.0"),
        (2, 4, "at no clear cost of processor time"),
        (4, 6, "with no clear difference in time"),
        (4, 4, "neither time nor cost"),
    ],
)
def test_every_kind_of_trade_has_its_text(time, cost, says):
    sides = [
        {TIME: near(4, seed=1), COST: near(4, seed=2, share=0.02)},
        {TIME: near(time, seed=3), COST: near(cost, seed=4, share=0.02)},
    ]
    (found,) = trade_offs(judged(sides).rows, names(2), 0, 1)
    assert says in plain(found.sentence)


def test_the_ratio_of_two_means_covers_the_truth():
    rng = np.random.default_rng(1)
    held = 0
    for _ in range(500):
        below, above = rng.normal(2, 0.5, 8), rng.normal(3, 0.6, 8)
        _, low, high = fieller(above, below)
        held += low <= 1.5 <= high
    assert 0.925 <= held / 500 <= 0.98
    assert fieller(np.array([1.0, 2, 3]), np.array([1.0, -1, 0.5]))[2] == math.inf


BETTER = [
    {TIME: near(2, seed=1), LOW: near(50, seed=2)},
    {TIME: near(1.2, seed=3), LOW: near(50, seed=4)},
    {TIME: near(1.0, seed=5), LOW: near(30, seed=6)},
]
OPENERS = Profile("Openers", weights=(Weight("duration", OPEN),))
CALM = (Limit("one_percent_low", SCROLL),)


def advice(profile, sides, **options):
    return advise(profile, judged(sides, **options), names(len(sides)), 0)


def test_without_limits_the_largest_gain_is_taken():
    found = advice(OPENERS, BETTER)
    assert (found.recommendation, found.variants) == ("take", (2,))
    assert plain(found.sentence).startswith("take 5.0: 2.")
    assert any(reason.text.startswith("for 5.0: open") for reason in found.reasons)


def test_a_broken_limit_rules_a_candidate_out():
    found = advice(Profile("Calm", weights=OPENERS.weights, limits=CALM), BETTER)
    assert (found.recommendation, found.variants) == ("take", (1,))
    states = {score.variant: score.limits[0].state for score in found.scores}
    assert states == {1: "kept", 2: "broken"}


def test_a_candidate_that_surely_fails_more_often_is_recommended_to_nobody():
    runs = runs_of(BETTER[:2])
    crashed = [JudgedRun(900 + n, 1, 50 + n, False, "crashed", ()) for n in range(12)]
    found = advise(OPENERS, judge(runs + crashed, names(2)), names(2), 0)
    assert (found.recommendation, found.variants) == ("stay", (0,))
    assert "4.2 is ahead, but it fails more often than chance explains" in found.sentence
    assert found.scores[0].failing
    rare = advise(OPENERS, judge(runs + crashed[:1], names(2)), names(2), 0)
    assert rare.recommendation == "take"


def test_when_no_candidate_is_better_the_baseline_stays():
    sides = [{TIME: near(2, seed=1)}, {TIME: near(2.6, seed=2)}]
    found = advice(OPENERS, sides)
    assert (found.recommendation, found.variants) == ("stay", (0,))
    assert "4.2 is behind" in found.sentence


def test_evidence_that_does_not_carry_gives_no_recommendation():
    rng = np.random.default_rng(1)
    sides = [{TIME: 2 * np.exp(rng.normal(0, 0.3, 4))} for _ in range(2)]
    found = advice(OPENERS, sides)
    assert (found.recommendation, found.variants) == ("no recommendation", ())
    assert "not known well enough" in found.sentence


def test_a_limit_that_is_not_known_holds_the_recommendation_back():
    noisy = [{LOW: 50 * np.exp(np.random.default_rng(s).normal(0, 0.4, 5))} for s in (1, 2)]
    sides = [{TIME: near(2, 5), **noisy[0]}, {TIME: near(1, 5), **noisy[1]}]
    found = advice(Profile("Calm", weights=OPENERS.weights, limits=CALM), sides)
    assert found.recommendation == "no recommendation"
    assert "whether 1 % low in Scroll gets worse is open" in plain(found.sentence)


def test_a_tolerance_lets_a_small_loss_pass():
    sides = [
        {TIME: near(2, seed=1), MEMORY: near(100, seed=2)},
        {TIME: near(1, seed=3), MEMORY: near(108, seed=4)},
    ]
    for tolerance, state in ((None, "broken"), (15.0, "kept")):
        limit = Limit("peak_memory", WHOLE, tolerance)
        found = advice(Profile("P", weights=OPENERS.weights, limits=(limit,)), sides)
        assert found.scores[0].limits[0].state == state


def test_two_good_ones_that_cannot_be_told_apart_are_both_named():
    sides = [{TIME: near(2, seed=1)}, {TIME: near(1, seed=2)}, {TIME: near(1, seed=3)}]
    found = advice(OPENERS, sides)
    assert sorted(found.variants) == [1, 2]
    assert "too close to call between them" in found.sentence


def test_what_was_never_read_gives_no_recommendation():
    found = advice(Profile("P", weights=(Weight("duration", ("Close", "close")),)), BETTER)
    assert found.recommendation == "no recommendation"
    assert "no run has a reading" in found.sentence
    assert advice(Profile("P"), BETTER).sentence == "nothing counts in this profile yet"


def test_a_held_verdict_recommends_nothing():
    runs = runs_of(BETTER[:2])
    moved = [
        run.__class__(
            run.run, run.variant, run.round, False, "finished", run.readings,
            rig="barn" if run.variant else "loft",
        )
        for run in runs
    ]  # fmt: skip
    found = advise(OPENERS, judge(moved, names(2)), names(2), 0)
    assert found.recommendation == "no recommendation"


def test_a_profile_recommends_a_worse_one_almost_never():
    """The same build as candidate: with 5 % noise a recommendation to take it is an error."""
    taken = 0
    for seed in range(200):
        rng = np.random.default_rng(seed)
        sides = [{TIME: 2 * np.exp(rng.normal(0, 0.05, 6))} for _ in range(2)]
        taken += advice(OPENERS, sides).recommendation == "take"
    assert taken <= 12


def test_terms_of_one_stretch_stand_above_those_of_all():
    terms = MaterialityRules(
        [
            MaterialityRule("duration", (), share=0.5),
            MaterialityRule("duration", OPEN, counts=False),
        ]
    )
    assert not terms.metric("duration", OPEN).judged
    assert terms.metric("duration", OPEN).material_share == 0.5
    assert terms.metric("duration", ("Close", "close")).judged
    assert terms.metric("average_rate", SCROLL).material_share == 0.03


def test_a_decision_draws_everything_together():
    profiles = [OPENERS]
    judgement = judged(BETTER)
    found = decide_study(judgement, names(3), 0, profiles)
    assert [row.metric.key for row in found.main] == ["duration", "one_percent_low"]
    assert found.together[0] is None
    assert found.together[1].gain.estimate > 0
    assert [(one.row.metric.key, one.candidate) for one in found.unsettled] == [
        (row.metric.key, index)
        for row in found.main
        for index, d in enumerate(row.differences)
        if d and d.verdict == "open"
    ]
