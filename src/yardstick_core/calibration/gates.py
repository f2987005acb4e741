"""The gate simulated: builds that are the same, and builds that are slower, from first to last."""

from __future__ import annotations

import numpy as np

from yardstick_core.compare.gate import (
    CONFIRMING_ROUNDS,
    SLOWER,
    confirmed,
    gate_plan,
    gate_rows,
    outcome,
    to_confirm,
)
from yardstick_core.compare.runs import JudgedRun
from yardstick_core.compare.study import judge
from yardstick_core.plan import next_step, round_order
from yardstick_core.readings import Reading

OPENING = ("duration", ("Open", "open"))
#: What a gate usually counts: the deciding time, some other times, rates and an amount.
_OTHERS = (
    *(("duration", ("Work", f"part {n}"), 2.0 + n) for n in range(4)),
    *(("average_rate", ("Scroll", f"part {n}"), 60.0) for n in range(2)),
    ("peak_memory", ("Whole session",), 300.0),
)


def gate_outcome(seed: int, slower: float, noise: float) -> str:
    """The outcome of one build whose deciding time is longer by a share, with rounds as needed."""
    rng = np.random.default_rng([seed, round(1000 * slower), round(1000 * noise)])
    runs: list[JudgedRun] = []
    plan = gate_plan(cold_rounds=0)

    def measure(rounds: int) -> None:
        first = len(runs) // 2
        for number in range(first, first + rounds):
            state = rng.normal(0, noise)  # of the machine, the same for both
            for variant in round_order(2, number):
                opening = 5.0 * (1 + slower * variant)
                readings = [
                    Reading(OPENING[1], OPENING[0], opening * _noisy(rng, noise, state)),
                    *(
                        Reading(stretch, metric, level * _noisy(rng, noise, state))
                        for metric, stretch, level in _OTHERS
                    ),
                ]
                runs.append(
                    JudgedRun(len(runs), variant, number, False, "finished", tuple(readings))
                )

    while True:
        done = len(runs) // 2
        alpha = plan.alpha_after(done)
        judgement = judge(runs, ["before", "build"], alpha=alpha, deciding=[OPENING])
        step = next_step(plan, done, judgement)
        if not step.rounds:
            break
        measure(step.rounds)
    rows = gate_rows(judgement, 1)
    failing = to_confirm(rows)
    if not failing:
        return outcome(rows)[0]
    first = len(runs) // 2
    measure(CONFIRMING_ROUNDS)
    fresh = range(first, first + CONFIRMING_ROUNDS)
    later = judge(runs, ["before", "build"], alpha=plan.alpha, deciding=[OPENING])
    return outcome(rows, confirmed(later, 0, 1, failing, fresh))[0]


def _noisy(rng: np.random.Generator, noise: float, state: float) -> float:
    return float(np.exp(rng.normal(state, noise)))


def gate_fails(seed: int, slower: float, noise: float) -> bool:
    return gate_outcome(seed, slower, noise) == SLOWER
