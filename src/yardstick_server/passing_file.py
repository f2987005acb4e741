"""Files that people bring or take along, kept for some days: the base of models that have one."""

from __future__ import annotations

from datetime import timedelta
from pathlib import Path
from typing import ClassVar

from django.conf import settings
from django.db import models
from django.utils import timezone

#: A file is thrown away after this, whether or not anybody came for it.
KEPT_FOR = timedelta(days=3)


class PassingFile(models.Model):
    """A row with a file under a name of our own; both go together, what was made of it stays."""

    FILE_NAME: ClassVar[str]
    created = models.DateTimeField(auto_now_add=True)

    class Meta:
        abstract = True

    @property
    def path(self) -> Path:
        return Path(settings.UPLOADS) / self.FILE_NAME.format(self.pk)

    def throw_away(self) -> None:
        """Delete the file and all that is known of it."""
        self.path.unlink(missing_ok=True)
        self.delete()

    @classmethod
    def sweep(cls) -> int:
        """Throw away files that are too old; how many."""
        old = cls._default_manager.filter(created__lt=timezone.now() - KEPT_FOR)
        for one in old:
            one.throw_away()
        return len(old)
