"""What the two programs with a known schedule share: the schedule and the log of truth."""

import json
import time
from collections.abc import Callable

PHASES = ((60, 120), (144, 288))
HITCH_MS = 120
HITCHES = 3


class Truth:
    """Writes truth.jsonl, instants of CLOCK_MONOTONIC in ns, and subject.log for the session."""

    def __init__(self) -> None:
        self.file = open("truth.jsonl", "w", buffering=1)  # noqa: SIM115
        self.lines = open("subject.log", "w", buffering=1)  # noqa: SIM115

    def note(self, what: str) -> None:
        self.file.write(json.dumps({"what": what, "at": time.monotonic_ns()}) + "\n")

    def log(self, text: str) -> None:
        self.lines.write(text + "\n")
        self.note(f"log {text}")


def wait_for(instant_ns: int) -> None:
    while (left := instant_ns - time.monotonic_ns()) > 0:
        if left > 1_500_000:
            time.sleep((left - 1_000_000) / 1e9)


def play_frames(truth: Truth, present: Callable[[], None]) -> None:
    """60 then 144 pictures a second, with hitches; then an idle second and one more."""
    for hertz, frames in PHASES:
        due = time.monotonic_ns() + 1_000_000_000 // hertz
        for number in range(frames):
            if number and number % (frames // (HITCHES + 1)) == 0:
                due += HITCH_MS * 1_000_000
            wait_for(due)
            present()
            due += 1_000_000_000 // hertz
    truth.note("idle")
    wait_for(time.monotonic_ns() + 1_000_000_000)
    present()
    truth.log("frames done")


def run_load(truth: Truth, present: Callable[[], None]) -> None:
    """Work for 700 ms, say so in the log, work 200 ms more while drawing, then be done."""
    wait_for(time.monotonic_ns() + 700_000_000)
    truth.log("loaded")
    for _ in range(4):
        wait_for(time.monotonic_ns() + 50_000_000)
        present()
    truth.note("picture done")


def run_save(truth: Truth) -> None:
    """Write a file in ten parts over 300 ms and close it."""
    with open("saved.bin", "wb") as file:
        for _ in range(10):
            wait_for(time.monotonic_ns() + 30_000_000)
            file.write(b"x" * 100_000)
            file.flush()
    truth.note("saved")
