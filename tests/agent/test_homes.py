"""Each run has a home and a session bus of its own, and leaves nothing behind."""

from __future__ import annotations

import json
import os
import signal
import subprocess
import sys
import time
from pathlib import Path

import pytest
from sessions import prepared, script

from yardstick_agent import leftovers
from yardstick_agent.cli import measure
from yardstick_agent.home import MARK, OWN_EMPTY, PREPARED, REAL, run_home
from yardstick_agent.sampling import processes
from yardstick_agent.spool.reader import SpoolReader

pytestmark = pytest.mark.screen

#: Writes into its home, says what it found there, and asks its bus for a name that only one has.
KEEPS_THINGS = """
import os, pathlib, subprocess, sys, tkinter
home = pathlib.Path(os.environ["HOME"])
print("found", sorted(p.name for p in home.iterdir()))
print("home", home, "runtime", os.environ["XDG_RUNTIME_DIR"])
(home / ".config" / "recent.txt").write_text("last file")
(home / "left.txt").write_text("state")
print("bus", os.environ["DBUS_SESSION_BUS_ADDRESS"], flush=True)
subprocess.Popen([sys.executable, "-c", "import os, time; os.setsid(); time.sleep(600)"])
window = tkinter.Tk(); window.title("Keeps"); window.update()
print("ready", flush=True)
window.mainloop()
"""
SESSION = (
    'session "Keep"\nstep "Only"\n  start\n  until log "ready", within 20s\n  wait 200ms\n  stop\n'
)


def played(folder: Path, program: str, **more: object) -> tuple[Path, str]:
    """Play a session on a program in a folder; the folder, and what the program printed."""
    prepared(folder, SESSION, [sys.executable, "-c", program], log="")
    assignment = folder / "assignment.json"
    text = assignment.read_text()
    for key, value in more.items():
        text = text.replace('"log": ""', f'"log": "", "{key}": "{value}"')
    assignment.write_text(text)
    measure(folder)
    return folder, (folder / "work" / "output.txt").read_text()


def journal(folder: Path, kind: str) -> list[dict]:
    return [entry for entry in SpoolReader(folder).journal() if entry["kind"] == kind]


def test_two_runs_in_a_row_start_in_empty_homes_and_touch_nobodys(tmp_path, monkeypatch):
    persons = tmp_path / "person"
    persons.mkdir()
    monkeypatch.setenv("HOME", str(persons))
    monkeypatch.setenv("XDG_CONFIG_HOME", str(persons / ".config"))
    one, said_one = played(tmp_path / "one", KEEPS_THINGS)
    two, said_two = played(tmp_path / "two", KEEPS_THINGS)
    for folder, said in ((one, said_one), (two, said_two)):
        assert "found ['.cache', '.config', '.local']" in said
        assert (folder / "home" / "left.txt").read_text() == "state"
        assert journal(folder, "facts")[0]["facts"]["home"] == OWN_EMPTY
    assert list(persons.iterdir()) == []
    assert _bus(said_one) != _bus(said_two)
    assert "unix:" in _bus(said_one)


def _bus(said: str) -> str:
    return next(line for line in said.splitlines() if line.startswith("bus "))


def test_nothing_is_left_running_and_no_folder_for_sockets(tmp_path):
    folder, said = played(tmp_path / "run", KEEPS_THINGS)
    assert processes.told(MARK, str(folder)) == []
    runtime = said.split("runtime ")[1].split()[0]
    assert not Path(runtime).exists()


def test_helpers_of_a_run_are_ended_though_its_recorder_was_killed(tmp_path):
    folder = prepared(
        tmp_path / "run", SESSION.replace("200ms", "60s"), [sys.executable, "-c", KEEPS_THINGS], ""
    )
    recorder = subprocess.Popen(
        [sys.executable, "-m", "yardstick_agent.playing.measure", str(folder)]
    )
    output = folder / "work" / "output.txt"
    deadline = time.monotonic() + 30
    while not (output.exists() and "ready" in output.read_text()) and time.monotonic() < deadline:
        time.sleep(0.05)
    recorder.send_signal(signal.SIGKILL)
    recorder.wait()
    assert processes.told(MARK, str(folder)) != []
    leftovers.end_all(folder)
    assert processes.told(MARK, str(folder)) == []


def test_a_prepared_state_is_what_the_programs_find(tmp_path):
    folder = tmp_path / "run"
    (folder / "home" / ".config").mkdir(parents=True)
    (folder / "home" / ".config" / "licence").write_text("kept")
    home = run_home(folder)
    assert home.kind == PREPARED
    assert (home.path("~/.config/licence")).read_text() == "kept"


def test_a_program_that_may_have_the_real_home_gets_it_and_the_run_says_so(tmp_path, monkeypatch):
    persons = tmp_path / "person"
    (persons / ".config").mkdir(parents=True)
    monkeypatch.setenv("HOME", str(persons))
    folder, said = played(tmp_path / "run", KEEPS_THINGS, home="real")
    assert f"home {persons}" in said
    assert journal(folder, "facts")[0]["facts"]["home"] == REAL
    [checked] = [e for e in journal(folder, "precondition") if "home" in e["what"]]
    assert (checked["state"], checked["found"]) == ("failed", REAL)


def test_a_second_start_is_not_handed_to_a_program_of_another_run(tmp_path):
    """Whoever owns a name on the bus first gets all later starts: on a bus of its own, none."""
    names = "'--dest=org.freedesktop.DBus', '/', 'org.freedesktop.DBus.ListNames'"
    asks = (
        "import subprocess, tkinter\n"
        f"asked = ['dbus-send', '--session', '--print-reply', {names}]\n"
        "done = subprocess.run(asked, capture_output=True, text=True)\n"
        "print(done.stdout + done.stderr)\n"
        "window = tkinter.Tk(); window.update(); print('ready', flush=True); window.mainloop()\n"
    )
    _, said = played(tmp_path / "run", asks)
    names = [line.strip() for line in said.splitlines() if line.strip().startswith("string")]
    assert names == ['string "org.freedesktop.DBus"', 'string ":1.0"']


@pytest.mark.parametrize(
    ("command", "outcome", "why"),
    [
        (["touch", "switched"], "finished", ""),
        (
            ["sh", "-c", "echo no such release >&2; exit 4"],
            "refused",
            "exit status 4: no such release",
        ),
        (["/no/such/command"], "refused", "cannot be started"),
    ],
    ids=["works", "fails", "is not there"],
)
def test_a_prepare_command_runs_before_the_session_and_is_not_measured(
    tmp_path, command, outcome, why
):
    folder = prepared(
        tmp_path / "run", script("wait 10ms"), [sys.executable, "-c", KEEPS_THINGS], ""
    )
    assignment = folder / "assignment.json"
    assignment.write_text(
        assignment.read_text().replace('"log": ""', '"log": "", "prepare": ' + json.dumps(command))
    )
    measure(folder)
    run = SpoolReader(folder).run()
    assert run.outcome == outcome
    assert why in run.detail
    assert (folder / "switched").exists() == (outcome == "finished")


def test_a_run_knows_the_accessibility_bus_is_off(tmp_path):
    _, said = played(
        tmp_path / "run",
        KEEPS_THINGS.replace('print("bus"', 'print("at", os.environ["NO_AT_BRIDGE"]); print("bus"'),
    )
    assert "at 1" in said
    assert os.environ.get("NO_AT_BRIDGE") is None
