"""`./yardstick bench films [ROUNDS]`: what filming costs on a rig, how quickly films are decoded.

The same program is measured with and without its film, turn by turn; it tells its own speed. It
draws 60 pictures a second, and 30. Decoding is told as a multiple of the time that the film lasts.
"""

from __future__ import annotations

import json
import os
import subprocess
import sys
import tempfile
import time
from pathlib import Path
from statistics import median

import numpy as np

from yardstick_agent.display.virtual import VirtualDisplay
from yardstick_agent.filming import FILM
from yardstick_agent.filming.film_file import FilmFile
from yardstick_agent.sampling import processes
from yardstick_agent.spool.reader import SpoolReader
from yardstick_core.compare.intervals import paired
from yardstick_core.films.container import opened, put_in_order

HERE = Path(__file__).parent
SESSION = 'session "Cost"\nstep "Draw"\n  start\n  until exited, within 90s\n'
WANTED_DECODING = 4.0
SIZE = (1280, 800)
SECONDS = 20


def measured(folder: Path, hertz: int, film: bool) -> tuple[dict[str, float], float]:
    """What the program tells of itself, and the share of a core that filming took, percent."""
    (folder / "work").mkdir()
    command = [sys.executable, str(HERE / "drawing.py"), str(hertz)]
    assignment = {
        "script": SESSION, "program": {"command": command}, "display": "", "film": film,
    }  # fmt: skip
    (folder / "assignment.json").write_text(json.dumps(assignment))
    process = subprocess.Popen(
        [sys.executable, "-m", "yardstick_agent.playing.measure", str(folder)]
    )
    used: list[tuple[float, float]] = []
    while process.poll() is None:
        filming = [pid for pid in _children(process.pid) if _is_filming(pid)]
        used += [(time.monotonic(), _seconds(pid)) for pid in filming]
        time.sleep(0.1)
    SpoolReader(folder).run()
    told = dict(json.loads((folder / "work/result.json").read_text()))
    if len(used) < 10:
        return told, 0.0
    times, seconds = np.array(used[5:-5]).T
    return told, 100 * float((seconds[-1] - seconds[0]) / (times[-1] - times[0]))


def _children(pid: int) -> list[int]:
    try:
        text = Path(f"/proc/{pid}/task/{pid}/children").read_text()
    except OSError:
        return []
    return [int(one) for one in text.split()]


def _is_filming(pid: int) -> bool:
    try:
        return b"yardstick_agent.filming" in Path(f"/proc/{pid}/cmdline").read_bytes()
    except OSError:
        return False


def _seconds(pid: int) -> float:
    try:
        fields = Path(f"/proc/{pid}/stat").read_text().rsplit(") ", 1)[1].split()
    except OSError:
        return float("nan")
    return (int(fields[11]) + int(fields[12])) / processes.TICKS


def cost(rounds: int, hertz: int) -> None:
    ratios: dict[str, list[float]] = {"worked_s": [], "p99_ms": []}
    taken: list[float] = []
    with VirtualDisplay() as display:
        os.environ["DISPLAY"] = display.name
        for number in range(rounds):
            found = {}
            for film in (True, False) if number % 2 else (False, True):
                with tempfile.TemporaryDirectory() as name:
                    found[film] = measured(Path(name), hertz, film)
            taken.append(found[True][1])
            for name, list_of in ratios.items():
                list_of.append(found[True][0][name] / found[False][0][name])
    print(f"filming {hertz} pictures a second takes {median(taken):.0f} % of one core")
    for name, what in (
        ("worked_s", "drawing at full speed takes"), ("p99_ms", "p99 of the frame times is"),
    ):  # fmt: skip
        logs = np.log(ratios[name])
        interval = paired(logs[None, :])
        low, high = np.exp([interval.low[0], interval.high[0]])
        print(f"{what:<28} {np.exp(logs.mean()):.3f} × as long filmed as not "
              f"(95 %: {low:.3f} to {high:.3f})")  # fmt: skip


def decoding(hertz: int) -> None:
    """How quickly a film of a scrolling picture is put in order, and decoded."""
    with tempfile.TemporaryDirectory() as name:
        folder = Path(name)
        rng = np.random.default_rng(1)
        cloth = rng.integers(0, 255, (SIZE[1] // 8 * 3, SIZE[0] // 8, 4), np.uint8)
        cloth = cloth.repeat(8, axis=0).repeat(8, axis=1)
        with FilmFile(folder, *SIZE) as film:
            for number in range(SECONDS * hertz):
                top = 3 * number % SIZE[1]
                film.add(cloth[top : top + SIZE[1]], number * 1_000_000_000 // hertz)
        began = time.perf_counter()
        facts = put_in_order(folder / FILM, folder / "whole.mp4")
        ordered = time.perf_counter() - began
        began = time.perf_counter()
        with opened(folder / "whole.mp4") as (container, stream):
            count = sum(1 for _ in container.decode(stream))
        took = time.perf_counter() - began
    times = facts.seconds / took
    mark = "reached" if times >= WANTED_DECODING else "NOT REACHED"
    print(f"{count} pictures of {SIZE[0]} by {SIZE[1]}, {hertz} a second: put in order at "
          f"{facts.seconds / ordered:.0f} ×, decoded at {times:.1f} × real time "
          f"(wanted {WANTED_DECODING:g} ×: {mark})")  # fmt: skip


def main() -> None:
    rounds = int(sys.argv[1]) if len(sys.argv) > 1 else 4
    for hertz in (60, 30):
        decoding(hertz)
    for hertz in (60, 30):
        cost(rounds, hertz)


if __name__ == "__main__":
    main()
