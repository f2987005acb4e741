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
#: Below it lie clusters that PostgreSQL's own user could not reach among the rest.
OUTSIDE = Path("/var/lib/noble-yardstick")


def database_folder(name: str) -> Path:
    """Where a PostgreSQL cluster lives: where it was made, for as long as it is there.

    PostgreSQL does not run as root: then a new one must lie where its own user may go, and whether
    that is so of a folder may change.
    """
    inside = STATE / name
    if not AS_ROOT:
        return inside
    mark = hashlib.sha256(str(STATE).encode()).hexdigest()[:12]
    outside = OUTSIDE / mark / name
    made = next((one for one in (inside, outside) if (one / "PG_VERSION").exists()), None)
    if made:
        return made
    STATE.mkdir(parents=True, exist_ok=True)
    reachable = subprocess.run(
        ["runuser", "-u", "postgres", "--", "test", "-x", str(STATE)], capture_output=True
    )
    return inside if reachable.returncode == 0 else outside
