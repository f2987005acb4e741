"""The base of every view: for persons, within their workspace; for rigs, as one rig."""

from __future__ import annotations

from typing import Any

from django.db import InterfaceError, OperationalError, transaction
from rest_framework.permissions import SAFE_METHODS
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from yardstick_server.accounts.models import Workspace
from yardstick_server.accounts.visitors import without_names
from yardstick_server.api import audit
from yardstick_server.api.access import IsOwner, IsRig, RigAuthentication
from yardstick_server.api.border import MendingJSONParser
from yardstick_server.inventory.models import Rig


class WholeView(APIView):
    """A view that does all of what was asked or nothing: one transaction for each change.

    The entry of the audit list is written in it too. A view that is many transactions by itself
    says so with `own_transactions`.
    """

    own_transactions = False

    def dispatch(self, request: Any, *args: Any, **kwargs: Any) -> Any:
        if request.method in SAFE_METHODS or self.own_transactions:
            return super().dispatch(request, *args, **kwargs)
        response = None
        try:
            with transaction.atomic():
                response = super().dispatch(request, *args, **kwargs)
                if response.status_code >= 400:
                    transaction.set_rollback(True)
        except (OperationalError, InterfaceError) as error:
            # the change could not be committed, or a lost connection not be taken back
            if response is None or response.status_code < 400:
                failed = self.handle_exception(error)
                response = super().finalize_response(self.request, failed, *args, **kwargs)
        return response


class MemberView(WholeView):
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
        if isinstance(response, Response) and not getattr(request.user, "sees_names", True):
            members = self.workspace.members.values_list("user__username", flat=True)
            response.data = without_names(response.data, set(members))
        done = super().finalize_response(request, response, *args, **kwargs)
        if request.method not in SAFE_METHODS and done.status_code < 400:
            audit.note(self, request)
        return done


class OwnerView(MemberView):
    """A view for the owners of a workspace."""

    permission_classes = [IsOwner]
    for_persons = True


class RigView(WholeView):
    """A view for rigs; `rig` is the one that asks."""

    authentication_classes = [RigAuthentication]
    parser_classes = [MendingJSONParser]
    permission_classes = [IsRig]

    @property
    def rig(self) -> Rig:
        rig: Rig = self.request.auth
        return rig
