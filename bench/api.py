"""`./yardstick bench api [COPIES]`: how long each page's requests take, and what they ask.

The demonstration is loaded into a database of its own, and every GET of the API that its pages make
is asked in one process without a network: median and 99th percentile in milliseconds, and how often
the database is asked. With COPIES the demonstration's studies are there so many times more; the
last column is the ratio of that to the demonstration alone.
"""

from __future__ import annotations

import json
import statistics
import subprocess
import sys
import tempfile
import time
from functools import partial
from pathlib import Path
from typing import Any

from yardstick_command import up
from yardstick_command.places import PROJECT, VENV_PYTHON
from yardstick_command.postgres import Cluster

ROUNDS = 40
ROUTES = [
    "session", "studies", "subjects", "fixtures", "rigs", "runs", "members", "audit", "shelf",
    "studies/{study}", "studies/{study}/board", "studies/{study}/decision",
    "studies/{study}/match", "studies/{study}/plan", "studies/{study}/profiles",
    "studies/{study}/claims", "studies/{study}/claimable", "studies/{study}/scripts",
    "runs/{run}", "runs/{run}/trace", "runs/{run}/laps", "runs/{run}/findings", "schema",
]  # fmt: skip


def measured() -> dict[str, Any]:
    """In the server's own environment: each route's times, ms, and number of queries."""
    import django

    django.setup()
    from django.conf import settings
    from django.db import connection
    from django.test import Client

    from yardstick_server.accounts.models import Member
    from yardstick_server.studies.models import Study

    settings.ALLOWED_HOSTS = ["testserver"]
    client = Client()
    client.force_login(
        Member.objects.filter(role="owner").first().user,
        backend="django.contrib.auth.backends.ModelBackend",
    )
    largest = Study.objects.filter(demonstration=True).order_by("pk").last()
    numbers = {"study": largest.pk, "run": largest.runs.filter(state="read").first().pk}
    found = {}
    for route in ROUTES:
        path = f"/api/{route.format(**numbers)}"
        first = client.get(path)
        assert first.status_code == 200, (path, first.status_code)
        asked: list[str] = []
        with connection.execute_wrapper(partial(counted, asked)):
            client.get(path)
        times = []
        for _ in range(ROUNDS):
            began = time.perf_counter()
            client.get(path)
            times.append(1e3 * (time.perf_counter() - began))
        found[route] = {
            "median": statistics.median(times),
            "p99": statistics.quantiles(times, n=100)[98],
            "queries": len(asked),
        }
    return found


def counted(asked: list[str], execute: Any, query: str, *more: Any) -> Any:
    asked.append(query)
    return execute(query, *more)


def in_the_server(environment: dict[str, str], *code: str) -> str:
    done = subprocess.run(
        [str(VENV_PYTHON), *code], env={**environment, "PATH": "/usr/bin:/bin"},
        capture_output=True, text=True,
    )  # fmt: skip
    if done.returncode:
        sys.exit(done.stderr[-3000:])
    return done.stdout


def copying(copies: int) -> str:
    """What copies the demonstration's studies so many times within their workspace."""
    code = (PROJECT / "tests" / "browser" / "many_studies.py").read_text()
    code = code.replace('Workspace.objects.get(name="Many")', "Workspace.objects.first()")
    code = code.replace(".exclude(workspace=many)", "")
    return "import django; django.setup()\n" + code.replace("COPIES = 13", f"COPIES = {copies}")


def main() -> None:
    copies = int(sys.argv[1]) if len(sys.argv) > 1 else 0
    cluster = Cluster("bench-postgres", quick=True)
    cluster.start()
    try:
        with tempfile.TemporaryDirectory() as folder:
            environment = up.server_environment(cluster, "bench_api", 1, 2)
            cluster.remove_database("bench_api")
            cluster.create_database("bench_api")
            print("loading the demonstration", flush=True)
            up.prepare(environment, Path(folder) / "rig.json", Path(folder) / "spool")
            alone = json.loads(in_the_server(environment, __file__, "--measure"))
            many = {}
            if copies:
                print(f"copying its studies {copies} times", flush=True)
                in_the_server(environment, "-c", copying(copies))
                many = json.loads(in_the_server(environment, __file__, "--measure"))
    finally:
        cluster.stop()
    print(
        f"\n{'GET /api/…':32}{'median':>9}{'p99':>9}{'queries':>9}" + "   with copies" * bool(many)
    )
    for route, one in alone.items():
        line = f"{route:32}{one['median']:7.1f} ms{one['p99']:6.0f} ms{one['queries']:9}"
        if many:
            other = many[route]
            line += (
                f"{other['median']:9.1f} ms{other['queries']:5} queries"
                f"   × {other['median'] / one['median']:.1f}"
            )
        print(line)


if __name__ == "__main__":
    if "--measure" in sys.argv:
        print(json.dumps(measured()))
    else:
        main()
