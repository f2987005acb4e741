"""What a run's journal tells of the conditions it was measured under."""

from __future__ import annotations

from bisect import bisect_left
from collections.abc import Sequence
from dataclasses import dataclass
from statistics import median_high

from yardstick_core.streams.entries import Entry, SettingsEntry

PASSED, FAILED, TICKED = "passed", "failed", "ticked"
#: Where a program lives in the home of a person, what it keeps there passes from run to run.
HOME_OF_ITS_OWN = "programs have a home of the run's own"
PREPARED = "the program's prepare command has run"


@dataclass(frozen=True, slots=True)
class Precondition:
    """Something that had to be so before the run: checked by the agent, or ticked by a person."""

    what: str
    state: str
    found: str = ""
    by: str = ""
    at: str = ""


@dataclass(frozen=True, slots=True)
class Conditions:
    """Preconditions, settings before and after, the work that was done and on which fixtures.

    `settings_made` is true where the program made its settings itself, so that they are defaults.
    Where a settings file could not be read, no settings are known and `unread` says why.
    """

    preconditions: tuple[Precondition, ...]
    settings: dict[str, str] | None
    settings_after: dict[str, str] | None
    settings_made: bool
    work: dict[str, int]
    #: SHA-256 of each fixture, by its file name.
    fixtures: dict[str, str]
    unread: tuple[str, ...] = ()
    #: What else took processor time during the run, the busiest first: name and percent.
    background_programs: tuple[tuple[str, float], ...] = ()
    #: How often the processor was held back for heat; None where the machine does not tell.
    throttled: int | None = None


def conditions(journal: Sequence[Entry]) -> Conditions:
    """Read a journal. Settings that were not there before count as those the program made."""
    noted = [entry for entry in journal if entry["kind"] == "settings"]
    unread = tuple(dict.fromkeys(str(why) for e in noted for why in e.get("troubles", ())))
    before = None if unread else _settings(noted, "before")
    after = None if unread else _settings(noted, "after")
    made = not before and bool(after)
    return Conditions(
        tuple(
            Precondition(
                str(entry["what"]), str(entry["state"]), str(entry.get("found", "")),
                str(entry.get("by", "")), str(entry.get("since", "")),
            )
            for entry in journal
            if entry["kind"] == "precondition"
        ),
        after if made else before,
        after,
        made,
        {
            "steps": sum(entry["kind"] == "step" for entry in journal),
            "inputs": _inputs(journal),
            **_windows(journal),
        },
        {
            str(name): str(sha256)
            for entry in journal
            if entry["kind"] == "fixtures"
            for name, sha256 in entry["files"].items()
        },
        unread,
        tuple(
            (str(program["name"]), float(program["share"]))
            for entry in journal
            if entry["kind"] == "background"
            for program in entry["programs"]
        ),
        next((int(entry["count"]) for entry in journal if entry["kind"] == "throttled"), None),
    )  # fmt: skip


def _settings(noted: Sequence[SettingsEntry], when: str) -> dict[str, str] | None:
    found = [entry for entry in noted if entry["when"] == when]
    return {str(key): str(value) for key, value in found[-1]["values"].items()} if found else None


def _inputs(journal: Sequence[Entry]) -> int:
    """Inputs of a run, of laps those of a middle one.

    How many laps fit into a given time is what the variants are compared by, not their work.
    """
    at = sorted(int(entry["at"]) for entry in journal if entry["kind"] == "input")
    laps = [
        (tuple(entry["path"]), int(entry["start"]), int(entry["end"]))
        for entry in journal
        if entry["kind"] == "lap"
    ]
    paths = {path for path, _, _ in laps}
    counted: dict[tuple[str, ...], list[int]] = {}
    for path, start, end in laps:
        if not any(path[:depth] in paths for depth in range(1, len(path))):
            counted.setdefault(path, []).append(bisect_left(at, end) - bisect_left(at, start))
    in_laps = sum(sum(counts) for counts in counted.values())
    return len(at) - in_laps + sum(median_high(counts) for counts in counted.values())


def _windows(journal: Sequence[Entry]) -> dict[str, int]:
    counted = [e["windows"] for e in journal if e["kind"] == "observer" and "windows" in e]
    return {"windows": int(counted[-1])} if counted else {}
