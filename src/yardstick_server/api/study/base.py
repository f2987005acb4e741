"""The base of every view of one study."""

from __future__ import annotations

from django.shortcuts import get_object_or_404

from yardstick_server.api.base import MemberView
from yardstick_server.studies.models import Study


class StudyView(MemberView):
    """A view of one study of the workspace."""

    def study(self, number: int) -> Study:
        found: Study = get_object_or_404(
            Study.objects.select_related("subject", "workspace"),
            pk=number,
            workspace=self.workspace,
        )
        return found
