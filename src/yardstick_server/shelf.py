"""What can be put away and deleted, and comes back as it was: the base of models that can.

Deleting is undone with one act for so long as nothing is purged; only then is anything lost.
"""

from __future__ import annotations

from datetime import timedelta
from typing import Any

from django.db import models
from django.utils import timezone

#: In which of these states something is; archived is what the interface calls put away.
ACTIVE, ARCHIVED, DELETED = SHELF_STATES = ("active", "archived", "deleted")
#: What was deleted is kept so long before it is lost for good.
KEPT_FOR = timedelta(days=30)


class Shelved(models.Model):
    """Something with a place in lists, put away out of them, or deleted and not yet purged."""

    archived_at = models.DateTimeField(null=True, editable=False)
    deleted_at = models.DateTimeField(null=True, editable=False)
    shelved_by = models.CharField(max_length=150, blank=True, editable=False)

    class Meta:
        abstract = True

    @property
    def shelf(self) -> str:
        if self.deleted_at:
            return DELETED
        return ARCHIVED if self.archived_at else ACTIVE

    def move_to(self, state: str, by: str) -> None:
        """Put it where it is wanted; saved at once."""
        now = timezone.now()
        self.deleted_at = now if state == DELETED else None
        if state != DELETED:  # what was put away before it was deleted comes back put away
            self.archived_at = (self.archived_at or now) if state == ARCHIVED else None
        self.shelved_by = by
        self.save(update_fields=["archived_at", "deleted_at", "shelved_by"])


def active(prefix: str = "") -> dict[str, Any]:
    """Words for a filter: only what is neither put away nor deleted."""
    return {f"{prefix}archived_at": None, f"{prefix}deleted_at": None}
