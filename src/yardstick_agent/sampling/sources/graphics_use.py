"""What the subject uses of the graphics processor: the kernel's figures for each open device.

Interface: Documentation/gpu/drm-usage-stats.rst. A client may be open under several descriptors
and in several processes; it is counted once, by its device and its number.
"""

from __future__ import annotations

import os
from collections.abc import Iterable
from dataclasses import dataclass, field
from pathlib import Path
from typing import Self

from yardstick_agent.sampling.sources.source import Roots, Sampled

_DEVICES = "/dev/dri/"
_UNITS = {"": 1, "B": 1, "KiB": 1 << 10, "MiB": 1 << 20, "GiB": 1 << 30}
#: Regions of the card's own memory begin so; all others lie in the machine's.
_DEDICATED = ("vram", "local", "lmem")
#: So many samples pass before open descriptors are looked through anew.
SAMPLES_PER_SEARCH = 5


@dataclass
class _Client:
    """One user of one device: engine time so far, s, and memory by region, bytes."""

    seconds: dict[str, float] = field(default_factory=dict)
    memory: dict[str, int] = field(default_factory=dict)
    #: By engine: cycles of the client, of the engine, and when that was, ns.
    cycles: dict[str, tuple[int, int, int]] = field(default_factory=dict)


class GraphicsUse:
    """Seconds each engine worked for the subject, and memory it holds, of the card and shared."""

    name = "graphics by process"
    beats = 2
    sums = False

    def __init__(self, proc: Path) -> None:
        self.proc = proc
        self._clients: dict[tuple[str, str], _Client] = {}
        self._open: list[Path] = []
        self._seen: list[int] = []
        self._until_search = 0

    @classmethod
    def found(cls, roots: Roots) -> Self | None:
        cards = list(roots.sys.glob("class/drm/card[0-9]*"))
        return cls(roots.proc) if cards else None

    def sample(self, at_ns: int, subject: list[int]) -> Iterable[Sampled]:
        self._search(subject)
        there: set[tuple[str, str]] = set()
        for file in self._open:
            told = _told(file)
            who = (told.get("drm-pdev", ""), told.get("drm-client-id", ""))
            if not who[1] or who in there:
                continue
            there.add(who)
            _take(self._clients.setdefault(who, _Client()), told, at_ns)
        if not self._clients:
            return []
        engines: dict[str, float] = {}
        dedicated = shared = 0
        for who, client in self._clients.items():
            for engine, seconds in client.seconds.items():
                engines[engine] = engines.get(engine, 0.0) + seconds
            for region, amount in client.memory.items() if who in there else ():
                if region.startswith(_DEDICATED):
                    dedicated += amount
                else:
                    shared += amount
        found = [(f"subject.graphics.{name}_seconds", value) for name, value in engines.items()]
        found.append(("subject.graphics_dedicated", float(dedicated)))
        found.append(("subject.graphics_shared", float(shared)))
        return found

    def _search(self, subject: list[int]) -> None:
        self._until_search -= 1
        if self._until_search > 0 and subject == self._seen:
            return
        self._until_search, self._seen, self._open = SAMPLES_PER_SEARCH, subject, []
        for pid in subject:
            place = self.proc / str(pid)
            try:
                descriptors = os.listdir(place / "fd")
            except OSError:
                continue
            for name in descriptors:
                try:
                    if os.readlink(place / "fd" / name).startswith(_DEVICES):
                        self._open.append(place / "fdinfo" / name)
                except OSError:
                    continue


def _told(file: Path) -> dict[str, str]:
    try:
        text = file.read_text(errors="replace")
    except OSError:
        return {}
    pairs = (entry.partition(":") for entry in text.splitlines() if entry.startswith("drm-"))
    return {key: value.strip() for key, _, value in pairs}


def _take(client: _Client, told: dict[str, str], at_ns: int) -> None:
    """Note what a client has used; time never goes back, whatever is told."""
    resident: dict[str, int] = {}
    for key, text in told.items():
        _, kind, *rest = key.split("-", 2)
        name = rest[0] if rest else ""
        if kind == "engine" and not name.startswith("capacity-"):
            seconds = _amount(text.removesuffix("ns").strip()) / 1e9
            client.seconds[name] = max(client.seconds.get(name, 0.0), seconds)
        elif kind in ("resident", "memory"):  # the second is what older drivers call the first
            resident[name] = max(resident.get(name, 0), _amount(text))
    client.memory = resident or {
        key.removeprefix("drm-total-"): _amount(text)
        for key, text in told.items()
        if key.startswith("drm-total-") and not key.startswith("drm-total-cycles-")
    }
    _take_cycles(client, told, at_ns)


def _take_cycles(client: _Client, told: dict[str, str], at_ns: int) -> None:
    """Engine time of drivers that count cycles: the client's share of all that passed."""
    for key, text in told.items():
        name = key.removeprefix("drm-cycles-")
        whole = told.get(f"drm-total-cycles-{name}")
        if name == key or whole is None:
            continue
        used, passed = _amount(text), _amount(whole)
        before_used, before_passed, before_ns = client.cycles.get(name, (used, passed, at_ns))
        client.cycles[name] = (used, passed, at_ns)
        share = (used - before_used) / (passed - before_passed) if passed > before_passed else 0.0
        grown = min(1.0, max(0.0, share)) * (at_ns - before_ns) / 1e9
        client.seconds[name] = client.seconds.get(name, 0.0) + grown


def _amount(text: str) -> int:
    value, _, unit = text.partition(" ")
    try:
        return int(value) * _UNITS.get(unit.strip(), 1)
    except ValueError:
        return 0
