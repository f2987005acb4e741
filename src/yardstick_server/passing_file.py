"""Files that people bring or take along, kept for some days: the base of models that have one."""

from __future__ import annotations

from datetime import timedelta
from pathlib import Path
from typing import Any, ClassVar

from django.conf import settings
from django.db import models
from django.db.models.signals import post_delete
from django.dispatch import receiver
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

    @property
    def files(self) -> list[Path]:
        """All that lies on the disk for it."""
        return [self.path]

    def throw_away(self) -> None:
        """Delete the file and all that is known of it."""
        self.delete()

    @classmethod
    def sweep(cls) -> int:
        """Throw away files that are too old; how many."""
        old = cls._default_manager.filter(created__lt=timezone.now() - KEPT_FOR)
        for one in old:
            one.throw_away()
        return len(old)


@receiver(post_delete)
def _with_its_files(instance: Any, **_: Any) -> None:
    """However a row goes, with its study too, its files go with it."""
    if isinstance(instance, PassingFile):
        for path in instance.files:
            path.unlink(missing_ok=True)
