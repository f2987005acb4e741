"""`./yardstick bench traces`: a run of ten hours with 10 M frames and 30 counters, looked at.

A real database is filled with it as a rig would; then the interface's own requests are answered,
whole, down to the JSON. Each is held against reading the whole series first.
"""

from __future__ import annotations

import os
import sys
import time
from collections.abc import Callable

import numpy as np

from yardstick_command import up
from yardstick_command.postgres import Cluster
from yardstick_core.streams import chunk

FRAMES = 10_000_000
HOURS = 10
COUNTERS = 30
PER_SECOND = 20
FRAMES_A_CHUNK, SAMPLES_A_CHUNK = 2048, 200
SHOWN = (
    "subject.processor,machine.foreign,subject.resident,subject.unique,subject.proportional,"
    "subject.threads,subject.processes,subject.bytes_read,subject.bytes_written"
)


def main() -> int:
    cluster = Cluster("bench-postgres", quick=True)
    cluster.start()
    try:
        cluster.create_database("traces")
        os.environ.update(up.server_environment(cluster, "traces", 8000, 8001))
        import django

        django.setup()
        from django.core.management import call_command

        call_command("migrate", verbosity=0)
        run = filled()
        looked_at(run)
    finally:
        cluster.stop()
        cluster.remove()
    return 0


def counter_names() -> list[str]:
    names = [
        "subject.processor_seconds", "subject.resident", "subject.unique", "subject.proportional",
        "subject.threads", "subject.processes", "subject.bytes_read", "subject.bytes_written",
        "machine.busy_seconds", "machine.own_seconds", "machine.foreign_seconds",
        "machine.memory_used",
    ]  # fmt: skip
    return names + [f"core.{n}.busy_seconds" for n in range(COUNTERS - len(names))]


def filled() -> int:
    """A sealed run in the database; its number."""
    from yardstick_server.accounts.models import Workspace
    from yardstick_server.analysis.drawing import keep_overviews
    from yardstick_server.analysis.records import run_record
    from yardstick_server.inventory.models import Subject
    from yardstick_server.studies.models import Study
    from yardstick_server.traces.models import Chunk

    rng = np.random.default_rng(5)
    workspace, _ = Workspace.objects.get_or_create(name="bench")
    subject = Subject.objects.create(workspace=workspace, name="Weftwright")
    study = Study.objects.create(workspace=workspace, subject=subject, question="Q", factor="f")
    variant = subject.variants.create(name="4.1", program="weftwright")
    part = study.study_variants.create(variant=variant, position=0)
    study.keep_script('session "S"\n\nstep "A"\n  start\n')
    run = study.runs.create(variant=part, script=study.script, round=0, place=0, state="running")
    started = time.perf_counter()
    gaps = rng.gamma(40, HOURS * 3600e9 / FRAMES / 40, FRAMES).astype(np.int64)
    gaps[rng.integers(0, FRAMES, 2000)] += 60_000_000
    instants = np.cumsum(gaps)
    at = np.arange(0, HOURS * 3600 * 10**9, 10**9 // PER_SECOND)
    rows = []

    def put(stream: str, sequence: int, data: bytes, first: int, last: int, count: int) -> None:
        rows.append(
            Chunk(run=run, stream=stream, sequence=sequence, samples=count, first_ns=first,
                  last_ns=last, sha256="", data=data)
        )  # fmt: skip
        if len(rows) == 2000:
            Chunk.objects.bulk_create(rows)
            rows.clear()

    before = chunk.NO_FRAME
    for n, start in enumerate(range(0, FRAMES, FRAMES_A_CHUNK)):
        piece = instants[start : start + FRAMES_A_CHUNK]
        put(
            "frames",
            n,
            chunk.encode_frames(piece, before),
            int(piece[0]),
            int(piece[-1]),
            len(piece),
        )
        before = int(piece[-1])
    for name in counter_names():
        values = (
            np.cumsum(rng.random(len(at)))
            if "seconds" in name or "bytes" in name
            else (2.0**28 + np.cumsum(rng.normal(0, 1e5, len(at))))
        )
        for n, start in enumerate(range(0, len(at), SAMPLES_A_CHUNK)):
            times = at[start : start + SAMPLES_A_CHUNK]
            data = chunk.encode_counter(times, values[start : start + SAMPLES_A_CHUNK])
            put(name, n, data, int(times[0]), int(times[-1]), len(times))
    journal = [
        {"kind": "step", "at": 0, "path": ["A"], "start": 0, "end": int(instants[-1])},
        {"kind": "outcome", "at": 1, "outcome": "finished"},
    ]
    put("journal", 0, chunk.encode_journal(journal), 0, 1, 2)
    Chunk.objects.bulk_create(rows)
    run.state = "read"
    run.save()
    print(f"filled with {FRAMES:,} frames and {COUNTERS} counters in "
          f"{time.perf_counter() - started:.0f} s", flush=True)  # fmt: skip
    started = time.perf_counter()
    keep_overviews(run, run_record(run))
    print(f"{'zooms made, once a run, by the worker':<52}"
          f"{time.perf_counter() - started:>9.2f} s", flush=True)  # fmt: skip
    return run.pk


def looked_at(number: int) -> None:
    from django.contrib.auth.models import User
    from django.test import Client

    from yardstick_server.accounts.models import Member, Workspace
    from yardstick_server.analysis import records
    from yardstick_server.runs.models import Run

    run = Run.objects.get(pk=number)
    user = User.objects.create(username="bench")
    Member.objects.create(workspace=Workspace.objects.get(), user=user, role="owner")
    client = Client(headers={"host": "127.0.0.1"})
    client.force_login(user)

    def get(path: str) -> Callable[[], None]:
        def work() -> None:
            answer = client.get(path)
            assert answer.status_code == 200, answer.content[:300]

        return work

    def whole() -> None:
        times = np.diff(records.run_record(run, ["frames"]).frames_ns) / 1e6
        edges = np.linspace(0, len(times), 4001).astype(int)[:-1]
        np.minimum.reduceat(times, edges), np.maximum.reduceat(times, edges)

    reading = fastest(whole, 2)
    print(f"{'reading the whole frame series, for comparison':<52}{reading:>9.2f} s", flush=True)
    trace = f"/api/runs/{number}/trace"
    middle, end = HOURS * 1800, HOURS * 3600
    line("the run itself", get(f"/api/runs/{number}"), reading, 1.0)
    line("first view, the usual lanes", get(f"{trace}?counters={SHOWN}"), reading, 1.0)
    line("first view, all 30 counters", get(trace), reading, 1.0)
    zoom = f"{trace}?counters={SHOWN}&from={middle}&to={middle + end / 100}"
    line("1 % of it, the usual lanes", get(zoom), reading, 1.0)
    close = f"{trace}?counters={SHOWN}&from={middle}&to={middle + 2}"
    line("two seconds, frame by frame", get(close), reading, 1.0)
    for name, span in (
        ("readings of a minute", f"from={middle}&to={middle + 60}"),
        ("readings of an hour", f"from={middle}&to={middle + 3600}"),
        ("readings of all of it", f"from=0&to={end}"),
    ):
        path = f"/api/runs/{number}/stretch?{span}"
        records._SERIES.clear()
        line(f"{name}, for the first time", get(path), reading, 0.5, repeats=1)
        line(f"{name}, again", get(path), reading, 0.5)


def fastest(work: Callable[[], object], repeats: int = 3) -> float:
    best = float("inf")
    for _ in range(repeats):
        started = time.perf_counter()
        work()
        best = min(best, time.perf_counter() - started)
    return best


def line(
    name: str, work: Callable[[], object], reading: float, wanted: float, repeats: int = 3
) -> None:
    took = fastest(work, repeats)
    mark = "reached" if took <= wanted else "NOT REACHED"
    print(
        f"{name:<52}{1000 * took:>9.1f} ms  = {100 * took / reading:>6.1f} % of reading it whole"
        f"  (wanted under {1000 * wanted:,.0f} ms: {mark})",
        flush=True,
    )


if __name__ == "__main__":
    sys.exit(main())
