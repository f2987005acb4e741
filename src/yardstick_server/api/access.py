"""Who a request comes from and what it may do: persons by session, rigs by token."""

from __future__ import annotations

from ipaddress import ip_address
from typing import Any

from django.conf import settings
from django.db.models import Q
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

from yardstick_server.accounts.models import ApiToken, Member, ShareLink, digest
from yardstick_server.accounts.visitors import Visitor, guest, program
from yardstick_server.inventory.models import Rig

#: The address of requests that come from none, as within this machine.
NOWHERE = "0.0.0.0"
#: Under this name a session knows the share link it was begun by.
SHARED = "shared"


class SessionWithChallenge(SessionAuthentication):
    """Session sign-in that answers 401, not 403, where nobody is signed in."""

    def authenticate_header(self, request: Request) -> str:
        return "Session"


class SessionScheme(OpenApiAuthenticationExtension):
    target_class = SessionWithChallenge
    name = "session"

    def get_security_definition(self, auto_schema: Any) -> dict[str, str]:
        return {"type": "apiKey", "in": "cookie", "name": "sessionid"}


class TokenAuthentication(BaseAuthentication):
    """`Authorization: Token TOKEN`, for programs such as build servers."""

    def authenticate(self, request: Request) -> tuple[Visitor, ApiToken] | None:
        sent = _sent(request, b"Token")
        if sent is None:
            return None
        token = ApiToken.objects.select_related("workspace").filter(token_digest=digest(sent))
        found = token.first()
        if found is None or found.revoked:
            raise AuthenticationFailed("this token is not known, or was revoked")
        _note_use(found)
        return program(found), found

    def authenticate_header(self, request: Request) -> str:
        return "Session"


class TokenScheme(OpenApiAuthenticationExtension):
    target_class = TokenAuthentication
    name = "token"

    def get_security_definition(self, auto_schema: Any) -> dict[str, str]:
        return {"type": "apiKey", "in": "header", "name": "Authorization"}


class GuestAuthentication(BaseAuthentication):
    """A session that was begun by a share link; looked up each time, for it may be revoked."""

    def authenticate(self, request: Request) -> tuple[Visitor, ShareLink] | None:
        number = request._request.session.get(SHARED)
        if number is None:
            return None
        link = ShareLink.holding().select_related("study__workspace").filter(pk=number).first()
        return (guest(link), link) if link else None

    def authenticate_header(self, request: Request) -> str:
        return "Session"


class GuestScheme(OpenApiAuthenticationExtension):
    target_class = GuestAuthentication
    name = "guest"

    def get_security_definition(self, auto_schema: Any) -> dict[str, str]:
        return {"type": "apiKey", "in": "cookie", "name": "sessionid"}


def _sent(request: Request, kind: bytes) -> str | None:
    """What was sent as `Authorization: KIND …`, None where nothing of that kind was."""
    parts = get_authorization_header(request).split()
    return parts[1].decode("latin-1") if len(parts) == 2 and parts[0] == kind else None


def _note_use(token: ApiToken) -> None:
    now = timezone.now()
    if token.last_used is None or (now - token.last_used).total_seconds() > 60:
        ApiToken.objects.filter(pk=token.pk).update(last_used=now)


#: A rig that was heard of is noted again after so long; it counts as silent much later.
SEEN_S = 3


class RigAuthentication(BaseAuthentication):
    """`Authorization: Rig TOKEN`, with the token made when the rig was set up."""

    def authenticate(self, request: Request) -> tuple[Any, Rig] | None:
        token = _sent(request, b"Rig")
        if token is None:
            return None
        known = Rig.objects.defer("programs", "applications")
        rig = known.filter(token_digest=digest(token)).first()
        if rig is None or rig.revoked:
            raise AuthenticationFailed("this token belongs to no rig, or was revoked")
        if rig.last_seen is None or (timezone.now() - rig.last_seen).total_seconds() > SEEN_S:
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
    """Somebody with a place in a workspace, as far as it goes.

    Readers only look. Programs change what views say is `for_builds`. Guests see what views say is
    `for_guests`, and of that only their study: a route names it itself or by one of its runs.
    """

    message = "your role here is to read: ask an owner for more"

    def has_permission(self, request: Request, view: Any) -> bool:
        member = getattr(request.user, "member", None) if request.user else None
        if member is None:
            return False
        if isinstance(request.user, Visitor):
            return self._visits(request, view, request.user)
        return request.method in SAFE_METHODS or member.may_change or says(view, "for_readers")

    def _visits(self, request: Request, view: Any, visitor: Visitor) -> bool:
        if visitor.study is not None:
            self.message = "this link shows one study, to be read only"
            return request.method in SAFE_METHODS and _is_of(visitor.study, request, view)
        if request.method in SAFE_METHODS:
            return not says(view, "for_persons")
        self.message = "the scope of this token does not reach so far"
        return visitor.member.may_change and says(view, "for_builds")


def says(view: Any, what: str) -> bool:
    """Whether a view says that others than members may come; one that says nothing does not."""
    return bool(getattr(view, what, False))


def _is_of(study: int, request: Request, view: Any) -> bool:
    """Whether what is asked for is a guest's study, a session of its set, or a run of these."""
    from yardstick_server.runs.models import Run
    from yardstick_server.studies.models import Study

    if not says(view, "for_guests"):
        return False
    runs = Run.objects.filter(Q(study=study) | Q(study__part_of=study, study__deleted_at=None))
    if "finding" in view.kwargs:
        return runs.filter(findings=view.kwargs["finding"]).exists()
    if "run" in view.kwargs:
        return runs.filter(pk=view.kwargs["run"]).exists()
    asked = view.kwargs.get("study", study)
    return asked == study or Study.objects.filter(pk=asked, part_of=study, deleted_at=None).exists()


class IsOwner(IsMember):
    """An owner of the workspace, signed in as a person."""

    message = "only an owner of this workspace may do this"

    def has_permission(self, request: Request, view: Any) -> bool:
        return is_owner(request)


def is_owner(request: Request) -> bool:
    """Whether an owner of the workspace asks, signed in as a person."""
    member = getattr(request.user, "member", None) if request.user else None
    return isinstance(member, Member) and member.role == "owner"


def address_of(request: Any) -> str:
    """The address that a request comes from: what the nearest trusted proxy was asked from.

    What stands further left in the header was said by whoever asks, and is believed by nobody.
    """
    said = [part.strip() for part in request.META.get("HTTP_X_FORWARDED_FOR", "").split(",")]
    trusted = settings.PROXIES
    proxied = trusted and len(said) >= trusted
    found = said[-trusted] if proxied else request.META.get("REMOTE_ADDR", "")
    try:
        return str(ip_address(found))
    except ValueError:
        return NOWHERE


def from_this_machine(request: Request) -> bool:
    """Whether a request comes from the machine that the server runs on, as far as can be told."""
    proxied = "HTTP_X_FORWARDED_FOR" in request.META
    return not proxied and request.META.get("REMOTE_ADDR", "") in ("127.0.0.1", "::1")


class IsRig(BasePermission):
    message = "only a rig may do this"

    def has_permission(self, request: Request, view: Any) -> bool:
        return isinstance(request.auth, Rig)
