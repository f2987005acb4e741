"""Makes a run of the marks on a film from elsewhere: timings with their uncertainty, kept apart."""

from __future__ import annotations

import hashlib
from typing import Any

from django.db import transaction
from django.db.models import Min
from django.utils import timezone

from yardstick_core.films.changes import Changes
from yardstick_core.streams import chunk
from yardstick_server.footage.looking import instant_of
from yardstick_server.footage.models import Footage
from yardstick_server.runs.models import BROUGHT_IN, Run
from yardstick_server.traces.models import Chunk

KEPT_APART = "filmed elsewhere: kept apart until somebody lets it in"


class NotMarked(ValueError):
    """The marks of a film come to no run; the message says why."""


def timings(changes: Changes, marks: list[dict[str, Any]]) -> list[dict[str, Any]]:
    """What marks come to: path, start, end and length, s, and how well the length is known."""
    found = []
    for mark in marks:
        start, end = mark.get("start"), mark.get("end")
        if start is None or end is None:
            continue
        start_s, start_reach = instant_of(changes, int(start))
        end_s, end_reach = instant_of(changes, int(end))
        if end_s > start_s:
            found.append(
                {"path": mark["path"], "start_s": start_s, "end_s": end_s,
                 "plus_minus_s": start_reach + end_reach}
            )  # fmt: skip
    return found


def keep(footage: Footage, changes: Changes) -> Run:
    """A run of the timings that are marked on a film. Raises NotMarked where there are none."""
    found = timings(changes, footage.marks)
    if not found:
        raise NotMarked("no timing has both its start and its end marked")
    study = footage.study
    origin = min(one["start_s"] for one in found)
    journal: list[dict[str, Any]] = []
    steps: dict[str, list[int]] = {}
    for one in found:
        start, end = (round((one[name] - origin) * 1e9) for name in ("start_s", "end_s"))
        journal.append(
            {"kind": "time", "at": end, "path": one["path"], "start": start, "end": end,
             "plus_minus": round(one["plus_minus_s"] * 1e9)}
        )  # fmt: skip
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
            order_in_round=0, state="measured", origin=BROUGHT_IN, left_out=KEPT_APART,
            outcome="finished", started=footage.created, ended=timezone.now(),
            import_source={
                "file": footage.name, "sha256": footage.sha256, "size": footage.size,
                "by": footage.by, "film": footage.facts, "marks": footage.marks, "part": "",
                "first_line": 1, "machine": None,
                "unknown": ["machine", "what else was running", "what filming cost"],
            },
        )  # fmt: skip
        data = chunk.encode_journal(journal)
        Chunk.objects.create(
            run=run, stream="journal", sequence=0, samples=len(journal),
            first_ns=int(journal[0]["at"]), last_ns=last,
            sha256=hashlib.sha256(data).hexdigest(), data=data,
        )  # fmt: skip
        footage.run = run
        footage.save(update_fields=["run"])
    return run
