"""Jobs of the worker: lose for good what was deleted long enough ago."""

from __future__ import annotations

from procrastinate.contrib.django import app


@app.periodic(cron="23 3 * * *")
@app.task(queueing_lock="purge-deleted")
def purge_deleted(timestamp: int) -> None:
    """Purge what was deleted too long ago; studies first, for other things belong to them."""
    from django.utils import timezone

    from yardstick_server.inventory.models import Fixture, Subject, Variant
    from yardstick_server.shelf import KEPT_FOR
    from yardstick_server.studies.models import Study, StudyProfile
    from yardstick_server.studies.shelf_views import purge, used_by

    before = timezone.now() - KEPT_FOR
    for model in (Study, StudyProfile, Variant, Subject, Fixture):
        for found in model.objects.filter(deleted_at__lt=before):
            if not used_by(found):
                purge(found)
