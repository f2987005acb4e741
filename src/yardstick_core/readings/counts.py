"""Processes, threads and bytes of the subject and its children."""

from __future__ import annotations

from collections.abc import Mapping

import numpy as np

from yardstick_core.readings.metric import define
from yardstick_core.streams.chunk import Instants, Values

SHOWN_LONG_ENOUGH = "its main window shown for a second"

THREADS = define(
    "threads", "threads", "", "lower",
    "most threads of the subject and its children at once in the stretch, sampled",
    material_amount=1, on_logs=False,
)  # fmt: skip
PROCESSES = define(
    "processes", "processes", "", "lower",
    "most processes of the subject at once in the stretch, itself included, sampled",
    material_amount=1, on_logs=False,
)  # fmt: skip
HANDLES = define(
    "handles", "open handles", "", "lower",
    "most open files, pipes, sockets and the like of the subject and its children at once, sampled",
    material_amount=5, on_logs=False,
)  # fmt: skip
START_THREADS = define(
    "start_threads", "threads after the start", "", "lower",
    "threads of the subject and its children when its main window had been shown for a second",
    material_amount=1, on_logs=False, minimum=SHOWN_LONG_ENOUGH,
)  # fmt: skip
START_PROCESSES = define(
    "start_processes", "processes after the start", "", "lower",
    "processes of the subject when its main window had been shown for a second, itself included",
    material_amount=1, on_logs=False, minimum=SHOWN_LONG_ENOUGH,
)  # fmt: skip
START_HANDLES = define(
    "start_handles", "handles after the start", "", "lower",
    "open files, pipes, sockets and the like when its main window had been shown for a second",
    material_amount=5, on_logs=False, minimum=SHOWN_LONG_ENOUGH,
)  # fmt: skip
INSTALLED = define(
    "installed", "installed size", "MiB", "lower",
    "bytes of all files the rig names as installed for the variant, as they lie on disk",
    material_amount=1, on_logs=False,
)  # fmt: skip
INSTALLED_FILES = define(
    "installed_files", "installed files", "", "lower",
    "how many files the rig names as installed for the variant, folders searched through",
    material_amount=10, on_logs=False,
)  # fmt: skip
DISK_READ = define(
    "disk_read", "read from disk", "MiB", "lower",
    "bytes the subject and its children caused to be fetched from storage in the stretch; what "
    "the machine still holds in memory is not fetched",
    material_amount=1, on_logs=False,
)  # fmt: skip
DISK_WRITTEN = define(
    "disk_written", "written to disk", "MiB", "lower",
    "bytes the subject and its children caused to be sent to storage in the stretch",
    material_amount=1, on_logs=False,
)  # fmt: skip
SENT = define(
    "network_sent", "sent over the network", "MiB", "lower",
    "bytes that the TCP connections of the subject and its children sent in the stretch; a "
    "connection that came and went within half a second is not seen",
    material_amount=0.1, on_logs=False,
)  # fmt: skip
RECEIVED = define(
    "network_received", "received over the network", "MiB", "lower",
    "bytes that the TCP connections of the subject and its children received in the stretch; a "
    "connection that came and went within half a second is not seen",
    material_amount=0.1, on_logs=False,
)  # fmt: skip

#: Counters that a reading takes the largest sample of, and those it takes the growth of.
LARGEST = {
    "subject.threads": THREADS,
    "subject.processes": PROCESSES,
    "subject.handles": HANDLES,
}
GROWN = {
    "subject.bytes_read": DISK_READ,
    "subject.bytes_written": DISK_WRITTEN,
    "subject.bytes_sent": SENT,
    "subject.bytes_received": RECEIVED,
}
#: What the subject was like once it had started, by counter.
AT_START = {
    "subject.threads": START_THREADS,
    "subject.processes": START_PROCESSES,
    "subject.handles": START_HANDLES,
}
SETTLED_IN_NS = 1_000_000_000


def at_start(counters: Mapping[str, tuple[Instants, Values]], shown_ns: int) -> dict[str, float]:
    """Threads, processes and handles a second after the main window was shown, by metric.

    Taken from the first sample at or after that moment, so long as it comes within two seconds.
    """
    found = {}
    for name, metric in AT_START.items():
        if name not in counters:
            continue
        instants, values = counters[name]
        place = int(np.searchsorted(instants, shown_ns + SETTLED_IN_NS))
        near = place < len(instants) and instants[place] < shown_ns + 3 * SETTLED_IN_NS
        if near and values[place] > 0:
            found[metric.key] = float(values[place])
    return found
