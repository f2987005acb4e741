"""Derive the readings of runs anew where an older core derived them."""

from __future__ import annotations

from typing import Any

from django.core.management.base import BaseCommand

from yardstick_core import CORE_VERSION
from yardstick_server.runs.models import Run
from yardstick_server.studies.models import Study


class Command(BaseCommand):
    help = __doc__

    def handle(self, *args: Any, **options: Any) -> None:
        old = Run.objects.filter(state="read", readings__isnull=False).exclude(
            readings__core_version=CORE_VERSION
        )
        runs = list(old.distinct())
        if not runs:
            return
        # Most starts find nothing to do, and what derives takes long to import.
        from yardstick_server.analysis.deriving import keep_readings
        from yardstick_server.analysis.judging import judge_study

        for run in runs:
            keep_readings(run)
        for study in Study.objects.filter(runs__in=runs).distinct():
            judge_study(study)
        self.stdout.write(f"{len(runs)} runs were read anew: the core has changed")
