"""`./yardstick bench soak [MINUTES]`: a long session, a leak of known size, an outage midway.

Says how near the leak found is to the one that was made, whether the agent's own memory stays flat,
and whether every sample arrived although the server was away for a third of the time.
"""

from __future__ import annotations

import json
import os
import subprocess
import sys
import tempfile
import time
from pathlib import Path

import httpx
import numpy as np

from yardstick_agent.client import Client, ServerAway
from yardstick_agent.sampling import processes
from yardstick_agent.spool.reader import SpoolReader
from yardstick_agent.spool.sender import Sender
from yardstick_core.readings import derive
from yardstick_core.streams import chunk

HERE = Path(__file__).parent
LEAK_MIB_PER_MINUTE = 6.0
WANTED_PERCENT = 5.0
FLAT_MIB_PER_HOUR = 4.0

SESSION = """\
session "A long soak"

step "Launch"
  start
  until log "ready"

step "Soak"
  for {minutes}min as lap
    press w
    until log "worked"
    wait 1s
"""


class Receiver:
    """Takes chunks like a server; away from one moment to another."""

    def __init__(self, away_from: float, away_to: float) -> None:
        self.away_from, self.away_to = away_from, away_to
        self.samples: dict[str, int] = {}
        self.doubled = self.refused = 0
        self._seen: set[str] = set()

    def answer(self, request: httpx.Request) -> httpx.Response:
        if self.away_from < time.monotonic() < self.away_to:
            self.refused += 1
            raise httpx.ConnectError("away")
        path = request.url.path
        if "/chunks/" in path:
            self.doubled += path in self._seen
            self._seen.add(path)
            stream = path.split("/streams/")[1].split("/")[0]
            count = chunk.read_head(request.content).count
            self.samples[stream] = self.samples.get(stream, 0) + count
        return httpx.Response(200, json={})


def resident_mib(pid: int) -> float:
    return processes.usage([pid]).resident / 2**20


def slope_per_hour(samples: list[tuple[float, float]]) -> float:
    """MiB per hour over the second half, when everything has been loaded once."""
    half = np.array(samples[len(samples) // 2 :])
    return float(np.polyfit(half[:, 0] / 3600, half[:, 1], 1)[0]) if len(half) > 2 else float("nan")


def main() -> None:
    minutes = float(sys.argv[1]) if len(sys.argv) > 1 else 30.0
    with tempfile.TemporaryDirectory(prefix="yardstick-soak-") as name:
        folder = Path(name)
        (folder / "work").mkdir()
        command = [sys.executable, str(HERE / "soaking.py"), str(LEAK_MIB_PER_MINUTE)]
        assignment = {
            "script": SESSION.format(minutes=f"{minutes:g}"),
            "program": {"command": command, "log": "soaking.log"},
            "display": "",
        }
        (folder / "assignment.json").write_text(json.dumps(assignment))
        soak(folder, minutes)


def soak(folder: Path, minutes: float) -> None:
    began = time.monotonic()
    receiver = Receiver(began + 20 * minutes, began + 40 * minutes)
    client = Client("http://soak", "token", transport=httpx.MockTransport(receiver.answer))
    sender = Sender(client, 1, folder)
    process = subprocess.Popen(
        [sys.executable, "-m", "yardstick_agent.playing.measure", str(folder)]
    )
    measuring, sending = [], []
    told = 0.0
    while process.poll() is None:
        try:
            sender.send(finished=False)
        except ServerAway:
            pass
        now = time.monotonic() - began
        measuring.append((now, resident_mib(process.pid)))
        sending.append((now, resident_mib(os.getpid())))
        if now - told >= 300:
            told = now
            print(f"{now / 60:.0f} of {minutes:g} min", flush=True)
        try:
            process.wait(2)
        except subprocess.TimeoutExpired:
            continue
    sender.seal()
    report(folder, receiver, measuring, sending)


def report(
    folder: Path,
    receiver: Receiver,
    measuring: list[tuple[float, float]],
    sending: list[tuple[float, float]],
) -> None:
    run = SpoolReader(folder).run()
    found = {(r.stretch[-1], r.metric): r for r in derive(run)}
    growth = found["Whole session", "memory_growth"]
    off = 100 * (growth.value / LEAK_MIB_PER_MINUTE - 1)
    laps = sum(stretch.kind == "lap" for stretch in run.stretches)
    kept = {"frames": len(run.frames_ns), "journal": len(run.journal)}
    kept |= {name: len(at) for name, (at, _) in run.counters.items()}
    lost = sum(abs(count - receiver.samples.get(name, 0)) for name, count in kept.items())
    size = sum(file.stat().st_size for file in folder.rglob("*.raw")) / 2**20
    print(f"session                {run.outcome}, {laps} laps, {sum(kept.values()):,} samples")
    mark = "reached" if abs(off) <= WANTED_PERCENT else "NOT REACHED"
    print(
        f"leak                   made {LEAK_MIB_PER_MINUTE:g} MiB/min, found {growth.value:.3f} "
        f"± {growth.plus_minus:.3f}: {off:+.2f} % (wanted within {WANTED_PERCENT:g} %: {mark})"
    )
    for name, samples in (("memory, measuring", measuring), ("memory, sending", sending)):
        slope = slope_per_hour(samples)
        mark = "flat" if slope <= FLAT_MIB_PER_HOUR else "NOT FLAT"
        print(f"{name:<22} {samples[-1][1]:.0f} MiB at the end, {slope:+.2f} MiB/h: {mark}")
    print(f"outage                 {receiver.refused} attempts found the server away")
    print(f"samples lost           {lost}, sent twice {receiver.doubled} chunks")
    print(f"spool on disk          {size:.1f} MiB")


if __name__ == "__main__":
    main()
