"""The file by which systemd starts the agent when its user signs in, or when the machine starts."""

from __future__ import annotations

import sys
from pathlib import Path

NAME = "noble-yardstick-agent.service"
FOLDER = Path("~/.config/systemd/user").expanduser()

UNIT = """\
[Unit]
Description=Noble Yardstick agent: measures sessions on this machine
After=graphical-session.target

[Service]
ExecStart={command} serve {config}
Restart=on-failure
RestartSec=5

[Install]
WantedBy=default.target
"""


def unit(config: Path) -> str:
    """The text of the file for a rig's own file."""
    command = Path(sys.argv[0]).absolute()
    return UNIT.format(command=_quoted(command), config=_quoted(config.absolute()))


def _quoted(path: Path) -> str:
    """A path as systemd reads it: quoted, with its specifiers and quotes taken as they are."""
    text = str(path).replace("\\", "\\\\").replace('"', '\\"').replace("%", "%%")
    return f'"{text}"'


def write(config: Path, folder: Path = FOLDER) -> Path | None:
    """Write the file; None where one is there already, which may be somebody's own."""
    place = folder / NAME
    if place.exists():
        return None
    folder.mkdir(parents=True, exist_ok=True)
    place.write_text(unit(config))
    return place
