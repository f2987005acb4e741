"""Counters that a rig's owner has named: numbers of a file or a command, sampled while it ran."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Final

import numpy as np

from yardstick_core.readings.metric import own_counter_key
from yardstick_core.streams.chunk import Instants, Values
from yardstick_core.streams.entries import Entry

#: Kind of the journal's entries that describe such a counter.
COUNTER: Final = "counter"


def own_counter_readings(
    journal: Sequence[Entry],
    counters: Mapping[str, tuple[Instants, Values]],
    start_ns: int,
    end_ns: int,
) -> list[tuple[str, str, float]]:
    """Name, metric and mean of each counter over a stretch, weighted by time.

    A value holds until the next; counters without a sample in the stretch or before are left out.
    """
    found = []
    for entry in journal:
        if entry["kind"] != COUNTER or entry["stream"] not in counters:
            continue
        instants, values = counters[entry["stream"]]
        first = max(0, int(np.searchsorted(instants, start_ns, side="right")) - 1)
        last = int(np.searchsorted(instants, end_ns))
        if last <= first:
            continue
        edges = np.append(np.maximum(instants[first:last], start_ns), end_ns)
        held = np.diff(edges).astype(float)
        mean = float(np.average(values[first:last], weights=held if held.sum() else None))
        key = own_counter_key(str(entry["unit"]), str(entry.get("better", "")))
        found.append((str(entry["name"]), key, mean))
    return found
