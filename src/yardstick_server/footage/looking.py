"""A film looked through by a process of its own, and what its marks come to."""

from __future__ import annotations

import json
import subprocess
import sys
import time
from collections.abc import Callable
from typing import Any

import numpy as np

from yardstick_core.films.changes import Changes, bursts, instants, plus_minus_s
from yardstick_server.footage.models import Footage
from yardstick_server.traces.lru_cache import SizedLruCache

TOLD_EVERY_S = 1.0


def look_at_film(footage: Footage, told: Callable[[float], None]) -> dict[str, Any]:
    """What was found in a film, or the problem with it; `told` hears how far it is, s."""
    command = [
        sys.executable, "-m", "yardstick_core.films.look", str(footage.path("brought")),
        str(footage.path("changes")), str(footage.path("mp4")),
    ]  # fmt: skip
    process = subprocess.Popen(command, stdout=subprocess.PIPE, text=True)
    assert process.stdout is not None
    last, answer = 0.0, {"problem": "it cannot be decoded: whatever decoded it has ended"}
    for line in process.stdout:
        if line.startswith("{"):
            answer = json.loads(line)
        elif time.monotonic() - last > TOLD_EVERY_S:
            last = time.monotonic()
            told(float(line))
    process.wait()
    return answer


#: What changes in films that were looked at last, between requests.
_CHANGES: SizedLruCache[Changes] = SizedLruCache(384 * 2**20)


def changes_kept(footage: Footage) -> Changes:
    """What changes in a film, as it was found. Raises FilmError."""

    def make() -> tuple[Changes, int]:
        changes = Changes.load(footage.path("changes"))
        return changes, changes.amounts.nbytes

    return _CHANGES.get((footage.pk, footage.sha256), make)


def instant_of(changes: Changes, picture: int) -> tuple[float, float]:
    """When what a picture shows new came, and how well that is known either way, s."""
    return float(instants(changes)[picture]), plus_minus_s(changes, picture)


def pictures_between(
    changes: Changes, start: int, end: int, region: tuple[int, int, int, int] | None
) -> list[float]:
    """When each new picture came from one picture on to another, all over or in a region, s."""
    new = np.flatnonzero(changes.changed(region))
    return list(instants(changes)[new[(new >= start) & (new <= end)]])


def course(changes: Changes, region: tuple[int, int, int, int] | None) -> dict[str, Any]:
    """What is drawn of a film, all over or in a region: new pictures, bursts, how much changes."""
    new = changes.changed(region)
    return {
        "at_s": changes.at_s,
        "new": np.flatnonzero(new).tolist(),
        "share": changes.share(region),
        "bursts": [
            {"first": one.first, "last": one.last} for one in bursts(changes, region)
        ],
    }  # fmt: skip
