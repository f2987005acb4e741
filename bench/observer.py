"""`./yardstick bench observer [ROUNDS]`: what measuring costs, and what it does to the measured.

The same program runs by itself and measured, turn by turn; it tells its own speed. The sampler
takes 20 counters a second and sees 144 pictures a second.
"""

from __future__ import annotations

import json
import os
import subprocess
import sys
import tempfile
import time
from collections.abc import Sequence
from pathlib import Path
from statistics import median

import numpy as np

from yardstick_agent.display.virtual import VirtualDisplay
from yardstick_agent.sampling import processes
from yardstick_agent.spool.reader import SpoolReader
from yardstick_core.compare.intervals import paired

HERE = Path(__file__).parent
COMMAND = [sys.executable, str(HERE / "drawing.py")]
SESSION = 'session "Cost"\nstep "Draw"\n  start\n  until exited, within 90s\n'
#: The same while a condition waits for the picture to be steady, which compares pictures.
COMPARING = SESSION.replace("until exited", "until picture is steady for 60s")
WANTED_PERCENT = 1.5
#: At full speed soon, and so often with and without: this machine's mood changes within seconds.
AT_FULL_SPEED, PAIRS = [*COMMAND, "144", "2"], 16
DRAWING_S = (2.0, 8.0)


def alone(folder: Path, display: str, command: Sequence[str] = COMMAND) -> dict[str, float]:
    """What the program tells of itself when nobody measures it."""
    subprocess.run(command, cwd=folder, env={**os.environ, "DISPLAY": display}, check=True)
    return dict(json.loads((folder / "result.json").read_text()))


def measured(
    folder: Path, session: str = SESSION, command: Sequence[str] = COMMAND
) -> tuple[dict[str, float], float]:
    """The same when it is measured, and the share of a core that measuring took, percent."""
    (folder / "work").mkdir()
    assignment = {"script": session, "program": {"command": command}, "display": ""}
    (folder / "assignment.json").write_text(json.dumps(assignment))
    process = subprocess.Popen(
        [sys.executable, "-m", "yardstick_agent.playing.measure", str(folder)]
    )
    used: list[tuple[float, float]] = []
    while process.poll() is None:
        # Its own time only: that of the program it has started counts when that one ends.
        with open(f"/proc/{process.pid}/stat") as file:
            fields = file.read().rsplit(") ", 1)[1].split()
        used.append((time.monotonic(), (int(fields[11]) + int(fields[12])) / processes.TICKS))
        time.sleep(0.1)
    run = SpoolReader(folder).run()
    started = next(entry for entry in run.journal if entry["kind"] == "started")["at"] / 1e9
    origin = next(entry for entry in run.journal if entry["kind"] == "facts")["clock_ns"] / 1e9
    times, seconds = np.array(used).T
    first, last = (origin + started + offset for offset in DRAWING_S)
    spent = np.interp(last, times, seconds) - np.interp(first, times, seconds)
    return dict(json.loads((folder / "work/result.json").read_text())), 100 * spent / (last - first)


def main() -> None:
    rounds = int(sys.argv[1]) if len(sys.argv) > 1 else 6
    late: list[float] = []
    slower: list[float] = []
    costs: list[float] = []
    comparing: list[float] = []
    with VirtualDisplay() as display:
        for number in range(rounds):
            ratio, cost = pair(number, display.name, COMMAND)
            costs.append(cost)
            late.append(ratio["p99_ms"])
            with tempfile.TemporaryDirectory() as three:
                comparing.append(measured(Path(three), COMPARING)[1])
            print(f"round {number + 1}: {cost:.2f} % of a core", flush=True)
        for number in range(PAIRS):
            slower.append(pair(number, display.name, AT_FULL_SPEED)[0]["worked_s"])
    mark = "reached" if median(costs) < WANTED_PERCENT else "NOT REACHED"
    print(
        f"measuring costs        {median(costs):.2f} % of one core "
        f"(wanted under {WANTED_PERCENT:g} %: {mark})"
    )
    print(
        f"while pictures are compared {median(comparing):.2f} % of one core, with 144 pictures a "
        f"second of which every one is another: {median(comparing) / median(costs):.1f} × as much"
    )
    for ratios, what in (
        (slower, "drawing at full speed takes"),
        (late, "p99 of the frame times is"),
    ):
        logs = np.log(ratios)
        interval = paired(logs[None, :])
        low, high = np.exp([interval.low[0], interval.high[0]])
        print(f"{what:<28} {np.exp(logs.mean()):.4f} × as long measured as not "
              f"(95 %: {low:.4f} to {high:.4f})")  # fmt: skip


def pair(number: int, display: str, command: Sequence[str]) -> tuple[dict[str, float], float]:
    """What the program tells of itself, measured against not, and what measuring took, percent."""
    with tempfile.TemporaryDirectory() as one, tempfile.TemporaryDirectory() as two:
        if number % 2:
            without = alone(Path(one), display, command)
            with_us, cost = measured(Path(two), command=command)
        else:
            with_us, cost = measured(Path(two), command=command)
            without = alone(Path(one), display, command)
    return {name: with_us[name] / without[name] for name in without}, cost


if __name__ == "__main__":
    main()
