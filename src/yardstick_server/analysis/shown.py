"""Numbers that programs only show: read from the pictures of a run, or by a person who is asked."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Final

from django.db import transaction
from django.utils import timezone

from yardstick_core.readings import Reading
from yardstick_core.readings.metric import reported_metric_key
from yardstick_core.readings.shown import judged
from yardstick_core.streams.entries import Entry, ShownEntry
from yardstick_server.analysis.models import ShownNumber
from yardstick_server.analysis.text_reader import NoReader, look_at
from yardstick_server.runs.models import Run
from yardstick_server.studies.models import Study

READ, TYPED = "read from a picture", "typed from a picture by"
SHOWN: Final = "shown"
#: So many numbers of a run are read, of each so many pictures, the last ones: more is no session.
MOST_NUMBERS, MOST_LOOKS = 60, 6


def shown_readings(run: Run, journal: Sequence[Entry]) -> list[Reading]:
    """Readings of the numbers that a run's pictures show, each read once and then kept.

    Doubtful ones give none until a person has looked.
    """
    wanted = [entry for entry in journal if entry["kind"] == SHOWN][:MOST_NUMBERS]
    if not wanted:
        return []
    kept = {tuple(one.path): one for one in run.shown.all()}
    for entry in wanted:
        path = tuple(entry["path"])
        if path not in kept:
            kept[path] = _read(run, entry)
    return [
        _reading(number) for number in kept.values() if number.settled and number.value is not None
    ]


def _read(run: Run, entry: ShownEntry) -> ShownNumber:
    """Read the pictures of an entry and keep what that gave."""
    seen = entry["looks"][-MOST_LOOKS:]
    names = [look["picture"] for look in seen]
    pictures = dict(run.pictures.filter(name__in=names).values_list("name", "content"))
    pattern, looks, doubt = str(entry["pattern"]), [], ""
    for look in seen:
        data = pictures.get(look["picture"])
        if data is None:
            continue
        try:
            looks.append(look_at(bytes(data), int(look["count"]), pattern))
        except NoReader as error:
            doubt = str(error)
    found = judged(looks, pattern)
    number, _ = ShownNumber.objects.update_or_create(
        run=run,
        path=list(entry["path"]),
        defaults={
            "unit": str(entry["unit"])[:20],
            "higher_is_better": bool(entry.get("higher_is_better")),
            "picture": names[-1] if names else "",
            "text": found.text[:200],
            "proposal": found.last,
            "value": found.value,
            "plus_minus": found.plus_minus,
            "doubt": (doubt or found.doubt)[:200],
        },
    )
    return number


def _reading(number: ShownNumber) -> Reading:
    key = reported_metric_key(number.unit, higher_is_better=number.higher_is_better)
    warning = f"{TYPED} {number.by}" if number.at else READ
    if number.plus_minus and not number.at:
        warning += ", where it had not settled"
    return Reading(
        tuple(number.path), key, float(number.value or 0.0),
        0.0 if number.at else number.plus_minus, warning=warning,
    )  # fmt: skip


def waiting_numbers(study: Study) -> int:
    """How many numbers of a study's runs wait for a person to look at their picture."""
    asked = ShownNumber.objects.filter(run__study=study, at__isnull=True, run__left_out="")
    return asked.exclude(doubt="").count()


def settle(number: ShownNumber, value: float | None, by: str) -> None:
    """Keep what a person read in the picture: a number, or that there is none to read."""
    with transaction.atomic():
        kept = ShownNumber.objects.select_for_update().get(pk=number.pk)
        kept.value, kept.by, kept.at = value, by, timezone.now()
        kept.save()
