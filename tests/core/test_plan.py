"""The plan: order, looks, and why it stops."""

import math

import numpy as np
import pytest
from scipy import stats

from core.studies import OPEN, SCROLL, judged, runs_of
from core.test_decision import near
from yardstick_core.compare.intervals import paired
from yardstick_core.compare.study import judge
from yardstick_core.compare.verdict import decide, never_decides
from yardstick_core.plan import (
    LOOK_ALPHA,
    UNPLANNED_LOOK_ALPHA,
    Plan,
    next_step,
    round_order,
    still_open,
)

CLEAR = [{(OPEN, "duration"): near(2, 12, 1)}, {(OPEN, "duration"): near(1, 12, 2)}]
NOISY = [
    {(OPEN, "duration"): near(2, 12, 1, 0.2)}, {(OPEN, "duration"): near(1.7, 12, 4, 0.2)}
]  # fmt: skip


def test_looks_take_their_level_and_a_fixed_number_its_own():
    assert Plan().alpha == LOOK_ALPHA
    assert Plan(stop="fixed").alpha == 0.05
    assert Plan(cap=60).alpha < LOOK_ALPHA
    assert Plan(stop="fixed", rounds=8).alpha_after(8) == 0.05
    assert Plan(stop="fixed", rounds=8).alpha_after(9) == UNPLANNED_LOOK_ALPHA
    assert Plan().alpha_after(4) == UNPLANNED_LOOK_ALPHA
    assert Plan().alpha_after(5) == LOOK_ALPHA
    assert Plan().alpha_after(0) == 0.05, "all was brought in: one look"
    assert Plan().looks == (5, 8, 12, 20)
    assert Plan(cap=10).looks == (5, 8, 10)
    assert Plan(cap=3).looks == (3,)
    assert Plan(stop="fixed", rounds=7).looks == (7,)


@pytest.mark.parametrize(
    ("done", "rests_on", "coming"), [(0, 0, 5), (4, 0, 5), (5, 5, 8), (11, 8, 12), (20, 20, None)]
)
def test_between_two_looks_verdicts_rest_on_the_last_one(done, rests_on, coming):
    assert Plan().last_look(done) == rests_on
    assert Plan().next_look(rests_on) == coming


def test_what_was_looked_at_besides_counts_as_a_look():
    assert Plan(stop="fixed", rounds=3).last_look(6, looked=[5]) == 5


@pytest.mark.parametrize(("done", "rounds"), [(0, 5), (3, 2), (6, 2), (9, 3)])
def test_it_measures_to_the_next_look(done, rounds):
    assert next_step(Plan(), done, judged(NOISY)).rounds == rounds


def test_it_stops_at_a_look_once_all_is_decided():
    step = next_step(Plan(), 5, judged(CLEAR))
    assert (step.rounds, step.reason) == (0, "after 5 rounds every main metric is decided")


def test_it_goes_on_while_something_is_open_and_stops_at_the_cap():
    open_study = judged(NOISY, alpha=LOOK_ALPHA)
    assert open_study.rows[0].differences[1].verdict == "open"
    assert next_step(Plan(), 12, open_study).rounds == 8
    assert still_open(open_study) == ["open"]
    assert still_open(judged(CLEAR)) == []
    reason = next_step(Plan(cap=12), 12, open_study).reason
    assert reason == "the cap of 12 rounds is reached; 1 main metric is still open: open"


RATE = (SCROLL, "average_rate")


def wavering(gain: float, spread: float, rounds: int = 12) -> list[dict]:
    waves = 100 * np.exp(gain + spread * np.resize([1.3, -1.2, -0.6, 0.5, -0.7, 0.7], rounds))
    return [{RATE: [100.0] * rounds}, {RATE: waves}]


def test_it_stops_when_no_number_of_rounds_would_help():
    """No gain to be seen where 3 % matters, and runs that vary by a quarter."""
    found = judged(wavering(0.0, 0.25))
    assert found.rows[0].differences[1].verdict == "open"
    assert next_step(Plan(), 12, found).reason == (
        "after 12 rounds 1 main metric is open: the runs vary so much that no sensible number of "
        "rounds would decide"
    )


def test_it_stops_when_the_readings_are_of_two_kinds():
    """Half of the runs take a quarter more, half a quarter less, and none what lies between."""
    kinds = 100 * np.exp(0.25 * np.resize([1, -1, -1, 1], 12))
    found = judged([{RATE: [100.0] * 12}, {RATE: kinds}])
    assert next_step(Plan(), 12, found).reason == (
        "after 12 rounds 1 main metric is open: readings fall into two groups, and no sensible "
        "number of rounds would decide"
    )


def test_it_goes_on_where_the_estimate_lies_near_what_matters_by_chance():
    """A gain of 2.9 % where 3 % matters, give or take 0.6 %: the next rounds may decide it."""
    found = judged(wavering(0.0286, 0.02))
    assert found.rows[0].differences[1].verdict == "open"
    assert found.rows[0].differences[1].runs_to_decide is None
    assert next_step(Plan(), 12, found).rounds == 8


@pytest.mark.parametrize("truth", [0.0, 1.0, 2.0])
def test_few_studies_are_given_up_that_a_later_look_decides(truth):
    """Gains of none to twice what matters, with a spread as large as what matters, or twice that.

    By the estimate alone, 8 to 17 of 100 were.
    """
    rng, plan, band, given_up = np.random.default_rng(5), Plan(), math.log(1.03), 0
    studies = 300
    for _ in range(studies):
        noise = rng.choice([1.0, 2.0])
        gains = rng.normal(truth * band, noise * band, plan.looks[-1])
        level = [paired(gains[None, :look], LOOK_ALPHA).each()[0] for look in plan.looks]
        verdicts = [decide(gain, band) for gain in level]
        for number, (look, gain) in enumerate(zip(plan.looks, level, strict=True)):
            if verdicts[number] != "open":
                break
            if never_decides(gain, band, look, LOOK_ALPHA):
                given_up += any(verdict != "open" for verdict in verdicts[number:])
                break
    assert given_up <= 0.02 * studies


def test_a_precision_is_reached_or_not():
    assert "known to ± 5 %" in next_step(Plan(stop="precise", precision=5), 8, judged(CLEAR)).reason
    assert next_step(Plan(stop="precise", precision=0.1), 8, judged(CLEAR)).rounds == 4


def test_a_fixed_plan_stops_at_its_number():
    plan = Plan(stop="fixed", rounds=6)
    assert next_step(plan, 4, judged(CLEAR)).rounds == 2
    assert next_step(plan, 6, judged(CLEAR)).reason == "all 6 rounds of the plan are done"
    assert "the plan allows 6" in next_step(plan, 7, judged(CLEAR)).reason


def test_a_study_that_can_have_no_verdict_stops_at_once():
    runs = [
        run.__class__(
            run.run, run.variant, run.round, False, "finished", run.readings,
            rig=f"rig {run.variant}",
        )
        for run in runs_of(CLEAR)
    ]  # fmt: skip
    reason = next_step(Plan(), 5, judge(runs, ["4.1", "4.2"])).reason
    assert reason.startswith("no verdict can come of this: 4.1 ran on rig 0 and 4.2 on rig 1")


def test_alternating_runs_forth_and_back():
    assert [round_order(3, n, "alternating") for n in range(3)] == [[0, 1, 2], [2, 1, 0], [0, 1, 2]]


def test_letting_more_in_until_the_answer_pleases_errs_little_more_often():
    """Four runs of each side at a time, all of the same build: how often any sitting alarms."""
    rng, studies, sittings = np.random.default_rng(11), 20_000, 8
    a, b = (rng.normal(size=(studies, 4 * sittings)) for _ in range(2))
    plan, alarmed, shares = Plan(), np.zeros(studies, bool), []
    for number in range(1, sittings + 1):
        there = slice(4 * number)
        p = stats.ttest_ind(a[:, there], b[:, there], axis=1, equal_var=False).pvalue
        alarmed |= p < plan.alpha_after(0, number)
        shares.append(alarmed.mean())
    assert shares[0] < 0.05
    assert shares[2] < 0.056
    assert shares[-1] < 0.065
