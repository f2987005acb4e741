"""Programs that nobody here wrote, of six toolkits: launched, driven and closed by one script.

Prints for each how the session ended, when its picture came to rest after the launch and after
typing, and how many timings nothing followed. What was learnt from it stands in docs/strangers.md.
Those that are not installed are named with the line that installs them.
"""

from __future__ import annotations

import json
import shutil
import sys
import tempfile
from dataclasses import dataclass, field
from pathlib import Path

from yardstick_agent.cli import measure
from yardstick_agent.spool.reader import SpoolReader
from yardstick_core.readings import derive


@dataclass(frozen=True, slots=True)
class Stranger:
    """A program of Debian: its toolkit and package, and how it is started."""

    toolkit: str
    package: str
    command: list[str]
    environment: dict[str, str] = field(default_factory=dict)
    #: What makes it show something new.
    act: str = 'type "abc"'
    #: Whether its picture ever comes to rest; that of a game does not.
    rests: bool = True


STRANGERS = [
    Stranger("GTK 3", "mousepad", ["mousepad"]),
    Stranger("GTK 4", "gtk-4-examples", ["gtk4-node-editor"], {"GSK_RENDERER": "cairo"}),
    Stranger("Qt 5", "featherpad", ["featherpad"]),
    Stranger("Qt 6", "qt6ct", ["qt6ct"], act="press Tab"),
    Stranger("Tk", "idle", ["/usr/bin/idle"]),
    Stranger("plain X", "x11-apps", ["xedit"]),
    Stranger("SDL", "toppler", ["/usr/games/toppler"], act="press Down", rests=False),
]  # fmt: skip

SCRIPT = """\
session "A stranger"

step "Launch"
  time launch
    start
    until window is steady for 800ms, within 30s

step "Work"
  wait 300ms
  time answer
    {act}
    until picture is steady for 800ms, within 10s
  time again
    {act}
    until picture is steady for 800ms, within 10s

step "Close"
  stop
"""


RESTLESS = """\
session "A stranger that never rests"

step "Launch"
  time launch
    start
    until window is shown, within 30s

step "Work"
  wait 1s
  frames answer
    {act}
    wait 2s

step "Close"
  stop
"""


def play(stranger: Stranger) -> str:
    """One session on a stranger; what came of it in a line."""
    folder = Path(tempfile.mkdtemp(prefix="yardstick-stranger-"))
    try:
        (folder / "work").mkdir()
        program = {"command": stranger.command, "environment": stranger.environment}
        script = (SCRIPT if stranger.rests else RESTLESS).format(act=stranger.act)
        assignment = {"script": script, "program": program, "display": ""}
        (folder / "assignment.json").write_text(json.dumps(assignment))
        measure(folder)
        run = SpoolReader(folder).run()
        known = {
            r.stretch[-1]: f"{r.value:.3f} ± {r.plus_minus:.3f} s"
            for r in derive(run)
            if r.metric == "duration"
        }
        times = ", ".join(
            f"{name} {known.get(name, 'none')}" for name in ("launch", "answer", "again")
        )
        return f"{run.outcome}: {times}{'; ' + run.detail if run.detail else ''}"
    finally:
        shutil.rmtree(folder, ignore_errors=True)


def main() -> None:
    wanted = set(sys.argv[1:])
    missing = []
    for stranger in STRANGERS:
        if wanted and stranger.package not in wanted:
            continue
        if shutil.which(stranger.command[0]) is None:
            missing.append(stranger.package)
            continue
        name = f"{stranger.toolkit}, {stranger.command[0]}"
        print(f"{name:<30}{play(stranger)}", flush=True)
    if missing:
        print(f"\nnot installed: apt-get install --no-install-recommends {' '.join(missing)}")


main()
