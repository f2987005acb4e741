"""The gate simulated: builds that are the same, and builds that are slower, from first to last."""

from __future__ import annotations

import numpy as np

from yardstick_core.compare.gate import (
    CONFIRMING_ROUNDS,
    SLOWER,
    confirmed,
    gate_plan,
    gate_rows,
    kept_back,
    outcome,
    to_confirm,
)
from yardstick_core.compare.runs import JudgedRun
from yardstick_core.compare.study import judge
from yardstick_core.plan import next_step, round_order
from yardstick_core.readings import Reading

NAMES = ["before", "build"]
OPENING = ("duration", ("Open", "open"))
#: What a gate usually counts: the deciding time, some other times, rates and an amount.
_OTHERS = (
    *(("duration", ("Work", f"part {n}"), 2.0 + n) for n in range(4)),
    *(("average_rate", ("Scroll", f"part {n}"), 60.0) for n in range(2)),
    ("peak_memory", ("Whole session",), 300.0),
)


def gate_outcome(seed: int, slower: float, noise: float) -> str:
    """The outcome of one build whose deciding time is longer by a share, with rounds as needed."""
    made = _Made(seed, slower, noise)
    plan = gate_plan(cold_rounds=0)
    while True:
        judgement = judge(made.runs, NAMES, alpha=plan.alpha_after(made.rounds), deciding=[OPENING])
        step = next_step(plan, made.rounds, judgement)
        if not step.rounds:
            break
        made.measure(step.rounds)
    rows = gate_rows(judgement, 1)
    failing = to_confirm(rows)
    if not failing:
        return outcome(rows)[0]
    fresh = range(made.rounds, made.rounds + CONFIRMING_ROUNDS)
    made.measure(CONFIRMING_ROUNDS)
    later = judge(made.runs, NAMES, alpha=plan.alpha, deciding=[OPENING])
    return outcome(rows, confirmed(later, 0, 1, failing, fresh))[0]


def results_outcome(seed: int, slower: float, noise: float, given: int) -> str:
    """The outcome of a build of which so many rounds were measured elsewhere and brought in."""
    made = _Made(seed, slower, noise)
    made.measure(given)
    back = kept_back(range(given))
    first = [run for run in made.runs if run.round not in back]
    rows = gate_rows(judge(first, NAMES, deciding=[OPENING]), 1)
    failing = to_confirm(rows)
    if not failing:
        return outcome(rows)[0]
    later = judge(made.runs, NAMES, deciding=[OPENING])
    return outcome(rows, confirmed(later, 0, 1, failing, back))[0]


class _Made:
    """Rounds of a build beside its baseline; the machine's state is the same for both in each."""

    def __init__(self, seed: int, slower: float, noise: float) -> None:
        self.rng = np.random.default_rng([seed, round(1000 * slower), round(1000 * noise)])
        self.slower, self.noise = slower, noise
        self.runs: list[JudgedRun] = []

    @property
    def rounds(self) -> int:
        return len(self.runs) // 2

    def measure(self, rounds: int) -> None:
        for number in range(self.rounds, self.rounds + rounds):
            state = self.rng.normal(0, self.noise)
            for variant in round_order(2, number):
                opening = 5.0 * (1 + self.slower * variant)
                readings = [Reading(OPENING[1], OPENING[0], opening * self._noisy(state))]
                readings += [
                    Reading(stretch, metric, level * self._noisy(state))
                    for metric, stretch, level in _OTHERS
                ]
                self.runs.append(
                    JudgedRun(len(self.runs), variant, number, False, "finished", tuple(readings))
                )

    def _noisy(self, state: float) -> float:
        return float(np.exp(self.rng.normal(state, self.noise)))


def gate_fails(seed: int, slower: float, noise: float) -> bool:
    return gate_outcome(seed, slower, noise) == SLOWER


def results_fail(seed: int, slower: float, noise: float, given: int) -> bool:
    return results_outcome(seed, slower, noise, given) == SLOWER
