"""Who a request comes from and what it may do: persons by session, rigs by token."""

from __future__ import annotations

from typing import Any

from django.utils import timezone
from drf_spectacular.extensions import OpenApiAuthenticationExtension
from rest_framework.authentication import (
    BaseAuthentication,
    SessionAuthentication,
    get_authorization_header,
)
from rest_framework.exceptions import AuthenticationFailed
from rest_framework.permissions import SAFE_METHODS, BasePermission
from rest_framework.request import Request

from yardstick_server.accounts.models import digest
from yardstick_server.inventory.models import Rig


class SessionWithChallenge(SessionAuthentication):
    """Session sign-in that answers 401, not 403, where nobody is signed in."""

    def authenticate_header(self, request: Request) -> str:
        return "Session"


class SessionScheme(OpenApiAuthenticationExtension):
    target_class = SessionWithChallenge
    name = "session"

    def get_security_definition(self, auto_schema: Any) -> dict[str, str]:
        return {"type": "apiKey", "in": "cookie", "name": "sessionid"}


class RigAuthentication(BaseAuthentication):
    """`Authorization: Rig TOKEN`, with the token made when the rig was set up."""

    def authenticate(self, request: Request) -> tuple[Any, Rig] | None:
        parts = get_authorization_header(request).split()
        if len(parts) != 2 or parts[0] != b"Rig":
            return None
        token = parts[1].decode("latin-1")
        rig = Rig.objects.select_related("workspace").filter(token_digest=digest(token)).first()
        if rig is None or rig.revoked:
            raise AuthenticationFailed("this token belongs to no rig, or was revoked")
        if rig.last_seen is None or (timezone.now() - rig.last_seen).total_seconds() > 1:
            Rig.objects.filter(pk=rig.pk).update(last_seen=timezone.now())
        return None, rig

    def authenticate_header(self, request: Request) -> str:
        return "Rig"


class RigScheme(OpenApiAuthenticationExtension):
    target_class = RigAuthentication
    name = "rig"

    def get_security_definition(self, auto_schema: Any) -> dict[str, str]:
        return {"type": "apiKey", "in": "header", "name": "Authorization"}


class IsMember(BasePermission):
    """A signed-in member of a workspace; readers may only look."""

    message = "your role here is to read: ask an owner for more"

    def has_permission(self, request: Request, view: Any) -> bool:
        member = getattr(request.user, "member", None) if request.user else None
        if member is None:
            return False
        return request.method in SAFE_METHODS or member.may_change


class IsRig(BasePermission):
    message = "only a rig may do this"

    def has_permission(self, request: Request, view: Any) -> bool:
        return isinstance(request.auth, Rig)
