"""How runs ended, compared: whether a candidate crashes, hangs or fails more often than another.

Who compares only what came to its end compares survivors; so this is said before anything else.
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from scipy import stats

from yardstick_core.compare.runs import JudgedRun
from yardstick_core.compare.text import THIN
from yardstick_core.record import DISTURBED, FINISHED

#: Ends that are the program's own doing, in words that follow “3 of 8 runs of 4.1”.
FAILURES = {
    "crashed": "crashed",
    "hung": "hung",
    "cut off": "did not get there in time",
    "wrong result": "came to a wrong result",
    "not started": "did not start",
}


@dataclass(frozen=True, slots=True)
class Endings:
    """Runs of a variant that were played and not left out, and those that failed, by how."""

    played: int
    failures: Counter[str]

    @property
    def failed(self) -> int:
        return self.failures.total()


def endings(runs: Sequence[JudgedRun], variants: int) -> list[Endings]:
    """How the runs of each variant ended, cold ones too; those of files took no turns here.

    What a person aborted and what the rig refused says nothing of the program.
    """
    found = []
    for index in range(variants):
        ended = Counter(
            run.outcome
            for run in runs
            if run.variant == index and run.round >= 0 and not run.left_out
        )
        failures = Counter({name: ended[name] for name in FAILURES if ended[name]})
        found.append(Endings(failures.total() + ended[FINISHED] + ended[DISTURBED], failures))
    return found


def fails_more(first: Endings, second: Endings, alpha: float) -> bool | None:
    """Whether the first surely fails more often, at this level; None where chance may explain it.

    Fisher's exact test of both sides, 1935.
    """
    if not first.played or not second.played:
        return None
    table = np.array([[one.failed, one.played - one.failed] for one in (first, second)])
    if stats.fisher_exact(table).pvalue > alpha:
        return None
    return first.failed * second.played > second.failed * first.played


def share_limits(one: Endings, alpha: float) -> tuple[float, float]:
    """Limits of the share of runs that fail, 0 to 1: exact, Clopper and Pearson 1934."""
    limits = stats.binomtest(one.failed, one.played).proportion_ci(1 - alpha, "exact")
    return float(limits.low), float(limits.high)


def ending_notes(
    runs: Sequence[JudgedRun], variants: Sequence[str], baseline: int, alpha: float
) -> list[str]:
    """What is to be said of failures: of each variant that failed, beside the baseline."""
    if not variants:
        return []
    found = endings(runs, len(variants))
    base, told = found[baseline], _against(found, baseline, alpha)
    notes: list[str] = []
    for place, more in told.items():
        one = found[place]
        if not one.failed and not base.failed:
            continue
        said = _told(one, variants[place], alpha)
        if not notes:  # of several candidates the baseline is told with the first
            said += f"; {_told(base, variants[baseline], alpha)}"
        if more is None:
            notes.append(f"{said}. That may be chance.")
        else:
            worse = variants[place] if more else variants[baseline]
            notes.append(f"{said}. {worse} fails more often than chance explains.")
    if not told and base.failed:
        notes.append(f"{_told(base, variants[baseline], alpha)}.")
    return [note[0].upper() + note[1:] for note in notes]


def unfinished(runs: Sequence[JudgedRun], variants: Sequence[str]) -> tuple[str, ...]:
    """Of each variant of which no warm run came to its end, how they ended: `none of 8 warm runs of
    4.2 finished: 5 crashed, 3 hung`; else empty. A disturbed run came to its end.
    """
    found = []
    for index, name in enumerate(variants):
        ended = Counter(run.outcome for run in runs if run.variant == index and run.compared)
        failures = {kind: ended[kind] for kind in FAILURES if ended[kind]}
        told = ", ".join(f"{count} {FAILURES[kind]}" for kind, count in failures.items())
        count = sum(failures.values())
        none = f"none of {count} warm runs of {name} finished: {told}"
        found.append(none if failures and not ended[FINISHED] + ended[DISTURBED] else "")
    return tuple(found)


def failing(
    runs: Sequence[JudgedRun], variants: int, baseline: int, alpha: float
) -> tuple[int, ...]:
    """The candidates that surely fail more often than the baseline."""
    if not variants:
        return ()
    told = _against(endings(runs, variants), baseline, alpha)
    return tuple(place for place, more in told.items() if more)


def _against(found: Sequence[Endings], baseline: int, alpha: float) -> dict[int, bool | None]:
    """Of each candidate whether it fails more often than the baseline; a part of the level each."""
    candidates = [place for place in range(len(found)) if place != baseline]
    level = alpha / max(1, len(candidates))
    return {place: fails_more(found[place], found[baseline], level) for place in candidates}


def _told(one: Endings, name: str, alpha: float) -> str:
    """`5 of 13 runs of 4.2 crashed (38 %, 14 to 68)`, or that none failed."""
    if not one.failed:
        return f"of {one.played} runs of {name} none failed"
    kinds = list(one.failures.items())
    first, count = kinds[0]
    told = f"{count} of {one.played} runs of {name} {FAILURES[first]}"
    told += "".join(f", {count} {FAILURES[kind]}" for kind, count in kinds[1:])
    low, high = (f"{100 * limit:.0f}" for limit in share_limits(one, alpha))
    return f"{told} ({100 * one.failed / one.played:.0f}{THIN}%, {low} to {high})"
