"""The base of every view: for persons, within their workspace; for rigs, as one rig."""

from __future__ import annotations

from rest_framework.views import APIView

from yardstick_server.accounts.access import IsRig, RigAuthentication
from yardstick_server.accounts.models import Workspace
from yardstick_server.inventory.models import Rig


class MemberView(APIView):
    """A view for persons; everything it looks up lies in `workspace`."""

    @property
    def workspace(self) -> Workspace:
        workspace: Workspace = self.request.user.member.workspace
        return workspace


class RigView(APIView):
    """A view for rigs; `rig` is the one that asks."""

    authentication_classes = [RigAuthentication]
    permission_classes = [IsRig]

    @property
    def rig(self) -> Rig:
        rig: Rig = self.request.auth
        return rig
