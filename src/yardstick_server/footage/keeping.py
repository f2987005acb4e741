"""Makes a run of the marks on a film from elsewhere: timings with their uncertainty, kept apart."""

from __future__ import annotations

import hashlib
import os
import shutil
from typing import Any

import numpy as np
from django.db import transaction
from django.db.models import Min
from django.utils import timezone

from yardstick_core.films.changes import Changes
from yardstick_core.script import parse
from yardstick_core.script.outline import outline
from yardstick_core.streams import chunk
from yardstick_core.streams.entries import Entry, StretchEntry
from yardstick_server.films.models import Film
from yardstick_server.footage.looking import instant_of, pictures_between
from yardstick_server.footage.models import Footage
from yardstick_server.runs.models import BROUGHT_IN, Run
from yardstick_server.studies.models import Study
from yardstick_server.traces.keeping import keep_chunk

KEPT_APART = "filmed elsewhere: kept apart until somebody lets it in"


class NotMarked(ValueError):
    """The marks of a film come to no run; the message says why."""


def timings(
    changes: Changes, marks: list[dict[str, Any]], frames: list[list[str]]
) -> list[dict[str, Any]]:
    """What marks come to: path, start and end, s, and how well the length is known.

    `frames`: paths of the session's frame stretches, of which new pictures are told as well.
    """
    found = []
    for mark in marks:
        start, end = mark.get("start"), mark.get("end")
        if start is None or end is None:
            continue
        start_s, start_reach = instant_of(changes, int(start))
        end_s, end_reach = instant_of(changes, int(end))
        if end_s > start_s:
            pictures_s = None
            if list(mark["path"]) in frames:
                pictures_s = pictures_between(changes, int(start), int(end), region_of(mark))
            found.append(
                {"path": mark["path"], "start_s": start_s, "end_s": end_s,
                 "plus_minus_s": start_reach + end_reach, "pictures_s": pictures_s}
            )  # fmt: skip
    return found


def region_of(mark: dict[str, Any]) -> tuple[int, int, int, int] | None:
    """Where on the picture a mark looks for new ones; None: all over."""
    region = mark.get("region")
    return (region["x"], region["y"], region["width"], region["height"]) if region else None


def frame_paths(study: Study) -> list[list[str]]:
    """Paths of the frame stretches that a study's session has."""
    return [
        list(one.path)
        for one in outline(parse(study.script.text)).stretches
        if one.kind == "frames"
    ]


def keep(footage: Footage, changes: Changes) -> Run:
    """A run of the timings that are marked on a film. Raises NotMarked where there are none."""
    found = timings(changes, footage.marks, frame_paths(footage.study))
    if not found:
        raise NotMarked("no timing has both its start and its end marked")
    study = footage.study
    origin = min(one["start_s"] for one in found)
    journal: list[Entry] = []
    steps: dict[str, list[int]] = {}
    pictures: set[int] = set()
    for one in found:
        start, end = (round((one[name] - origin) * 1e9) for name in ("start_s", "end_s"))
        entry: StretchEntry = {
            "kind": "time", "at": end, "path": one["path"], "start": start, "end": end,
            "plus_minus": round(one["plus_minus_s"] * 1e9),
        }  # fmt: skip
        if one["pictures_s"] is not None:
            entry["kind"], entry["film_step"] = "frames", round(changes.step_s * 1e9)
            pictures |= {round((at - origin) * 1e9) for at in one["pictures_s"]}
        journal.append(entry)
        span = steps.setdefault(one["path"][0], [start, end])
        span[0], span[1] = min(span[0], start), max(span[1], end)
    journal += [
        {"kind": "step", "at": end, "path": [name], "start": start, "end": end}
        for name, (start, end) in steps.items()
    ]
    last = max(entry["at"] for entry in journal)
    journal.append({"kind": "outcome", "at": last, "outcome": "finished", "detail": ""})
    journal.sort(key=lambda entry: int(entry["at"]))
    with transaction.atomic():
        least = study.runs.aggregate(least=Min("round"))["least"] or 0
        run: Run = study.runs.create(
            variant=footage.variant, script=study.script, round=min(least, 0) - 1,
            order_in_round=0, state="running", origin=BROUGHT_IN, left_out=KEPT_APART,
            outcome="finished", started=footage.created, ended=timezone.now(),
            import_source={
                "file": footage.name, "sha256": footage.sha256, "size": footage.size,
                "by": footage.by, "film": footage.facts, "marks": footage.marks, "part": "",
                "first_line": 1, "machine": None,
                "unknown": ["machine", "what else was running", "what filming cost"],
            },
        )  # fmt: skip
        parts = {"journal": chunk.encode_journal(journal)}
        if pictures:
            parts["frames"] = chunk.encode_frames(np.array(sorted(pictures), np.int64))
        for stream, data in parts.items():
            keep_chunk(run, stream, 0, data, hashlib.sha256(data).hexdigest())
        run.state = "measured"
        run.save(update_fields=["state"])
        footage.run = run
        _give_film(footage, run, origin)
        footage.save(update_fields=["run", "size"])
    return run


def _give_film(footage: Footage, run: Run, origin_s: float) -> None:
    """Have a run show the film that it was marked on; a file that both share is counted once."""
    film = Film(run=run, state="ready", began_ns=-round(origin_s * 1e9), sha256=footage.sha256)
    shown = footage.path("mp4")
    if not shown.exists():
        return
    film.path.unlink(missing_ok=True)
    shared = True
    try:
        os.link(shown, film.path)
    except OSError:  # a file system without links
        shutil.copy(shown, film.path)
        shared = False
    for name in ("width", "height", "frames", "seconds"):
        setattr(film, name, footage.facts[name])
    film.size = film.path.stat().st_size
    film.save()
    if shared:
        kept = [path for path in footage.files if path != shown and path.exists()]
        footage.size = sum(path.stat().st_size for path in kept)
