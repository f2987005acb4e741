"""Numbers that no instrument handed over: typed from a sheet, or a score that a program gave."""

from __future__ import annotations

import hashlib
from dataclasses import dataclass

from django.db import transaction
from django.db.models import Min
from django.utils import timezone

from yardstick_core.streams import chunk
from yardstick_core.streams.entries import Entry
from yardstick_server.runs.models import BROUGHT_IN, Run
from yardstick_server.studies.models import Study
from yardstick_server.traces.keeping import keep_chunk

#: The step under which typed numbers stand.
TYPED_STEP = "Typed in"


@dataclass(frozen=True, slots=True)
class TypedNumber:
    """One number of a variant; a repeat of it is another one."""

    variant: int
    value: float


def keep_typed(
    study: Study, name: str, unit: str, numbers: list[TypedNumber], *,
    higher_is_better: bool, source: str, by: str,
) -> list[int]:  # fmt: skip
    """A run for each number, of a round of its own: they take no turns with others.

    They count at once, for a person typed them to be compared; whence they are stands beside them.
    """
    parts = {part.position: part for part in study.variants}
    made = []
    with transaction.atomic():
        Study.objects.select_for_update().get(pk=study.pk)
        least = min(study.runs.aggregate(least=Min("round"))["least"] or 0, 0)
        now = timezone.now()
        for number, one in enumerate(numbers, 1):
            run: Run = study.runs.create(
                variant=parts[one.variant], script=study.script, round=least - number,
                order_in_round=0, state="running", origin=BROUGHT_IN, started=now, ended=now,
                outcome="finished", acceptance_reason=f"typed in by {by}",
                import_source={
                    "file": source or "a sheet", "sha256": "", "size": 0, "by": by, "part": name,
                    "first_line": number, "machine": None, "typed": True,
                    "unknown": ["machine", "what else was running", "how it was measured"],
                },
            )  # fmt: skip
            entries: list[Entry] = [
                {"kind": "taken", "at": 0, "path": [TYPED_STEP, name], "value": one.value,
                 "unit": unit, "higher_is_better": higher_is_better, "text": repr(one.value)},
                {"kind": "outcome", "at": 0, "outcome": "finished", "detail": ""},
            ]  # fmt: skip
            data = chunk.encode_journal(entries)
            keep_chunk(run, "journal", 0, data, hashlib.sha256(data).hexdigest())
            run.state = "measured"
            run.save(update_fields=["state"])
            made.append(run.pk)
    return made
