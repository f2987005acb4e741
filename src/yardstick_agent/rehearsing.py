"""Rehearsals: a session played once to see whether it works; nothing of it is a measurement."""

from __future__ import annotations

import json
import shutil
import signal
import subprocess
import sys
from collections.abc import Callable
from pathlib import Path
from typing import Any

from yardstick_agent import leftovers, prepared
from yardstick_agent.children import ending_with_us
from yardstick_agent.client import Client, ServerAway, ServerRefused
from yardstick_agent.playing.live import read_live
from yardstick_agent.spool.reader import SpoolReader
from yardstick_core.assignment import Assignment

TELL_SECONDS = 0.5
DRAFT_TELL_SECONDS = 0.15
TOLD = ("line", "elapsed_ns", "waits", "windows", "heard")


def rehearse(
    client: Client,
    assignment: Assignment,
    spool: Path,
    prepare: Callable[[Path, Assignment], None],
) -> str:
    """Play a rehearsal and tell the server how it goes, with pictures; its outcome.

    `prepare` fills the run's folder and may raise ServerRefused or RunRefused. What cannot be told
    because the server is away is left out: a rehearsal is for somebody who watches.
    """
    number = int(assignment["rehearsal"])
    folder = spool / f"rehearsal-{number}"
    folder.mkdir(parents=True)
    try:
        prepare(folder / "run", {**assignment, "pictures": True})
        if assignment.get("kind") == "draft":
            ending = _draft(client, number, folder / "run")
        else:
            ending = _play(client, number, folder / "run")
        leftovers.end_all(folder / "run")
        if _tell(client, number, {}).get("keep_state"):
            _keep_state(client, number, folder / "run" / "home", spool)
    finally:
        leftovers.end_all(folder / "run")
        shutil.rmtree(folder, ignore_errors=True)
    _tell(client, number, ending)
    return str(ending["outcome"])


def _play(client: Client, number: int, folder: Path) -> dict[str, Any]:
    command = [sys.executable, "-m", "yardstick_agent.playing.measure", str(folder)]
    process = subprocess.Popen(ending_with_us(command), start_new_session=True)
    shown = 0.0
    while process.poll() is None:
        state = read_live(folder)
        answer = _tell(client, number, {key: state[key] for key in TOLD if key in state})
        if answer.get("stop"):
            process.send_signal(signal.SIGTERM)
        if answer.get("allowed"):
            _allow(folder, answer["allowed"])
        shown = _show(client, number, folder, shown)
        try:
            process.wait(TELL_SECONDS)
        except subprocess.TimeoutExpired:
            continue
    _show(client, number, folder, shown)
    return _ending(folder, read_live(folder))


def _draft(client: Client, number: int, folder: Path) -> dict[str, Any]:
    """Let a person work with the program; what they do elsewhere is handed on to its display."""
    command = [sys.executable, "-m", "yardstick_agent.playing.drafting", str(folder)]
    process = subprocess.Popen(ending_with_us(command), start_new_session=True)
    leftovers.note(folder, process.pid)
    shown, acted = 0.0, 0
    while process.poll() is None:
        state = read_live(folder)
        told = {key: state[key] for key in TOLD if key in state}
        answer = _tell(client, number, {**told, "acted": acted})
        if answer.get("stop"):
            process.send_signal(signal.SIGTERM)
        hands = answer.get("hands", [])
        with open(folder / "hands.jsonl", "a", encoding="utf-8") as file:
            file.writelines(json.dumps(hand) + "\n" for hand in hands)
        acted += len(hands)
        shown = _show(client, number, folder, shown)
        try:
            process.wait(DRAFT_TELL_SECONDS)
        except subprocess.TimeoutExpired:
            continue
    ending = {
        "line": 0,
        "elapsed_ns": read_live(folder).get("elapsed_ns", 0),
        "outcome": "finished",
    }
    try:
        return {**ending, "draft": (folder / "draft.session").read_text(encoding="utf-8")}
    except OSError:
        failed = folder / "failed"
        why = failed.read_text() if failed.exists() else "what was done could not be read"
        return {**ending, "outcome": "not started", "detail": why}


def _keep_state(client: Client, number: int, home: Path, spool: Path) -> None:
    """Pack the home as the programs left it and hand it over; its later runs begin with it."""
    try:
        state = prepared.pack(home)
        prepared.note_made_here(spool, prepared.digest(state))
        client.keep_state(number, state)
    except (prepared.NotPrepared, OSError) as error:
        _tell(client, number, {"state_detail": str(error)})
    except (ServerAway, ServerRefused):
        return


def _allow(folder: Path, lines: int) -> None:
    """Let a rehearsal that goes step by step play so many lines."""
    waiting = folder / "allowed.new"
    waiting.write_text(str(lines))
    waiting.replace(folder / "allowed")


def _ending(folder: Path, state: dict[str, Any]) -> dict[str, Any]:
    run = SpoolReader(folder).run()
    return {
        "line": state.get("line", 0),
        "elapsed_ns": state.get("elapsed_ns", 0),
        "windows": state.get("windows", []),
        "outcome": run.outcome,
        "detail": run.detail,
        "timings": [
            {"path": s.path, "seconds": s.duration_s, "right_censored": s.right_censored}
            for s in run.stretches
            if s.kind in ("time", "frames")
        ],
    }


def _tell(client: Client, number: int, body: dict[str, Any]) -> dict[str, Any]:
    try:
        return client.tell_rehearsal(number, {"line": 0, "elapsed_ns": 0, **body})
    except (ServerAway, ServerRefused):
        return {}


def _show(client: Client, number: int, folder: Path, shown: float) -> float:
    """Send the newest picture, where it is newer than the one sent before; its time."""
    picture = folder / "picture.png"
    try:
        made = picture.stat().st_mtime
        if made > shown:
            client.show_rehearsal(number, picture.read_bytes())
        return made
    except (OSError, ServerAway, ServerRefused):
        return shown
