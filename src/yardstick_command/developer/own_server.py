"""A server of its own with the demonstration, beside any other: for pictures and benchmarks."""

from __future__ import annotations

import shutil
import tempfile
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from pathlib import Path

from yardstick_command import up
from yardstick_command.places import STATE
from yardstick_command.postgres import Cluster, free_port
from yardstick_command.processes import Part, Together


@dataclass(frozen=True, slots=True)
class OwnServer:
    """`link` signs its owner in; `films` is where films lie, `folder` all that goes with it."""

    link: str
    films: Path
    folder: Path


@contextmanager
def own_server(
    name: str, change: Callable[[Part, Path], None] = lambda part, folder: None
) -> Iterator[OwnServer]:
    """Start it, and stop it again; `change` may change its parts before they start."""
    STATE.mkdir(parents=True, exist_ok=True)
    cluster = Cluster(f"{name}-postgres", quick=True)
    cluster.remove()
    folder = Path(tempfile.mkdtemp(prefix=f"yardstick-{name}-"))
    try:
        cluster.start()
        cluster.create_database(name)
        port, live_port = free_port(), free_port()
        environment = up.server_environment(cluster, name, port, live_port)
        environment["YARDSTICK_UPLOADS"] = str(folder / "uploads")
        environment["YARDSTICK_FILMS"] = str(folder / "films")
        rig = folder / "rig.json"
        link = up.prepare(environment, rig, folder / "spool")
        parts = up.parts(environment, port, live_port, rig)
        for part in parts:
            change(part, folder)
        together = Together(parts)
        try:
            together.start()
            up.wait_until_served(port)
            yield OwnServer(link, folder / "films", folder)
        finally:
            together.stop()
    finally:
        cluster.stop()
        cluster.remove()
        shutil.rmtree(folder, ignore_errors=True)
