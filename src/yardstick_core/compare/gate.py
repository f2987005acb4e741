"""The gate: is a build slower in what matters? Pass, fail, or an honest "not known".

A build fails only where a row that was judged behind is behind once more in fresh rounds alone:
one error in some hundred builds would have everybody switch the gate off. It passes where nothing
that decides can be worse, as far as its interval goes, by more than its tolerance: what is too
small to matter, or what somebody says that a build may be worse by without being stopped.
"""

from __future__ import annotations

import math
from collections.abc import Collection, Iterable, Mapping, Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from scipy import special, stats

from yardstick_core.compare import text
from yardstick_core.compare.difference import RAW_BAND, Difference
from yardstick_core.compare.estimate import Sample
from yardstick_core.compare.materiality import MetricOfStretch
from yardstick_core.compare.rows import Row, qualified_label
from yardstick_core.compare.study import Judgement
from yardstick_core.compare.verdict import BEHIND, materiality
from yardstick_core.plan import DECIDED, Plan

NOT_SLOWER, SLOWER, NOT_KNOWN, NOT_MEASURED = OUTCOMES = (
    "not slower", "slower", "not known well enough", "could not be measured",
)  # fmt: skip
#: What a build server is told by the exit of a command.
EXITS = dict(zip(OUTCOMES, range(4), strict=True))
#: Most rounds before anything fails, and fresh ones that a failure has to hold in.
FIRST_ROUNDS, CONFIRMING_ROUNDS = 8, 4
#: Results that are brought in need so many rounds: fewer first ones decide nothing.
LEAST_RESULTS = 3
#: Level of the one-sided test that fresh rounds are held to: together with the first rounds the
#: gate errs far less often.
CONFIRMING_ALPHA = 0.1
#: How much worse a build may be, as far as is known, and still pass, percent.
TOLERANCE = 10.0
#: Builds that fail though nothing is slower, as a share (docs/calibration.md).
FALSE_FAILURES = 0.001
#: How surely the smallest change that a row can find is found.
POWER = 0.95


def gate_plan(rounds: int = FIRST_ROUNDS, cold_rounds: int = 1) -> Plan:
    """The plan of a build's first rounds."""
    return Plan(stop=DECIDED, cap=rounds, rounds=rounds, cold_rounds=cold_rounds)


def kept_back(rounds: Sequence[int]) -> list[int]:
    """Of rounds that are all there already, those that a failure is held against: the last ones.

    None where too few would be left to judge first: then nothing confirms a failure.
    """
    enough = len(rounds) >= LEAST_RESULTS + CONFIRMING_ROUNDS
    return sorted(rounds)[-CONFIRMING_ROUNDS:] if enough else []


@dataclass(frozen=True, slots=True)
class GateRow:
    """How a build stands on one metric; `standing` is an outcome, of this row alone.

    `smallest` is the smallest change for the worse that is found in 95 of 100 builds with as many
    rounds and this much noise: on logs a ratio, else in the own unit; NaN where nobody knows.
    """

    metric: str
    stretch: tuple[str, ...]
    label: str
    deciding: bool
    standing: str
    change_text: str
    why: str
    smallest: float
    smallest_text: str

    @property
    def place(self) -> MetricOfStretch:
        return self.metric, self.stretch


def gate_rows(
    judgement: Judgement,
    candidate: int,
    wanted: Collection[MetricOfStretch] = (),
    tolerance: float = TOLERANCE,
) -> list[GateRow]:
    """The rows that count: those wanted, or all that decide and the main ones; `tolerance` in
    percent."""
    return [
        _gate_row(row, row.differences[candidate], judgement.alpha, tolerance)
        for row in judgement.rows
        if (
            (row.metric.key, row.stretch) in wanted
            if wanted
            else row.deciding or (row.metric.primary and row.counted)
        )
    ]


def _gate_row(row: Row, found: Difference | None, alpha: float, tolerance: float) -> GateRow:
    place = row.metric.key, row.stretch, qualified_label(row), row.deciding
    if found is None or math.isnan(found.gain):
        why = found.caveats[-1] if found and found.caveats else "no reading of both sides"
        return GateRow(*place, NOT_KNOWN, "", why, math.nan, "")
    size, size_text = _smallest(row, found, alpha)
    change_text = " ".join(part for part in (found.change_text, f"({found.interval_text})") if part)
    if found.verdict_withheld:
        return GateRow(*place, NOT_KNOWN, change_text, found.caveats[0], size, size_text)
    if found.verdict == BEHIND:
        return GateRow(*place, SLOWER, change_text, "", size, size_text)
    if found.gain_low >= -_margin(row, found, tolerance):
        return GateRow(*place, NOT_SLOWER, change_text, "", size, size_text)
    why = f"it may be worse by more than {tolerance:g}{text.THIN}%"
    return GateRow(*place, NOT_KNOWN, change_text, why, size, size_text)


def _margin(row: Row, found: Difference, tolerance: float) -> float:
    """How far below 0 the interval of a gain may reach. In the own unit, whose scale is stretched
    so that what matters is drawn like 3 %, the tolerance is stretched alike."""
    wanted = math.log1p(tolerance / 100)
    if row.metric.on_logs:
        return max(found.band, wanted)
    return max(found.band, found.band * wanted / RAW_BAND)


def _smallest(row: Row, found: Difference, alpha: float) -> tuple[float, str]:
    """What would be found: the band or the half-width, whichever is more, and some spread."""
    n = min(found.baseline_runs, found.candidate_runs)
    half = (found.gain_high - found.gain_low) / 2
    if n < 2 or not math.isfinite(half):
        return math.nan, ""
    error = half / float(special.stdtrit(n - 1, 1 - alpha / 2))
    size = max(found.band, half) + float(special.stdtrit(n - 1, POWER)) * error
    if row.metric.on_logs:
        ratio = math.exp(size)
        worse = 1 / ratio if row.metric.higher_is_better else ratio
        return worse, text.percent_noun(row.metric, worse)
    own = size * abs(found.change / found.gain) if found.gain else math.nan
    if not math.isfinite(own):
        return math.nan, ""
    sign = -1 if row.metric.higher_is_better else 1
    return own, text.signed(row.metric, sign * own)


def to_confirm(rows: Iterable[GateRow]) -> list[MetricOfStretch]:
    """The rows that have failed once."""
    return [row.place for row in rows if row.standing == SLOWER]


def confirmed(
    judgement: Judgement,
    baseline: int,
    candidate: int,
    failing: Collection[MetricOfStretch],
    fresh: Collection[int],
    tolerance: float = TOLERANCE,
) -> dict[MetricOfStretch, bool | None]:
    """Of rows that failed, whether they fail again in the fresh rounds alone; None where these
    cannot tell, or where they do not and all rounds together leave it open all the same."""
    found: dict[MetricOfStretch, bool | None] = dict.fromkeys(failing)
    for row in judgement.rows:
        place = row.metric.key, row.stretch
        if place not in failing:
            continue
        again = _worse_again(row, baseline, candidate, fresh)
        difference = row.differences[candidate]
        if again is False and difference is not None:
            within = difference.gain_low >= -_margin(row, difference, tolerance)
            again = False if within else None
        found[place] = again
    return found


def _worse_again(row: Row, baseline: int, candidate: int, fresh: Collection[int]) -> bool | None:
    """Whether the pairs of fresh rounds are worse by what matters, by a plain one-sided t test:
    nothing is set apart of so few, and a run without end is as bad as it is known to be."""
    before, build = (
        {sample.round: sample for sample in row.samples[side] if sample.round in fresh}
        for side in (baseline, candidate)
    )
    rounds = sorted(before.keys() & build.keys())
    if len(rounds) < 3 or any(before[number].right_censored for number in rounds):
        return None
    values = _values(before, rounds), _values(build, rounds)
    on_logs = row.metric.on_logs and min(values[0].min(), values[1].min()) > 0
    band = materiality(
        row.metric, (float(np.median(values[0])), float(np.median(values[1]))), on_logs=on_logs
    )
    first, second = map(np.log, values) if on_logs else values
    worse = (first - second) if row.metric.higher_is_better else (second - first)
    if float(np.median(worse)) < band:
        return False
    if float(np.ptp(worse)) == 0:
        return True
    p = float(stats.ttest_1samp(worse, 0.0, alternative="greater").pvalue)
    return p < CONFIRMING_ALPHA


def _values(samples: Mapping[int, Sample], rounds: Sequence[int]) -> NDArray[np.float64]:
    return np.array([samples[number].value for number in rounds], np.float64)


def outcome(
    rows: Sequence[GateRow], again: dict[MetricOfStretch, bool | None] | None = None
) -> tuple[str, str]:
    """The outcome of a build, and why in a sentence; `again` once failures were held against
    fresh rounds."""
    if not any(row.change_text for row in rows):
        return NOT_MEASURED, "nothing that counts was read of both sides"
    failed = [row for row in rows if row.standing == SLOWER]
    if failed and again is not None:
        held = [row for row in failed if again.get(row.place)]
        if held:
            said = "; ".join(f"{row.label} {row.change_text}" for row in held)
            return SLOWER, f"slower, and again in fresh rounds: {said}"
        if any(again.get(row.place) is None for row in failed):
            return NOT_KNOWN, f"{_labels(failed)} failed once, and fresh rounds do not settle it"
        rows = [row for row in rows if row.standing != SLOWER]
    elif failed:
        return SLOWER, f"{_labels(failed)} failed once: to be held against fresh rounds"
    open_ = [row for row in rows if row.standing == NOT_KNOWN and row.deciding]
    if open_:
        return NOT_KNOWN, f"{_labels(open_)}: {open_[0].why}"
    passed = "nothing that decides is slower by more than what matters"
    if failed:
        passed += f"; {_labels(failed)} failed once and not again in fresh rounds"
    return NOT_SLOWER, passed


def _labels(rows: Sequence[GateRow]) -> str:
    return ", ".join(row.label for row in rows)


def yearly_false_failures(builds: int, days: float) -> float:
    """How many builds a year are to be expected to fail though nothing is slower."""
    return FALSE_FAILURES * builds * 365.25 / max(1.0, days)
