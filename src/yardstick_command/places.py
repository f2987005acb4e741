"""Where things are."""

from __future__ import annotations

import hashlib
import os
import subprocess
from pathlib import Path

PROJECT = Path(__file__).resolve().parents[2]
SOURCES = PROJECT / "src"
WEB = PROJECT / "web"
VENV = PROJECT / ".venv"
VENV_PYTHON = VENV / "bin" / "python"
STATE = Path(os.environ.get("YARDSTICK_DATA") or PROJECT / ".yardstick")
AS_ROOT = os.geteuid() == 0


def database_folder(name: str) -> Path:
    """Where a PostgreSQL cluster lives.

    PostgreSQL does not run as root: then the folder must lie where its own user may go.
    """
    folder = STATE / name
    if not AS_ROOT:
        return folder
    STATE.mkdir(parents=True, exist_ok=True)
    reachable = subprocess.run(
        ["runuser", "-u", "postgres", "--", "test", "-x", str(STATE)], capture_output=True
    )
    if reachable.returncode == 0:
        return folder
    mark = hashlib.sha256(str(STATE).encode()).hexdigest()[:12]
    return Path("/var/lib/noble-yardstick") / mark / name
