"""Bundles of any size: what writing and reading one takes in time and memory, as ratios.

`bundles.py [SAMPLES …]`: a run of so many samples is written into a bundle, checked and packed
anew, each size in a process of its own; memory is the largest that the process ever had beyond what
it had before the first sample.
"""

from __future__ import annotations

import subprocess
import sys
import tempfile
import time
from collections.abc import Iterator
from pathlib import Path

import numpy as np

from yardstick_core.formats.bundle import Bundle, BundleWriter
from yardstick_core.formats.chunk_table import read_chunks, write_chunks
from yardstick_core.streams import chunk

SIZES = (1_000_000, 10_000_000, 40_000_000)
SAMPLES_OF_A_CHUNK = 16_384


def chunks(samples: int) -> Iterator[tuple[str, int, bytes]]:
    """A journal, then half frames and half samples of a counter, made as they are asked for."""
    yield "journal", 0, chunk.encode_journal([{"kind": "mark", "at": 0, "name": "start"}])
    rng = np.random.default_rng(1)
    for series in ("frames", "subject.resident"):
        at, before = 0, chunk.NO_FRAME
        for number in range(samples // 2 // SAMPLES_OF_A_CHUNK):
            steps = rng.integers(10_000, 200_000, SAMPLES_OF_A_CHUNK) * chunk.TICK_NS
            instants = at + np.cumsum(steps)
            if series == "frames":
                yield series, number, chunk.encode_frames(instants, before)
                before = int(instants[-1])
            else:
                values = rng.normal(50, 5, SAMPLES_OF_A_CHUNK)
                yield series, number, chunk.encode_counter(instants, values)
            at = int(instants[-1])


def peak_mib() -> float:
    """The most memory this program ever had; what its parent had is not counted."""
    lines = Path("/proc/self/status").read_text().splitlines()
    return next(int(line.split()[1]) for line in lines if line.startswith("VmHWM")) / 1024


def one(samples: int) -> None:
    """Write, check and read one bundle; prints seconds, MiB beyond the start, MiB of the file."""
    with tempfile.TemporaryDirectory() as folder:
        file, table = Path(folder) / "b.zip", Path(folder) / "t.parquet"
        began, started = peak_mib(), time.perf_counter()
        rows = write_chunks(table, chunks(samples))
        writer = BundleWriter(file)
        writer.add_file("runs/1/streams.parquet", table)
        writer.close(question="bench", made="now", sessions=[1])
        with Bundle(file) as opened:
            opened.check()
            with table.open("wb") as target:
                opened.unpack("runs/1/streams.parquet", target)
        for _ in read_chunks(table, rows):
            pass
        took = time.perf_counter() - started
        print(took, peak_mib() - began, file.stat().st_size / 2**20)


def main(words: list[str]) -> None:
    if words[:1] == ["--one"]:
        one(int(words[1]))
        return
    sizes = [int(word) for word in words] or list(SIZES)
    found = []
    for samples in sizes:
        done = subprocess.run(
            [sys.executable, __file__, "--one", str(samples)],
            capture_output=True, text=True, check=True,
        )  # fmt: skip
        took, memory, size = map(float, done.stdout.split())
        found.append((took, memory))
        times = took / found[0][0]
        more = memory / max(1.0, found[0][1])
        print(
            f"{samples:>12,} samples, {size:7.1f} MiB: {times:5.1f} × the time, "
            f"{more:4.2f} × the memory ({memory:.0f} MiB) of the smallest"
        )


if __name__ == "__main__":
    main(sys.argv[1:])
