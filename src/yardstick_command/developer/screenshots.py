"""Takes the pictures of docs/screenshots anew, from a server of its own with the demo data."""

from __future__ import annotations

import os
import shutil
import subprocess
import tempfile
from pathlib import Path

from yardstick_command import up
from yardstick_command.install import say
from yardstick_command.places import PROJECT, STATE, VENV_PYTHON
from yardstick_command.postgres import Cluster, free_port
from yardstick_command.processes import Together

#: Made-up programs that the rig of the pictures seems to have: no real one is shown in them.
MADE_UP = ("Brindlecast", "Kelpwick", "Ostlerboard", "Tallowmark", "Weftwright")


def made_up_programs(folder: Path) -> dict[str, str]:
    """Desktop entries of made-up programs; the environment in which only they are found."""
    (folder / "applications").mkdir(parents=True)
    for name in MADE_UP:
        entry = f"[Desktop Entry]\nType=Application\nName={name}\nExec=python3 -m {name.lower()}\n"
        (folder / "applications" / f"{name.lower()}.desktop").write_text(entry)
    return {"XDG_DATA_HOME": str(folder), "XDG_DATA_DIRS": str(folder / "none")}


def screenshots(names: list[str]) -> int:
    """Start a server beside any other, run demo pictures against it, stop it again."""
    STATE.mkdir(parents=True, exist_ok=True)
    cluster = Cluster("pictures-postgres", quick=True)
    cluster.remove()
    folder = Path(tempfile.mkdtemp(prefix="yardstick-pictures-"))
    try:
        cluster.start()
        cluster.create_database("pictures")
        port, live_port = free_port(), free_port()
        environment = up.server_environment(cluster, "pictures", port, live_port)
        environment["YARDSTICK_UPLOADS"] = str(folder / "uploads")
        environment["YARDSTICK_FILMS"] = str(folder / "films")
        rig = folder / "rig.json"
        link = up.prepare(environment, rig, folder / "spool")
        parts = up.parts(environment, port, live_port, rig)
        for part in parts:
            if part.name == "agent":
                part.environment |= made_up_programs(folder / "share")
        together = Together(parts)
        try:
            together.start()
            up.wait_until_served(port)
            say("taking pictures")
            done = subprocess.run(
                [
                    *(str(VENV_PYTHON), str(PROJECT / "tests" / "browser" / "pictures.py")),
                    *(link, str(PROJECT / "docs" / "screenshots"), *names),
                ],
                env={**os.environ, "PYTHONPATH": str(PROJECT / "tests")},
            )
            return done.returncode
        finally:
            together.stop()
    finally:
        cluster.stop()
        cluster.remove()
        shutil.rmtree(folder, ignore_errors=True)
