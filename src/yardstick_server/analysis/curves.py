"""Frame times of a stretch over all runs that count, and the run in the middle of each variant."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from yardstick_core.readings.idle import frame_times
from yardstick_server.analysis.records import run_record
from yardstick_server.studies.models import Study


@dataclass(frozen=True, slots=True)
class QuantileCurve:
    """Frame times at some shares, ms, mean over the runs of a variant, shape (n,); `frames` is how
    many the shortest of the runs has."""

    variant: int
    runs: int
    frames: int
    ms: NDArray[np.float64]


def quantile_curves(
    study: Study, path: Sequence[str], shares: NDArray[np.float64]
) -> list[QuantileCurve]:
    """A curve for each variant that has frames in the stretch at `path`; shares of shape (n,)."""
    found: dict[int, list[tuple[int, NDArray[np.float64]]]] = {}
    runs = study.runs.filter(state="read", cold=False, outcome="finished", left_out="")
    for run in runs.select_related("variant"):
        record = run_record(run, streams=["journal", "frames"])
        for stretch in record.stretches:
            if stretch.path == tuple(path):
                _, times = frame_times(record.frames_ns, stretch.start_ns, stretch.end_ns)
                if len(times) > 2:
                    own = found.setdefault(run.variant.position, [])
                    own.append((len(times), np.quantile(times, shares)))
    return [
        QuantileCurve(
            variant,
            len(sides),
            min(frames for frames, _ in sides),
            np.mean([ms for _, ms in sides], axis=0),
        )
        for variant, sides in sorted(found.items())
    ]


def middle_runs(row: Mapping[str, Any]) -> dict[int, int]:
    """Of each variant in a row of a board, the run whose reading is the middle one."""
    found = {}
    for variant, side in enumerate(row["samples"]):
        ordered = sorted(side, key=lambda sample: float(sample["value"]))
        if ordered:
            found[variant] = int(ordered[len(ordered) // 2]["run"])
    return found
