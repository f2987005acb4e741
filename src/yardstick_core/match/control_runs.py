"""Runs measured beside those of the rounds: what watching costs, and whether today is like last
time.
"""

from __future__ import annotations

import math
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, replace

from yardstick_core.compare.difference import Difference, compare, compare_all
from yardstick_core.compare.estimate import Sample
from yardstick_core.compare.multiplicity import MAIN, DifferenceTest, stands
from yardstick_core.compare.runs import JudgedRun
from yardstick_core.compare.text import change_limits, qualified_label
from yardstick_core.compare.verdict import LEVEL, OPEN
from yardstick_core.readings import METRICS
from yardstick_core.readings.durations import DURATION
from yardstick_core.readings.metric import Metric
from yardstick_core.readings.processor import SPENT
from yardstick_core.record import FINISHED

Key = tuple[tuple[str, ...], str]
#: What is known of a run that was not sampled: its outer timings and what its end says.
OUTER = (DURATION.key, SPENT.key)
FEWEST_CHECKS = 2
ALPHA = 0.05


@dataclass(frozen=True, slots=True)
class PairedComparison:
    """One metric of one variant in two kinds of runs, and their difference."""

    stretch: tuple[str, ...]
    metric: str
    name: str
    variant: int
    difference: Difference
    text: str

    @property
    def matters(self) -> bool:
        """Whether it is known to be more than too small to matter."""
        return self.difference.verdict not in (LEVEL, OPEN)


def observer_cost(
    ordinary: Iterable[JudgedRun], controls: Iterable[JudgedRun], variants: Sequence[str]
) -> list[PairedComparison]:
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
            said = f"{what}: {_cost_text(metric, difference)}"
            found.append(PairedComparison(stretch, key, where, index, difference, said))
    return found


def _cost_text(metric: Metric, difference: Difference) -> str:
    if difference.gain != difference.gain:
        return "too few control runs for an interval"
    limits = change_limits(metric, difference.change_low, difference.change_high)
    if difference.verdict == LEVEL:
        return f"what watching costs is too small to matter ({limits})"
    if difference.verdict == OPEN:
        return f"not known well enough yet ({limits})"
    return f"with sampling {difference.change_text}, {difference.percent_text} ({limits})"


def like_last_time(
    earlier: Iterable[JudgedRun], today: Iterable[JudgedRun], variants: Sequence[str]
) -> list[PairedComparison]:
    """Runs of a variant measured anew against its earlier warm ones, main metrics, unpaired.

    All of them are asked one question, so that it is allowed for how many there are: of studies in
    which nothing changed, at most 5 in 100 are said to differ in anything.
    """
    before, now = _samples(earlier), _samples(today)
    asked = [
        (index, stretch, key, known, fresh)
        for index in range(len(variants))
        for (stretch, key), fresh in now.get(index, {}).items()
        if METRICS[key].primary and (known := before.get(index, {}).get((stretch, key)))
    ]
    differences = compare_all(
        [METRICS[key] for _, _, key, _, _ in asked],
        [known for *_, known, _ in asked],
        [fresh for *_, fresh in asked],
        in_rounds=False,
    )
    found = []
    for (index, stretch, key, _, _), difference in zip(asked, _holding(differences), strict=True):
        label = stretch[-1] if key == DURATION.key else METRICS[key].name
        what = f"{qualified_label(label, stretch)} of {variants[index]}"
        said = _today_text(what, difference)
        found.append(PairedComparison(stretch, key, label, index, difference, said))
    return found


def _holding(differences: Sequence[Difference]) -> list[Difference]:
    """The differences, open where one does not hold among all that were looked at."""
    tests = [
        DifferenceTest(MAIN, 0, d.p if abs(d.gain) >= d.band else 1.0)
        for d in differences
        if not math.isnan(d.p)
    ]
    holds = iter(stands(tests, ALPHA))
    return [
        d if math.isnan(d.p) or next(holds) or d.verdict == LEVEL else replace(d, verdict=OPEN)
        for d in differences
    ]


def _today_text(what: str, difference: Difference) -> str:
    if difference.gain != difference.gain:
        return f"{what}: measure at least {FEWEST_CHECKS} runs for an interval"
    if difference.verdict == LEVEL:
        return f"{what} is like last time"
    if difference.verdict == OPEN:
        return f"{what}: whether it is like last time is not known well enough"
    shown = difference.percent_text or difference.change_text
    return f"{what} is not like last time: {shown}"


def today_in_a_sentence(held: Sequence[PairedComparison]) -> str:
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
            sample = Sample(run.run, run.round, reading.value, reading.right_censored, run.rig)
            side.setdefault((reading.stretch, reading.metric), []).append(sample)
    return found
