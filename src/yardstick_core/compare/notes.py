"""What cannot be concluded from the runs of a study, said plainly."""

from __future__ import annotations

from collections import Counter

from yardstick_core.compare.endings import ending_notes
from yardstick_core.compare.runs import JudgedRun
from yardstick_core.readings.latency import LATENCY_MEDIAN
from yardstick_core.readings.metric import Metric
from yardstick_core.record import DISTURBED, FINISHED

MOST_NAMED = 4
_NOT_PLAYED = ("refused", "aborted")
_OTHERS = {
    DISTURBED: "were disturbed by other programs: kept, and compared with nothing",
    "refused": "were refused by their rig: what the session asks for was not so",
    "aborted": "were aborted: kept, and compared with nothing",
}


def mixed_rig_exclusions(
    runs: list[JudgedRun], variants: list[str], baseline: int
) -> dict[int, str]:
    """Candidates about which no verdict is given, with why: none of their rounds is on one machine.

    Rounds that mix machines are never compared; where others are left, those are.
    """
    held = {}
    for index in range(len(variants)):
        mixed, whole = _machines(runs, baseline, index)
        if index != baseline and mixed and not whole:
            first, second = mixed[0]
            held[index] = (
                f"{variants[baseline]} ran on {first} and {variants[index]} on {second} in the "
                "same round: what differs may be the machines, so there is no verdict"
            )
    return held


def _machines(
    runs: list[JudgedRun], baseline: int, index: int
) -> tuple[list[tuple[str, str]], int]:
    """Rounds in which two variants ran on two machines, and how many they shared one in."""
    base: dict[int, set[str]] = {}
    for run in _compared(runs, baseline):
        base.setdefault(run.round, set()).add(run.rig)
    mixed, whole = [], 0
    for run in _compared(runs, index):
        if run.rig in base.get(run.round, set()):
            whole += 1
        elif run.round in base:
            mixed.append((sorted(base[run.round])[0], run.rig))
    return mixed, whole


def same_start(runs: list[JudgedRun], variants: list[str], baseline: int) -> dict[int, str]:
    """Candidates whose runs all share one start of the machine, the baseline's another."""
    own = {run.boot for run in _compared(runs, baseline)}
    found = {}
    for index in range(len(variants)):
        theirs = {run.boot for run in _compared(runs, index)}
        alone = len(own) == len(theirs) == 1 and "" not in own | theirs
        if index != baseline and alone and own != theirs:
            found[index] = (
                f"all runs of {variants[baseline]} share one start of the machine and all of "
                f"{variants[index]} another: what differs may be the start"
            )
    return found


def inconclusive_notes(
    runs: list[JudgedRun], variants: list[str], baseline: int, missing: list[list[Metric]],
    alpha: float,
) -> list[str]:  # fmt: skip
    """Statements about the whole study; `missing` holds metrics without reading, by variant.

    `alpha` is the level of what is said of failures.
    """
    notes = ending_notes(runs, variants, baseline, alpha)
    if len(variants) == 1:
        notes.append(
            f"Only {variants[0]} is in this study: its readings are shown, nothing is compared."
        )
    for index, name in enumerate(variants):
        own = [run for run in runs if run.variant == index]
        warm = [run for run in own if run.compared and run.outcome == FINISHED]
        if runs and not own:
            notes.append(f"{name} has not run yet: nothing can be said about it.")
        elif own and not warm:
            known = any(one.right_censored for run in own if run.compared for one in run.readings)
            what = "only how long they had taken by then is compared"
            what = what if known else "nothing is compared with it"
            notes.append(f"No warm run of {name} finished: {what}.")
        elif len(warm) == 1 and len(variants) > 1:
            notes.append(
                f"{name} has one warm run: a single run has no interval, so it shows no "
                "difference either way. Measure more rounds."
            )
        others = Counter(run.outcome for run in own if run.outcome in (DISTURBED, *_NOT_PLAYED))
        for outcome, count in others.items():
            notes.append(f"{count} of {len(own)} runs of {name} {_OTHERS[outcome]}.")
        if warm and missing[index]:
            notes.append(_missing(name, missing[index]))
    for index in range(len(variants)):
        mixed, whole = _machines(runs, baseline, index)
        if mixed and whole:
            notes.append(
                f"{len(mixed)} rounds of {variants[baseline]} and {variants[index]} ran on two "
                "machines: they are not compared with one another."
            )
    notes += _inputs_in_vain(runs)
    for run in runs:
        if run.left_out:
            notes.append(f"Run {run.run} of {variants[run.variant]} is left out: {run.left_out}.")
    return notes


def _inputs_in_vain(runs: list[JudgedRun]) -> list[str]:
    """Stretches in which no picture followed most inputs, whatever was measured."""
    vain: dict[tuple[str, ...], list[bool]] = {}
    for run in runs:
        if run.compared and run.outcome == FINISHED:
            for reading in run.readings:
                if reading.metric == LATENCY_MEDIAN.key:
                    vain.setdefault(reading.stretch, []).append(reading.right_censored)
    return [
        f"In “{stretch[0]}” no picture followed most inputs, in any run: its frames say how often "
        "was asked, not how fast the program is. The work may have ended before the inputs did: "
        "give it more to do, or fewer inputs."
        for stretch, found in vain.items()
        if all(found)
    ]


def _missing(name: str, metrics: list[Metric]) -> str:
    """Which metrics a variant has no reading of, and what they need."""
    named = list(dict.fromkeys(metric.name for metric in metrics))
    listed = ", ".join(named[:MOST_NAMED])
    if len(named) > MOST_NAMED:
        listed += f" and {len(named) - MOST_NAMED} more"
    needs = {metric.minimum for metric in metrics if metric.minimum}
    need = f" (it needs {' or '.join(sorted(needs))})" if needs else ""
    return f"{name} has no reading of {listed}{need}: nothing is compared there."


def _compared(runs: list[JudgedRun], variant: int) -> list[JudgedRun]:
    return [run for run in runs if run.variant == variant and run.compared]
