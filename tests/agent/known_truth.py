"""Holds a recorded run against what the program under test really did."""

from __future__ import annotations

import json
from dataclasses import dataclass
from pathlib import Path

import numpy as np
import pytest

from yardstick_agent.cli import measure
from yardstick_agent.spool.reader import SpoolReader
from yardstick_core.readings import derive
from yardstick_core.record import RunRecord

HERE = Path(__file__).parent
MATCH_NS = 3_000_000
QUIET_SHARE = 2.0
#: A machine that its host takes away for 10 ms has lost a picture, however rarely that happens: the
#: kernel counts in such steps, and a single one in the nine seconds on two cores is more than this.
QUIET_STEAL = 0.05
#: Where others, the host among them, take more of the machine than this, neither the program under
#: test nor the recorder runs when it is due: what either notes says nothing of the recorder.
JUDGED_SHARE = 20.0


@dataclass(frozen=True)
class Held:
    """How far a record lies from the truth; instants of the truth count from the run's origin."""

    run: RunRecord
    truth: dict[str, list[int]]
    missed: int
    invented: int
    interval_errors_ms: np.ndarray
    background_cpu_share: float
    steal_share: float

    @property
    def quiet(self) -> bool:
        """Whether nothing else took more of the machine than a measurement bears."""
        return self.background_cpu_share <= QUIET_SHARE and self.steal_share <= QUIET_STEAL

    def words(self) -> str:
        errors = self.interval_errors_ms
        return (
            f"{len(self.truth['frame'])} pictures, {self.missed} missed, {self.invented} invented;"
            f" interval error median {np.median(errors):.3f} ms, p99"
            f" {np.percentile(errors, 99):.3f} ms; others took"
            f" {self.background_cpu_share:.1f} % of the machine,"
            f" {self.steal_share:.1f} % of it its host"
        )


def steal_and_total() -> tuple[float, float]:
    """Time the host has taken from this machine, and all time, in ticks."""
    fields = [float(x) for x in Path("/proc/stat").read_text().splitlines()[0].split()[1:9]]
    return fields[7], sum(fields)


class Stolen:
    """What the host takes of this machine while a test plays, in percent: `share` at the end."""

    share = 0.0

    def __enter__(self) -> Stolen:
        self._before = steal_and_total()
        return self

    def __exit__(self, *_) -> None:
        taken, total = (a - b for a, b in zip(steal_and_total(), self._before, strict=True))
        self.share = 100 * taken / max(1, total)


def judge_only_where_the_machine_was_there(share: float) -> None:
    """Skip the test, and say why, where others took too much to tell anything of time."""
    if share > JUDGED_SHARE:
        pytest.skip(f"others took {share:.0f} % of the machine: no time on it tells anything")


def play(folder: Path, command: list[str]) -> Held:
    """Play the session of known truth on a program and hold the record against its log."""
    (folder / "work").mkdir(parents=True)
    assignment = {
        "script": (HERE / "truth.session").read_text(),
        "program": {"command": command, "log": "subject.log"},
        "display": "",
    }
    (folder / "assignment.json").write_text(json.dumps(assignment))
    with Stolen() as stolen:
        outcome = measure(folder)
    assert outcome == "finished", outcome
    return hold(folder, stolen.share)


def hold(folder: Path, steal_share: float) -> Held:
    run = SpoolReader(folder).run()
    origin = next(entry["clock_ns"] for entry in run.journal if entry["kind"] == "facts")
    truth: dict[str, list[int]] = {}
    for line in (folder / "work" / "truth.jsonl").read_text().splitlines():
        entry = json.loads(line)
        truth.setdefault(entry["what"], []).append(entry["at"] - origin)
    # The first picture is drawn into a window that is not shown yet.
    shown = np.array(truth["frame"][1:])
    seen = run.frames_ns[run.frames_ns > truth["frame"][1] - MATCH_NS]
    nearest = seen[np.clip(np.searchsorted(seen, shown), 1, len(seen) - 1) - 1]
    following = seen[np.clip(np.searchsorted(seen, shown), 0, len(seen) - 1)]
    match = np.where(abs(nearest - shown) < abs(following - shown), nearest, following)
    found = abs(match - shown) <= MATCH_NS
    both = found[1:] & found[:-1]
    errors = np.abs(np.diff(match) - np.diff(shown))[both] / 1e6
    foreign = [r.value for r in derive(run) if r.metric == "background_cpu_share"]
    return Held(
        run,
        truth,
        int((~found).sum()) + int((np.diff(match[found]) == 0).sum()),
        len(set(seen.tolist()) - set(match[found].tolist())),
        errors,
        foreign[0] if foreign else 0.0,
        steal_share,
    )
