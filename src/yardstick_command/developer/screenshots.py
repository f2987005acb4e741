"""Takes the pictures of docs/screenshots anew, from a server of its own with the demo data."""

from __future__ import annotations

import os
import subprocess
from pathlib import Path

from yardstick_command.developer.own_server import own_server
from yardstick_command.install import say
from yardstick_command.places import PROJECT, VENV_PYTHON
from yardstick_command.processes import Part

#: Made-up programs that the rig of the pictures seems to have: no real one is shown in them.
MADE_UP = ("Brindlecast", "Kelpwick", "Ostlerboard", "Tallowmark", "Weftwright")


def made_up_programs(part: Part, folder: Path) -> None:
    """Desktop entries of made-up programs, which alone the agent finds."""
    if part.name != "agent":
        return
    share = folder / "share"
    (share / "applications").mkdir(parents=True)
    for name in MADE_UP:
        entry = f"[Desktop Entry]\nType=Application\nName={name}\nExec=python3 -m {name.lower()}\n"
        (share / "applications" / f"{name.lower()}.desktop").write_text(entry)
    part.environment |= {"XDG_DATA_HOME": str(share), "XDG_DATA_DIRS": str(share / "none")}


def screenshots(names: list[str]) -> int:
    """Start a server beside any other, run demo pictures against it, stop it again."""
    with own_server("pictures", made_up_programs) as server:
        say("taking pictures")
        done = subprocess.run(
            [
                *(str(VENV_PYTHON), str(PROJECT / "tests" / "browser" / "pictures.py")),
                *(server.link, str(PROJECT / "docs" / "screenshots"), *names),
            ],
            env={**os.environ, "PYTHONPATH": str(PROJECT / "tests")},
        )
        return done.returncode
