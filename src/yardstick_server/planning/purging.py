"""Losing for good what was deleted."""

from __future__ import annotations

from typing import Any

from django.db import transaction

from yardstick_server.inventory.models import Subject
from yardstick_server.studies.models import Study


def purge(found: Any) -> None:
    """Throw something away with all that is only its own; runs of a study are lost with it.

    The sessions of a set go with the study that it began with.
    """
    with transaction.atomic():
        if isinstance(found, Study):
            for part in found.parts.all():
                purge(part)
            found.runs.all().delete()
            found.claims.all().delete()
            found.rehearsals.all().delete()
            found.study_variants.all().delete()
        elif isinstance(found, Subject):
            found.study_set.filter(deleted_at__isnull=False).update(subject=_nobody(found))
            found.variants.all().delete()
        found.delete()


def _nobody(subject: Subject) -> Subject:
    """A program without a name, for deleted studies whose own is lost."""
    return Subject.objects.get_or_create(workspace=subject.workspace, name="")[0]
