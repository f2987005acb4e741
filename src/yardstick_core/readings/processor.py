"""Processor use of the subject, in both conventions, and of everything else."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from yardstick_core.readings.metric import define
from yardstick_core.streams.chunk import Instants, Values
from yardstick_core.streams.entries import Entry

#: What the subject has used of the processor so far.
USED = "subject.processor_seconds"

PROCESSOR_SECONDS = define(
    "processor_seconds", "processor time", "s", "lower",
    "time all cores together spent on the subject and its children",
    material_amount=0.05,
)  # fmt: skip
PROCESSOR_CORES = define(
    "processor_cores", "processor use", "cores", "lower",
    "processor time over elapsed time; 1 is one core fully used",
    material_amount=0.05,
)  # fmt: skip
PROCESSOR_SHARE = define(
    "processor_share", "processor use of the machine", "%", "lower",
    "processor time over elapsed time and number of cores; 100 is the whole machine",
    material_amount=1, on_logs=False,
)  # fmt: skip
CORES_BUSY = define(
    "cores_busy", "cores more than half busy", "cores", "lower",
    "cores of the machine that were busy for more than half of a tenth of a second, by whatever "
    "program, averaged over the stretch: shows whether the work spreads",
    judged=False,
)  # fmt: skip
FOREIGN_SHARE = define(
    "background_cpu_share", "everything else on the machine", "%", "lower",
    "share of the whole machine used by all that is neither the subject, nor the display it "
    "draws on, nor the agent",
    material_amount=3, on_logs=False, judged=False,
)  # fmt: skip
SPENT = define(
    "processor_spent", "whole processor time", "s", "lower",
    "time all cores together spent on the subject and all it started, as the kernel counted it "
    "when they ended; known without sampling, and so what control runs are held by",
    material_amount=0.05, judged=False,
)  # fmt: skip

WINDOW_NS = 100_000_000


def cores_busy(counters: list[tuple[Instants, Values]], start_ns: int, end_ns: int) -> float | None:
    """Mean number of cores busy for more than half of each tenth of a second.

    `counters` are the busy seconds of every core; None below a fifth of a second.
    """
    edges = np.arange(start_ns, end_ns + 1, WINDOW_NS)
    if not counters or len(edges) < 3:
        return None
    busy = [
        np.diff(np.interp(edges, instants, values)) > 0.5 * WINDOW_NS / 1e9
        for instants, values in counters
    ]
    return float(np.sum(busy, axis=0).mean())


def to_the_end(
    counter: tuple[Instants, Values], journal: Sequence[Entry]
) -> tuple[Instants, Values]:
    """Processor seconds of the subject so far, with what it spent after its last sample.

    The kernel counts all of it when a program ends; the sampler reads it some times a second, and
    knows nothing of what came after. Only where the subject was started once, for then the whole
    is known to be its own.
    """
    instants, values = counter
    spent = next((entry for entry in journal if entry["kind"] == "spent"), None)
    starts = [
        entry for entry in journal if entry["kind"] == "started" and not entry.get("companion")
    ]
    if spent is None or "ended" not in spent or len(starts) != 1 or not len(values):
        return counter
    ended, missing = int(spent["ended"]), float(spent["processor_s"]) - float(values[-1])
    before = int(np.searchsorted(instants, ended))
    if missing <= 0 or not before:
        return counter
    last = np.full(len(values) - before + 1, float(spent["processor_s"]))
    return (
        np.concatenate([instants[:before], [ended], instants[before:]]),
        np.concatenate([values[:before], last]),
    )


def seconds_between(counter: tuple[Instants, Values], start_ns: int, end_ns: int) -> float | None:
    """Growth of a cumulative counter over a stretch, interpolated at both ends.

    None where the samples do not reach within 200 ms of the stretch.
    """
    instants, values = counter
    if len(instants) < 2 or instants[-1] < end_ns - 200_000_000:
        return None
    start, end = np.interp([start_ns, end_ns], instants, values)
    return float(end - start)
