"""The base of every view: for persons, within their workspace; for rigs, as one rig."""

from __future__ import annotations

from typing import Any

from rest_framework.permissions import SAFE_METHODS
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from yardstick_server.accounts import audit
from yardstick_server.accounts.access import IsOwner, IsRig, RigAuthentication
from yardstick_server.accounts.models import Workspace
from yardstick_server.inventory.models import Rig


class MemberView(APIView):
    """A view for persons; everything it looks up lies in `workspace`.

    What it changes is noted in the audit list. It says itself who else may come: `for_guests` with
    a share link may read it, `for_builds` with a token of scope measure may change by it,
    `for_readers` may change by it though they only read; `for_persons` bars programs altogether.
    In `about` it tells the audit list what it changed, where the route has only a number.
    """

    for_guests = False
    for_builds = False
    for_readers = False
    for_persons = False

    def setup(self, *args: Any, **kwargs: Any) -> None:
        super().setup(*args, **kwargs)
        self.about: dict[str, Any] = {}

    @property
    def workspace(self) -> Workspace:
        workspace: Workspace = self.request.user.member.workspace
        return workspace

    def finalize_response(
        self, request: Request, response: Response, *args: Any, **kwargs: Any
    ) -> Response:
        done = super().finalize_response(request, response, *args, **kwargs)
        if request.method not in SAFE_METHODS and done.status_code < 400:
            audit.note(self, request)
        return done


class OwnerView(MemberView):
    """A view for the owners of a workspace."""

    permission_classes = [IsOwner]
    for_persons = True


class RigView(APIView):
    """A view for rigs; `rig` is the one that asks."""

    authentication_classes = [RigAuthentication]
    permission_classes = [IsRig]

    @property
    def rig(self) -> Rig:
        rig: Rig = self.request.auth
        return rig
