"""What must hold of any decision: parts add up, order and units do not matter, no side does."""

import math

import numpy as np
import pytest
from hypothesis import assume, given, settings
from hypothesis import strategies as st

from core.studies import OPEN, SCROLL, WHOLE, judged, names, runs_of
from yardstick_core.compare.composite import Part, together
from yardstick_core.compare.contributions import breakdowns
from yardstick_core.compare.decision import decide_study
from yardstick_core.compare.materiality import MaterialityRule, MaterialityRules
from yardstick_core.compare.profiles import NONE, STAY, TAKE, Limit, Profile, Weight, advise
from yardstick_core.compare.ranking import ranking
from yardstick_core.compare.study import judge
from yardstick_core.compare.tradeoff import trade_offs
from yardstick_core.plan import FIXED, STOP_RULES, Plan, next_step

TIME, RATE = (OPEN, "duration"), (SCROLL, "average_rate")
COST, MEMORY = (OPEN, "processor_seconds"), (WHOLE, "peak_memory")

readings = st.floats(0.01, 5000, allow_nan=False)


def columns(rounds):
    return st.lists(readings, min_size=rounds, max_size=rounds)


@st.composite
def studies(draw, least=2, most=4):
    """Readings of any size for any number of variants, in 2 to 7 rounds."""
    rounds = draw(st.integers(2, 7))
    keys = (TIME, RATE, COST, MEMORY)
    return [
        {key: draw(columns(rounds)) for key in keys} for _ in range(draw(st.integers(least, most)))
    ]


@settings(max_examples=60)
@given(studies())
def test_any_readings_lead_to_a_decision_in_text(sides):
    judgement = judged(sides)
    profile = Profile(
        "Anybody",
        weights=(Weight(TIME[1], OPEN, 2), Weight(RATE[1], SCROLL)),
        limits=(Limit(MEMORY[1], WHOLE),),
    )
    found = decide_study(judgement, names(len(sides)), 0, [profile])
    (advice,) = found.advice
    assert advice.recommendation in (TAKE, STAY, NONE)
    assert advice.sentence
    assert (advice.recommendation == TAKE) == bool(set(advice.variants) - {0})
    for score in advice.scores:
        if score.variant in advice.variants:
            assert score.verdict == "ahead"
            assert all(limit.state == "kept" for limit in score.limits)
    for row, places in zip(found.main, found.ranking.places, strict=True):
        assert places is None or (min(places) == 1 and max(places) <= len(sides)), row
    for trade in found.trade_offs:
        assert trade.sentence


@settings(max_examples=60)
@given(st.integers(2, 8).flatmap(lambda n: st.tuples(*[columns(n)] * 6)))
def test_contributions_add_up_exactly_whatever_the_readings(parts):
    sides = []
    for read, draw, rest in (parts[:3], parts[3:]):
        whole = [a + b + c for a, b, c in zip(read, draw, rest, strict=True)]
        sides.append(
            {
                TIME: whole,
                (("Open", "open", "read"), "duration"): read,
                (("Open", "open", "draw"), "duration"): draw,
            }
        )
    largest = max(seconds for side in sides for seconds in side[TIME])
    taken_apart = breakdowns(judged(sides).rows, 0, 1)
    assume(taken_apart)
    for found in taken_apart:
        total = sum(part.change for part in found.parts)
        # Sums of readings are rounded, which shows where all changes are next to nothing.
        assert math.isclose(total, found.change, rel_tol=1e-9, abs_tol=1e-12 * largest)
        for part in found.parts:
            assert part.low - 1e-9 <= part.change <= part.high + 1e-9


@settings(max_examples=40)
@given(studies(), st.randoms(use_true_random=False))
def test_the_order_of_the_variants_does_not_change_their_places(sides, random):
    order = list(range(len(sides)))
    random.shuffle(order)
    plain, mixed = (
        ranking(
            judged(listed, baseline=base).rows, len(sides), base, in_rounds=True, alpha=0.05
        ).places
        for listed, base in ((sides, 0), ([sides[place] for place in order], order.index(0)))
    )
    assume(any(places is not None for places in plain))
    for before, after in zip(plain, mixed, strict=True):
        assert [before[place] for place in order] == list(after)


@settings(max_examples=40)
@given(studies(most=2), st.sampled_from([0.001, 60.0]))
def test_another_unit_does_not_change_what_is_weighed(sides, factor):
    scaled = [
        {key: [v * (factor if key == TIME else 1) for v in values] for key, values in side.items()}
        for side in sides
    ]
    gains = []
    for listed, unit in ((sides, 1.0), (scaled, factor)):
        terms = MaterialityRules([MaterialityRule("duration", amount=0.1 * unit)])
        judgement = judge(runs_of(listed), names(2), terms=terms)
        rows = [row for row in judgement.rows if row.metric.key in (TIME[1], RATE[1])]
        gains.append(together([Part(row) for row in rows], 0, 1, in_rounds=True, alpha=0.05).gain)
    assert gains[0].estimate == pytest.approx(gains[1].estimate, abs=1e-6)


@settings(max_examples=40)
@given(studies(most=2))
def test_changing_sides_turns_the_weighed_gain_round(sides):
    def gain(listed):
        rows = judged(listed).rows
        found = together([Part(row) for row in rows], 0, 1, in_rounds=True, alpha=0.05)
        return found.gain, found.apart

    (one, apart), (other, apart_too) = gain(sides), gain(sides[::-1])
    assume(not apart and not apart_too)
    assert one.estimate == pytest.approx(-other.estimate, abs=1e-9)
    assert one.low == pytest.approx(-other.high, abs=1e-9)


@settings(max_examples=40)
@given(studies(most=2))
def test_a_cost_is_worded_the_way_its_numbers_go(sides):
    found = trade_offs(judged(sides).rows, names(2), 0, 1)
    assume(found)
    for trade in found:
        if " gains " in trade.sentence:
            assert trade.gained_s > 0
        if " loses " in trade.sentence:
            assert trade.gained_s < 0
        if " saves " in trade.sentence:
            assert trade.cost < 0
        if "pays" in trade.sentence:
            assert trade.cost > 0
            assert trade.gained_s > 0


plans = st.builds(
    Plan,
    stop=st.sampled_from(STOP_RULES),
    rounds=st.integers(2, 60),
    precision=st.floats(0.1, 50),
    cap=st.integers(2, 60),
)


@settings(max_examples=60)
@given(plans, studies(most=2))
def test_a_plan_always_comes_to_an_end_with_a_reason(plan, sides):
    """Whatever is read, rounds go from look to look and never beyond the last."""
    judgement = judged(sides, alpha=plan.alpha)
    done, steps = 0, 0
    while True:
        step = next_step(plan, done, judgement)
        steps += 1
        assert steps <= len(plan.looks) + 1
        if not step.rounds:
            break
        done += step.rounds
        assert done in plan.looks
    assert step.reason
    assert done <= (plan.rounds if plan.stop == FIXED else plan.cap)


def test_a_candidate_that_is_worse_in_truth_is_hardly_ever_recommended():
    """3 % slower, 6 % noise, 5 rounds: of 150 studies at most a few may say take it."""
    taken = 0
    profile = Profile("Openers", weights=(Weight("duration", OPEN),))
    for seed in range(150):
        rng = np.random.default_rng(seed)
        sides = [{TIME: level * np.exp(rng.normal(0, 0.06, 5))} for level in (2.0, 2.06)]
        found = advise(profile, judge(runs_of(sides), names(2)), names(2), 0)
        taken += found.recommendation == TAKE
    assert taken <= 5
