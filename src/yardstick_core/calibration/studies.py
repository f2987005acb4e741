"""Whole studies simulated: what a person sees of all metrics, at all looks, on all pages.

Everything is counted as the share of studies in which the same build twice is called different in
anything at all; and how often a true change of what decides is found among many metrics.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator
from concurrent.futures import Executor

import numpy as np

from yardstick_core.calibration.cells import RATE
from yardstick_core.compare.difference import compare
from yardstick_core.compare.estimate import Sample
from yardstick_core.compare.ranking import ranking
from yardstick_core.compare.runs import JudgedRun
from yardstick_core.compare.study import Judgement, judge
from yardstick_core.compare.verdict import AHEAD, BEHIND
from yardstick_core.match.control_runs import like_last_time
from yardstick_core.match.drift import drifts
from yardstick_core.plan import Plan, round_order
from yardstick_core.readings import Reading
from yardstick_core.readings.growth import GROWS, growth_class

OPENING = ("duration", ("Open", "open"))
#: How many metrics of each kind a study holds: one that decides, other timings, rates and amounts,
#: rates that really are 1 % better (too little to matter), counts, and metrics of rare events.
TIMINGS, OTHERS, IMMATERIAL, COUNTS, RARE = 12, 30, 10, 8, 4
METRICS_IN_ALL = 1 + TIMINGS + OTHERS + IMMATERIAL + COUNTS + RARE
_OTHER_KEYS = ("average_rate", "p95_frame", "peak_memory")
_RARE_KEYS = ("stutter_share", "spikes", "drops_60", "on_target_60")


def study(
    rng: np.random.Generator, rounds: int, noise: float, slower: float = 0.0, variants: int = 2
) -> list[JudgedRun]:
    """Runs of variants that differ in the deciding metric alone, by a share of its time."""
    levels = rng.uniform(2, 200, TIMINGS + OTHERS)
    runs: list[JudgedRun] = []
    for number in range(rounds):
        for variant in round_order(variants, number):
            opening = 5.0 * (1 + slower) if variant else 5.0
            spread = 0.03 if slower else noise
            readings = [
                Reading(OPENING[1], OPENING[0], opening * float(np.exp(rng.normal(0, spread)))),
                *_noisy_readings(rng, levels, noise),
                *_small_readings(rng, variant),
            ]
            runs.append(JudgedRun(len(runs), variant, number, False, "finished", tuple(readings)))
    return runs


def _noisy_readings(
    rng: np.random.Generator, levels: np.ndarray[tuple[int], np.dtype[np.float64]], noise: float
) -> Iterator[Reading]:
    values = levels * np.exp(rng.normal(0, noise, len(levels)))
    for place, value in enumerate(values.tolist()):
        key = "duration" if place < TIMINGS else _OTHER_KEYS[place % len(_OTHER_KEYS)]
        yield Reading(("Work", f"part {place}"), key, value)


def _small_readings(rng: np.random.Generator, variant: int) -> Iterator[Reading]:
    """What is immaterial, whole, or rare."""
    better = 100 * (1.01 if variant else 1.0) * np.exp(rng.normal(0, 0.003, IMMATERIAL))
    for place, value in enumerate(better.tolist()):
        yield Reading(("Scroll", f"part {place}"), "average_rate", value)
    counts = 4.0 + (rng.random(COUNTS) < np.linspace(0, 0.5, COUNTS))
    for place, value in enumerate(counts.tolist()):
        yield Reading(("Work", f"count {place}"), "processes" if place % 2 else "threads", value)
    for place, key in enumerate(_RARE_KEYS):
        event = float(np.exp(rng.normal(1, 0.6))) if rng.random() < 0.3 else 0.0
        whole = key in ("spikes", "drops_60")
        value = float(np.ceil(event)) if whole else event
        yield Reading(("Scroll", f"rare {place}"), key, 100 - value if "target" in key else value)


def alarmed(judgement: Judgement) -> bool:
    """Whether anything is called ahead or behind."""
    return any(
        d is not None and d.verdict in (AHEAD, BEHIND)
        for row in judgement.rows
        for d in row.differences
    )


def study_alarm(seed: int, rounds: int, noise: float) -> bool:
    """One study of the same build, judged once with what decides named."""
    rng = np.random.default_rng([seed, rounds, round(1000 * noise)])
    return alarmed(judge(study(rng, rounds, noise), ["A", "B"], deciding=[OPENING]))


def deciding_found(seed: int, rounds: int) -> bool:
    """Whether 10 % more time of what decides is found, noise 3 %, among all others."""
    rng = np.random.default_rng([seed, rounds, 7])
    judgement = judge(study(rng, rounds, 0.05, slower=0.10), ["A", "B"], deciding=[OPENING])
    (row,) = [row for row in judgement.rows if row.deciding]
    difference = row.differences[1]
    return difference is not None and difference.verdict == BEHIND


#: How somebody watches: verdicts at the plan's looks alone, after each of rounds that were asked
#: for one by one, or after each at the level of a single look.
AT_LOOKS, ONE_BY_ONE, PEEKING = "at_looks", "one_by_one", "peeking"


def watched_alarm(seed: int, plan: Plan, rounds: int, watching: str) -> bool:
    """Whether somebody who looks after every round of one metric ever sees an alarm."""
    rng = np.random.default_rng([seed, rounds, plan.cap])
    a, b = (
        [Sample(2 * n + side, n, float(100 * np.exp(rng.normal(0, 0.08)))) for n in range(rounds)]
        for side in (0, 1)
    )
    seen = set()
    for done in range(2, rounds + 1):
        added = done == rounds and rounds > plan.looks[-1]
        look = plan.last_look(done) if watching == AT_LOOKS and not added else done
        if look < 2 or look in seen:
            continue
        seen.add(look)
        alpha = 0.05 if watching == PEEKING else plan.alpha_after(look)
        if compare(RATE, a[:look], b[:look], in_rounds=True, alpha=alpha).p < alpha:
            return True
    return False


def repeat_alarm(seed: int) -> bool:
    """Whether today is said not to be like last time though nothing changed."""
    rng = np.random.default_rng([seed, 11])
    runs = study(rng, 11, 0.05, variants=1)
    return any(held.matters for held in like_last_time(runs[:8], runs[8:], ["A"]))


def places_disagree(seed: int) -> bool:
    """Whether places of three variants of the same build say more than the verdicts do."""
    rng = np.random.default_rng([seed, 13])
    judgement = judge(study(rng, 6, 0.08, variants=3), ["A", "B", "C"])
    main = [row for row in judgement.rows if row.metric.primary]
    places = ranking(main, 3, in_rounds=True, alpha=0.05).places
    called = [
        any(d is not None and d.verdict in (AHEAD, BEHIND) for d in row.differences) for row in main
    ]
    return any(
        place is not None and (max(place) > 1) != verdict
        for place, verdict in zip(places, called, strict=True)
    )


def drift_alarm(seed: int) -> bool:
    """Whether a day is said to drift though only each round has a state of its own."""
    rng = np.random.default_rng([seed, 17])
    runs: list[JudgedRun] = []
    for number in range(8):
        state = rng.normal(0, 0.04)
        for variant in (0, 1):
            value = float(5 * np.exp(state + rng.normal(0, 0.01)))
            reading = Reading(OPENING[1], OPENING[0], value)
            runs.append(JudgedRun(len(runs), variant, number, False, "finished", (reading,)))
    return any(drift.drifts for drift in drifts(judge(runs, ["A", "B"]).rows))


def growth_alarm(seed: int, *, step: bool) -> bool:
    """Whether one run is said to grow that wanders slowly, or that steps up once."""
    rng = np.random.default_rng([seed, 19])
    at = np.arange(0, float(rng.choice([90, 150, 300])), 0.1)
    stays = np.exp(-0.1 / 20)
    wander = np.empty(len(at))
    wander[0] = rng.normal()
    for place, pushed in enumerate(rng.normal(0, np.sqrt(1 - stays**2), len(at) - 1), 1):
        wander[place] = stays * wander[place - 1] + pushed
    if step:
        up = at > rng.uniform(0.1, 0.9) * at[-1]
        return growth_class(at, 100 + 8 * up + rng.normal(0, 0.3, len(at))) == GROWS
    return growth_class(at, 100 + wander) == GROWS


def wrong_way(seed: int, rounds: int) -> float:
    """Share of metrics called behind though all are 3 % ahead, in noisy small studies."""
    rng = np.random.default_rng([seed, rounds, 23])
    runs = [
        JudgedRun(
            2 * number + side, side, number, False, "finished",
            tuple(
                Reading(("Step", f"part {n}"), RATE.key, float(value))
                for n, value in enumerate(100 * (1 + 0.03 * side) * np.exp(rng.normal(0, 0.15, 60)))
            ),
        )
        for number in range(rounds)
        for side in round_order(2, number)
    ]  # fmt: skip
    return judge(runs, ["A", "B"]).counts[1][BEHIND] / 60


def share(
    pool: Executor, counted: Callable[..., float], repeats: int, *args: object, **named: object
) -> float:
    """Mean of what one study after another shows, on all cores."""
    jobs = [(counted, seed, args, named) for seed in range(repeats)]
    return float(np.mean(list(pool.map(_one, jobs, chunksize=max(1, repeats // 50)))))


def _one(
    job: tuple[Callable[..., float], int, tuple[object, ...], dict[str, object]],
) -> float:
    counted, seed, args, named = job
    return float(counted(seed, *args, **named))
