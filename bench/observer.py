"""`./yardstick bench observer [ROUNDS]`: what measuring costs, and what it does to the measured.

The same program runs by itself and measured, turn by turn; it tells its own speed. The sampler
takes 20 counters a second and sees 144 pictures a second. Then one that draws as fast as it can is
measured and not, a second each: the mood of a machine changes within seconds.
"""

from __future__ import annotations

import json
import os
import signal
import subprocess
import sys
import tempfile
import threading
import time
from collections.abc import Sequence
from pathlib import Path
from statistics import median

import numpy as np

from yardstick_agent.display.virtual import VirtualDisplay
from yardstick_agent.playing.measure import Measurement
from yardstick_agent.sampling import processes
from yardstick_agent.spool.reader import SpoolReader
from yardstick_core.compare.intervals import paired

HERE = Path(__file__).parent
COMMAND = [sys.executable, str(HERE / "drawing.py")]
SESSION = 'session "Cost"\nstep "Draw"\n  start\n  until exited, within 90s\n'
#: The same while a condition waits for the picture to be steady, which compares pictures.
COMPARING = SESSION.replace("until exited", "until picture is steady for 60s")
WANTED_PERCENT, WANTED_RATIO = 1.5, 1.05
DRAWING_S = (2.0, 8.0)
#: At full speed, s: so long in all, by turns measured and not; before and after each change so long
#: is held against one another, but for a moment after it.
AT_FULL_SPEED_S, TURN_S, HELD_S, CHANGING_S = 90.0, 1.0, 0.5, 0.1


def alone(folder: Path, display: str) -> dict[str, float]:
    """What the program tells of itself when nobody measures it."""
    subprocess.run(COMMAND, cwd=folder, env={**os.environ, "DISPLAY": display}, check=True)
    return dict(json.loads((folder / "result.json").read_text()))


def prepare(folder: Path, session: str, command: Sequence[str]) -> None:
    (folder / "work").mkdir()
    assignment = {"script": session, "program": {"command": command}, "display": ""}
    (folder / "assignment.json").write_text(json.dumps(assignment))


def measured(folder: Path, session: str = SESSION) -> tuple[dict[str, float], float]:
    """The same when it is measured, and the share of a core that measuring took, percent."""
    prepare(folder, session, COMMAND)
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


def turns_at_full_speed(folder: Path) -> list[float]:
    """How much longer the same takes measured than not, as a ratio, around each change."""
    prepare(folder, SESSION, [*COMMAND, f"{AT_FULL_SPEED_S:g}"])
    recorder = subprocess.Popen(
        [sys.executable, __file__, "record", str(folder)],
        stdin=subprocess.PIPE, stdout=subprocess.PIPE, text=True,
    )  # fmt: skip
    assert recorder.stdin
    assert recorder.stdout
    recorder.stdout.readline()  # something is drawn
    changes: list[tuple[float, float]] = []
    until, watched = time.monotonic() + AT_FULL_SPEED_S - 5, True
    while time.monotonic() < until:
        time.sleep(TURN_S)
        before, watched = time.monotonic(), not watched
        recorder.send_signal(signal.SIGCONT)
        recorder.stdin.write("watch\n" if watched else "leave\n")
        recorder.stdin.flush()
        recorder.stdout.readline()
        if not watched:
            recorder.send_signal(signal.SIGSTOP)
        changes.append((before, time.monotonic() + CHANGING_S))
    recorder.send_signal(signal.SIGCONT)
    recorder.stdin.close()
    recorder.wait()
    ended = np.array(json.loads((folder / "work/result.json").read_text())["ended_ns"]) / 1e9

    def took(began: float, over: float) -> float:
        inside = ended[(ended > began) & (ended < over)]
        return float((inside[-1] - inside[0]) / (len(inside) - 1))

    ratios = [
        took(after, after + HELD_S) / took(before - HELD_S, before) for before, after in changes
    ]
    return [1 / ratio if number % 2 == 0 else ratio for number, ratio in enumerate(ratios)]


def record(folder: Path) -> None:
    """Measure, and leave what is drawn unwatched, or watch it again, when told to."""
    measurement = Measurement(folder, json.loads((folder / "assignment.json").read_text()))

    def obey() -> None:
        while measurement.player is None or not measurement.watcher.told.count:
            time.sleep(0.05)
            if measurement.player is not None:
                measurement.watcher.take_in()
        print("drawn", flush=True)
        watcher = measurement.watcher
        assert watcher.stamping is not None
        drawn, watched = watcher.stamping.drawn, dict(watcher._damages)
        for line in sys.stdin:
            for window, number in watched.items():
                if line == "leave\n":
                    drawn.leave(number)
                else:
                    watched[window] = drawn.watch(window)
            print("done", flush=True)

    threading.Thread(target=obey, daemon=True).start()
    measurement.run()


def main() -> None:
    if sys.argv[1:2] == ["record"]:
        record(Path(sys.argv[2]))
        return
    rounds = int(sys.argv[1]) if len(sys.argv) > 1 else 6
    late: list[float] = []
    costs: list[float] = []
    comparing: list[float] = []
    with VirtualDisplay() as display:
        for number in range(rounds):
            ratio, cost = pair(number, display.name)
            costs.append(cost)
            late.append(ratio["p99_ms"])
            with tempfile.TemporaryDirectory() as three:
                comparing.append(measured(Path(three), COMPARING)[1])
            print(f"round {number + 1}: {cost:.2f} % of a core", flush=True)
    mark = "reached" if median(costs) < WANTED_PERCENT else "NOT REACHED"
    print(
        f"measuring costs        {median(costs):.2f} % of one core "
        f"(wanted under {WANTED_PERCENT:g} %: {mark})"
    )
    print(
        f"while pictures are compared {median(comparing):.2f} % of one core, with 144 pictures a "
        f"second of which every one is another: {median(comparing) / median(costs):.1f} × as much"
    )
    line("p99 of the frame times is", late)
    with tempfile.TemporaryDirectory() as folder:
        line("drawing at full speed takes", turns_at_full_speed(Path(folder)), WANTED_RATIO)


def line(what: str, ratios: Sequence[float], wanted: float = 0.0) -> None:
    """Say a ratio with its interval; reached is what all of the interval is below."""
    logs = np.log(ratios)
    interval = paired(logs[None, :])
    low, high = np.exp([interval.low[0], interval.high[0]])
    mark = f"; wanted {wanted:g}: {'reached' if high <= wanted else 'NOT SHOWN'}" if wanted else ""
    print(f"{what:<28} {np.exp(logs.mean()):.4f} × as long measured as not "
          f"(95 %: {low:.4f} to {high:.4f}, {len(ratios)} pairs{mark})")  # fmt: skip


def pair(number: int, display: str) -> tuple[dict[str, float], float]:
    """What the program tells of itself, measured against not, and what measuring took, percent."""
    with tempfile.TemporaryDirectory() as one, tempfile.TemporaryDirectory() as two:
        if number % 2:
            without = alone(Path(one), display)
            with_us, cost = measured(Path(two))
        else:
            with_us, cost = measured(Path(two))
            without = alone(Path(one), display)
    return {name: with_us[name] / without[name] for name in without}, cost


if __name__ == "__main__":
    main()
