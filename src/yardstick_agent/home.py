"""The home of a run's programs: its own, so that runs start alike and touch nobody's things."""

from __future__ import annotations

import os
import shutil
import tempfile
from collections.abc import Mapping
from dataclasses import dataclass
from pathlib import Path

from yardstick_agent.session_user import AGENTS_OWN, SessionUser

#: Where programs keep their things, below a home: the names of the XDG base directories.
FOLDERS = {
    "XDG_CONFIG_HOME": ".config",
    "XDG_CACHE_HOME": ".cache",
    "XDG_DATA_HOME": ".local/share",
    "XDG_STATE_HOME": ".local/state",
}
#: How a run says whose home its programs had.
OWN_EMPTY, PREPARED, REAL = "its own, empty", "its own, prepared", "the person's own"
PERSONS = ("HOME", *FOLDERS)
#: Of the agent's own environment, what the programs of a run are told too.
PASSED_ON = ("PATH", "USER", "LANG", "LC_ALL", "TZ", "XAUTHORITY")
#: Told to every program of a run and handed on to all it starts: by it they are found at the end.
MARK = "YARDSTICK_RUN"
#: Name of the file in a run's folder that says where its folder for sockets is.
RUNTIME_FILE = "runtime"
RUNTIME_PREFIX = "yardstick-run-"


@dataclass(frozen=True, slots=True)
class RunHome:
    """`folder` is what HOME is set to, `runtime` where sockets lie: short, for their names must be.

    `kind` says whose home it is; `environment` is what programs are told of it.
    """

    folder: Path
    runtime: Path
    kind: str
    environment: Mapping[str, str]

    def path(self, name: str) -> Path:
        """A place of a program's, with `~` for the home that the run's programs have."""
        if name == "~" or name.startswith("~/"):
            return self.folder / name[2:]
        return Path(name)


def run_home(run: Path, real: bool = False, user: SessionUser = AGENTS_OWN) -> RunHome:
    """The home of the programs of the run in a folder: below it, or the person's own.

    What stands in `home` already, a prepared state, is what the programs find. It belongs to the
    user that the programs are started as.
    """
    runtime = Path(tempfile.mkdtemp(prefix=RUNTIME_PREFIX))  # readable by nobody else
    (run / RUNTIME_FILE).write_text(str(runtime))
    environment = {name: os.environ[name] for name in PASSED_ON if name in os.environ}
    environment |= {"XDG_RUNTIME_DIR": str(runtime), MARK: str(run), **user.told}
    environment.setdefault("LANG", "C.UTF-8")
    if real:
        environment |= {name: os.environ[name] for name in PERSONS if name in os.environ}
        return RunHome(Path.home(), runtime, REAL, environment)
    folder = run / "home"
    kind = PREPARED if folder.is_dir() and any(folder.iterdir()) else OWN_EMPTY
    environment |= {"HOME": str(folder), "PYTHONNOUSERSITE": "1"}
    access = Path.home() / ".Xauthority"
    if access.exists():
        environment.setdefault("XAUTHORITY", str(access))
    for variable, below in FOLDERS.items():
        (folder / below).mkdir(parents=True, exist_ok=True)
        environment[variable] = str(folder / below)
    user.give(folder, runtime)
    return RunHome(folder, runtime, kind, environment)


def remove_runtime(run: Path) -> None:
    """Throw the folder for sockets of the run in a folder away, where it has one."""
    try:
        runtime = Path((run / RUNTIME_FILE).read_text())
    except OSError:
        return
    if runtime.name.startswith(RUNTIME_PREFIX):
        shutil.rmtree(runtime, ignore_errors=True)
