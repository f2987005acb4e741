"""`./yardstick bench logs [ROWS]`: a log of 10 M rows comes in, against Arrow only parsing it.

Time as ratios taken in one run; memory of a process of its own that reads it through.
"""

from __future__ import annotations

import os
import resource
import statistics
import subprocess
import sys
import tempfile
import time
from pathlib import Path

import numpy as np
import pyarrow as pa
import pyarrow.csv

from yardstick_command import up
from yardstick_command.places import VENV_PYTHON
from yardstick_command.postgres import Cluster
from yardstick_core.formats.guessing.guess import propose
from yardstick_core.formats.log import LogReader
from yardstick_core.formats.source import look_at

ROWS = 10_000_000
TURNS = 5
WANTED_RATIO = 1.5
WANTED_MIB = 1024


def main() -> int:
    job = JOBS.get(sys.argv[1]) if len(sys.argv) == 3 else None
    if job:
        return job(Path(sys.argv[2]))
    rows = int(sys.argv[1]) if len(sys.argv) > 1 else ROWS
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "loom.csv"
        subprocess.run([str(VENV_PYTHON), __file__, "write", f"{path}:{rows}"], check=True)
        print(f"{rows:,} rows, {path.stat().st_size / 2**20:.0f} MiB of CSV, in {TURNS} turns",
              flush=True)  # fmt: skip
        cluster = Cluster("bench-postgres", quick=True)
        cluster.start()
        try:
            cluster.create_database("logs")
            os.environ.update(up.server_environment(cluster, "logs", 8000, 8001))
            os.environ["YARDSTICK_UPLOADS"] = folder
            compare(path)
        finally:
            cluster.stop()
            cluster.remove()
    return 0


def compare(path: Path) -> None:
    """Each job in a process of its own, in turns: what is done first pays for fresh memory."""
    arrow, through, kept, most = [], [], [], 0.0
    for _ in range(TURNS):
        arrow.append(alone("arrow", path)[0])
        took, mib = alone("read", path)
        through.append(took)
        most = max(most, mib)
        kept.append(alone("keep", path)[0])
    print(f"{'Arrow parses it, and no more':<44}{statistics.median(arrow):>8.2f} s")
    line("understood and read through", through, arrow)
    line("understood, packed and stored as a run", kept, arrow)
    mark = "reached" if most < WANTED_MIB else "NOT REACHED"
    print(f"{'memory of the process that reads':<44}{most:>8.0f} MiB  (wanted under "
          f"{WANTED_MIB}: {mark})", flush=True)  # fmt: skip


def line(name: str, took: list[float], arrow: list[float]) -> None:
    ratios = sorted(one / other for one, other in zip(took, arrow, strict=True))
    ratio = statistics.median(ratios)
    mark = "reached" if ratio <= WANTED_RATIO else "NOT REACHED"
    print(f"{name:<44}{statistics.median(took):>8.2f} s  = {ratio:.2f} × Arrow, {ratios[0]:.2f} to "
          f"{ratios[-1]:.2f} (wanted {WANTED_RATIO:g} ×: {mark})", flush=True)  # fmt: skip


def alone(job: str, path: Path) -> list[float]:
    child = [str(VENV_PYTHON), __file__, job, str(path)]
    said = subprocess.run(child, stdout=subprocess.PIPE, text=True, check=True).stdout
    return [float(number) for number in said.split()]


def write(wanted: Path) -> int:
    path, rows = str(wanted).rsplit(":", 1)
    rng = np.random.default_rng(4)
    lengths = np.round(rng.gamma(40, 0.2, int(rows)), 3)
    table = pa.table(
        {
            "time (s)": np.round(np.cumsum(lengths) / 1000, 4),
            "frame time (ms)": lengths,
            "memory (MiB)": np.round(200 + np.cumsum(rng.normal(0, 0.001, int(rows))), 2),
        }
    )
    pa.csv.write_csv(table, path)
    return 0


def arrow_alone(path: Path) -> int:
    started = time.perf_counter()
    pa.csv.read_csv(path)
    print(time.perf_counter() - started)
    return 0


def read_alone(path: Path) -> int:
    source = look_at(path)
    started = time.perf_counter()
    reader = LogReader(source, propose(source).mapping)
    for _ in reader.pieces():
        pass
    took = time.perf_counter() - started
    assert reader.summary.broken == 0
    print(took, resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1024)
    return 0


def keep_alone(path: Path) -> int:
    """The same with the database: chunks made and stored, as the worker does."""
    import django

    django.setup()
    from django.core.management import call_command

    call_command("migrate", verbosity=0)
    from yardstick_server.accounts.models import Workspace
    from yardstick_server.inventory.models import Subject
    from yardstick_server.logs.keeping import keep
    from yardstick_server.studies.models import Study

    workspace = Workspace.objects.create(name=f"bench {os.getpid()}")
    subject = Subject.objects.create(workspace=workspace, name="Weftwright")
    study = Study.objects.create(workspace=workspace, subject=subject, question="Q", factor="f")
    variant = subject.variants.create(name="4.1", program="weftwright")
    study.study_variants.create(variant=variant, position=0)
    study.keep_script('session "S"\n\nstep "A"\n  start\n')
    mapping = propose(look_at(path)).mapping
    log = study.logs.create(workspace=workspace, name="loom.csv", mapping=mapping.as_dict())
    os.link(path, log.path)
    started = time.perf_counter()
    keep(log, [0], ["A", "frames"])
    print(time.perf_counter() - started)
    return 0


JOBS = {"write": write, "arrow": arrow_alone, "read": read_alone, "keep": keep_alone}


if __name__ == "__main__":
    sys.exit(main())
