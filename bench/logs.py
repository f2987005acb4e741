"""`./yardstick bench logs [ROWS]`: a log of 10 M rows comes in, against Arrow only parsing it.

Time as ratios taken in one run; memory of a process of its own that reads it through.
"""

from __future__ import annotations

import os
import resource
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
from yardstick_core.formats.guess import propose
from yardstick_core.formats.log import LogReader
from yardstick_core.formats.source import look_at

ROWS = 10_000_000
WANTED_RATIO = 1.5
WANTED_MIB = 1024


def main() -> int:
    if sys.argv[1:2] == ["read"]:
        return read_alone(Path(sys.argv[2]))
    rows = int(sys.argv[1]) if len(sys.argv) > 1 else ROWS
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "loom.csv"
        write(path, rows)
        print(f"{rows:,} rows, {path.stat().st_size / 2**20:.0f} MiB of CSV", flush=True)
        started = time.perf_counter()
        pa.csv.read_csv(path)
        arrow = time.perf_counter() - started
        print(f"{'Arrow parses it, and no more':<44}{arrow:>8.2f} s", flush=True)
        child = [str(VENV_PYTHON), __file__, "read", str(path)]
        said = subprocess.run(child, capture_output=True, text=True, check=True).stdout.split()
        took, mib = float(said[0]), float(said[1])
        line("understood and read through", took, arrow)
        mark = "reached" if mib < WANTED_MIB else "NOT REACHED"
        print(f"{'memory of the process that reads':<44}{mib:>8.0f} MiB  (wanted under "
              f"{WANTED_MIB}: {mark})", flush=True)  # fmt: skip
        stored(path, arrow)
    return 0


def line(name: str, took: float, arrow: float) -> None:
    mark = "reached" if took <= WANTED_RATIO * arrow else "NOT REACHED"
    print(f"{name:<44}{took:>8.2f} s  = {took / arrow:.2f} × Arrow  (wanted {WANTED_RATIO:g} ×: "
          f"{mark})", flush=True)  # fmt: skip


def write(path: Path, rows: int) -> None:
    rng = np.random.default_rng(4)
    lengths = np.round(rng.gamma(40, 0.2, rows), 3)
    table = pa.table(
        {
            "time (s)": np.round(np.cumsum(lengths) / 1000, 4),
            "frame time (ms)": lengths,
            "memory (MiB)": np.round(200 + np.cumsum(rng.normal(0, 0.001, rows)), 2),
        }
    )
    pa.csv.write_csv(table, path)


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


def stored(path: Path, arrow: float) -> None:
    """The same with the database: chunks made and stored, as the worker does."""
    cluster = Cluster("bench-postgres", quick=True)
    cluster.start()
    try:
        cluster.create_database("logs")
        os.environ.update(up.server_environment(cluster, "logs", 8000, 8001))
        os.environ["YARDSTICK_UPLOADS"] = str(path.parent)
        import django

        django.setup()
        from django.core.management import call_command

        call_command("migrate", verbosity=0)
        from yardstick_server.accounts.models import Workspace
        from yardstick_server.inventory.models import Subject
        from yardstick_server.logs.keeping import keep
        from yardstick_server.studies.models import Study

        workspace = Workspace.objects.create(name="bench")
        subject = Subject.objects.create(workspace=workspace, name="Weftwright")
        study = Study.objects.create(workspace=workspace, subject=subject, question="Q", factor="f")
        variant = subject.variants.create(name="4.1", program="weftwright")
        study.study_variants.create(variant=variant, position=0)
        study.keep_script('session "S"\n\nstep "A"\n  start\n')
        mapping = propose(look_at(path)).mapping
        log = study.logs.create(workspace=workspace, name="loom.csv", mapping=mapping.as_dict())
        path.rename(log.path)
        started = time.perf_counter()
        keep(log, [0], ["A", "frames"])
        line("understood, packed and stored as a run", time.perf_counter() - started, arrow)
    finally:
        cluster.stop()
        cluster.remove()


if __name__ == "__main__":
    sys.exit(main())
