"""Runs measured beside those of the rounds: what watching costs, and whether today is like last
time.
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass

from yardstick_core.compare.difference import Difference, compare
from yardstick_core.compare.estimate import Sample
from yardstick_core.compare.runs import JudgedRun
from yardstick_core.compare.verdict import LEVEL, OPEN
from yardstick_core.compare.words import change_limits, placed
from yardstick_core.readings import METRICS
from yardstick_core.readings.durations import DURATION
from yardstick_core.readings.metric import Metric
from yardstick_core.readings.processor import SPENT
from yardstick_core.record import FINISHED

Key = tuple[tuple[str, ...], str]
#: What is known of a run that was not sampled: its outer timings and what its end says.
OUTER = (DURATION.key, SPENT.key)
FEWEST_CHECKS = 2


@dataclass(frozen=True, slots=True)
class Held:
    """One metric of one variant in two kinds of runs, and their difference."""

    stretch: tuple[str, ...]
    metric: str
    name: str
    variant: int
    difference: Difference
    words: str

    @property
    def matters(self) -> bool:
        """Whether it is known to be more than too small to matter."""
        return self.difference.verdict not in (LEVEL, OPEN)


def observer_cost(
    ordinary: Iterable[JudgedRun], controls: Iterable[JudgedRun], variants: Sequence[str]
) -> list[Held]:
    """What sampling costs: runs with it against control runs without it, variant by variant.

    Paired by round where both kinds share rounds. Positive changes are what watching adds.
    """
    found = []
    with_it, without = _samples(ordinary), _samples(controls)
    for index, name in enumerate(variants):
        for (stretch, key), bare in without.get(index, {}).items():
            watched = with_it.get(index, {}).get((stretch, key))
            if key not in OUTER or not watched:
                continue
            difference = compare(METRICS[key], bare, watched, in_rounds=True)
            if difference.gain != difference.gain:
                difference = compare(METRICS[key], bare, watched, in_rounds=False)
            metric, where = METRICS[key], stretch[-1]
            what = f"{where} in {name}" if key == DURATION.key else f"{metric.name} of {name}"
            said = f"{what}: {_cost_words(metric, difference)}"
            found.append(Held(stretch, key, where, index, difference, said))
    return found


def _cost_words(metric: Metric, difference: Difference) -> str:
    if difference.gain != difference.gain:
        return "too few control runs for an interval"
    limits = change_limits(metric, difference.change_low, difference.change_high)
    if difference.verdict == LEVEL:
        return f"what watching costs is too small to matter ({limits})"
    if difference.verdict == OPEN:
        return f"not known well enough yet ({limits})"
    return f"with sampling {difference.change_words}, {difference.percent_words} ({limits})"


def like_last_time(
    earlier: Iterable[JudgedRun], today: Iterable[JudgedRun], variants: Sequence[str]
) -> list[Held]:
    """Runs of a variant measured anew against its earlier warm ones, main metrics, unpaired."""
    found = []
    before, now = _samples(earlier), _samples(today)
    for index, name in enumerate(variants):
        for (stretch, key), fresh in now.get(index, {}).items():
            known = before.get(index, {}).get((stretch, key))
            if not METRICS[key].primary or not known:
                continue
            difference = compare(METRICS[key], known, fresh, in_rounds=False)
            label = stretch[-1] if key == DURATION.key else METRICS[key].name
            where = placed(label, stretch)
            found.append(Held(stretch, key, label, index, difference,
                              _today_words(f"{where} of {name}", difference)))  # fmt: skip
    return found


def _today_words(what: str, difference: Difference) -> str:
    if difference.gain != difference.gain:
        return f"{what}: measure at least {FEWEST_CHECKS} runs for an interval"
    if difference.verdict == LEVEL:
        return f"{what} is like last time"
    if difference.verdict == OPEN:
        return f"{what}: whether it is like last time is not known well enough"
    shown = difference.percent_words or difference.change_words
    return f"{what} is not like last time: {shown}"


def today_in_a_sentence(held: Sequence[Held]) -> str:
    """What a check of today shows all in all."""
    if not held:
        return ""
    apart = [one for one in held if one.matters]
    alike = sum(one.difference.verdict == LEVEL for one in held)
    if apart:
        return (
            f"Today is not like last time on {len(apart)} of {counted(len(held))}: do not hold "
            "runs of today against earlier ones."
        )
    if alike == len(held):
        return f"Today is like last time on {'all ' if alike > 1 else ''}{counted(alike)}."
    return (
        f"Today is like last time on {alike} of {counted(len(held))}; of the others it is not "
        "known well enough yet."
    )


def counted(metrics: int) -> str:
    return f"{metrics} metric{'' if metrics == 1 else 's'}"


def _samples(runs: Iterable[JudgedRun]) -> Mapping[int, dict[Key, list[Sample]]]:
    """Readings of finished runs that count, by variant, stretch and metric, in the order taken."""
    found: dict[int, dict[Key, list[Sample]]] = {}
    for run in runs:
        if not run.compared or run.outcome != FINISHED:
            continue
        side = found.setdefault(run.variant, {})
        for reading in run.readings:
            sample = Sample(run.run, run.round, reading.value, reading.longer_than, run.rig)
            side.setdefault((reading.stretch, reading.metric), []).append(sample)
    return found
