"""Programs that draw quicker than pauses can tell: known truth on a real display."""

import json
import sys

import numpy as np
import pytest
from known_truth import (
    HERE,
    QUIET_SHARE,
    QUIET_STEAL,
    Stolen,
    judge_only_where_the_machine_was_there,
)

from yardstick_agent.cli import measure
from yardstick_agent.spool.reader import SpoolReader
from yardstick_core.readings import derive

pytestmark = [pytest.mark.screen, pytest.mark.quiet]

RATES = {"a": "300", "b": "600", "c": "1000", "d": "60 in 40 parts", "e": "240 in 40 parts",
         "f": "144 with all cores taken"}  # fmt: skip
SCRIPT = (
    'session "Rates"\nstep "Launch"\n  start\n  until log "ready"\n  wait 300ms\n'
    + "".join(
        f'step "{name}"\n  frames {name}\n    press {name}\n'
        f'    until log "played {name}", within 30s\n'
        for name in RATES
    )
    + 'step "Quit"\n  press q\n  until exited\n'
)


@pytest.fixture(scope="module")
def played(tmp_path_factory):
    """By rate: pictures shown and recorded; how they were told; was it quiet; others' share."""
    folder = tmp_path_factory.mktemp("rates") / "run"
    (folder / "work").mkdir(parents=True)
    program = {"command": [sys.executable, str(HERE / "truth_rates.py")]}
    assignment = {"script": SCRIPT, "program": program, "display": ""}
    (folder / "assignment.json").write_text(json.dumps(assignment))
    with Stolen() as stolen:
        assert measure(folder) == "finished"
    run = SpoolReader(folder).run()
    origin = next(entry["clock_ns"] for entry in run.journal if entry["kind"] == "facts")
    lines = (folder / "work/truth.jsonl").read_text().splitlines()
    truth = {one["rate"]: np.array(one["shown"]) - origin for one in map(json.loads, lines)}
    found = {}
    for name, shown in truth.items():
        inside = (run.frames_ns > shown[0] - 1_000_000) & (run.frames_ns < shown[-1] + 1_000_000)
        found[name] = (len(shown), int(inside.sum()))
    others = [r.value for r in derive(run) if r.metric == "background_cpu_share"]
    observer = next(entry for entry in run.journal if entry["kind"] == "observer")
    quiet = bool(others) and others[0] <= QUIET_SHARE and stolen.share <= QUIET_STEAL
    from conftest import SAID

    for name, (shown, recorded) in found.items():
        SAID.append(
            f"quick programs, {RATES[name]} a second: {recorded} of {shown} pictures"
            f"{'' if quiet else ' (BUSY: wider bounds)'}"
        )
    return found, observer, quiet, max([stolen.share, *others])


@pytest.mark.parametrize("name", RATES)
def test_every_picture_is_told_from_the_next(played, name):
    found, _, quiet, taken = played
    judge_only_where_the_machine_was_there(taken)
    shown, recorded = found[name]
    allowed = 0.02 if quiet else 0.1
    assert recorded <= shown * (1 + allowed) + 2
    assert recorded >= shown * (1 - allowed) - 2


def test_the_run_says_how_its_pictures_were_told(played):
    _, observer, _, _ = played
    assert observer["told_by"] == "beginning"
    assert observer["trusted_hz"] is None
    assert observer["parted"] > 0
