"""Processes, threads and bytes of the subject and its children."""

from __future__ import annotations

from yardstick_core.readings.metric import define

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

#: Counters that a reading takes the largest sample of, and those it takes the growth of.
LARGEST = {"subject.threads": THREADS, "subject.processes": PROCESSES}
GROWN = {"subject.bytes_read": DISK_READ, "subject.bytes_written": DISK_WRITTEN}
