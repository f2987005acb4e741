"""Signing in and out, who is signed in, and coming by an invitation or a share link."""

from __future__ import annotations

import math
import threading

from axes.models import AccessAttempt
from django.conf import settings
from django.contrib.auth import authenticate, login, logout, update_session_auth_hash
from django.contrib.auth.models import User
from django.contrib.auth.password_validation import validate_password
from django.core.cache import cache
from django.core.exceptions import ValidationError as Invalid
from django.db import IntegrityError, transaction
from django.db.models import Max, Sum
from django.http import HttpRequest, HttpResponse, HttpResponseRedirect
from django.shortcuts import get_object_or_404
from django.utils import timezone
from django.utils.decorators import method_decorator
from django.views import View
from django.views.decorators.csrf import csrf_protect
from drf_spectacular.utils import extend_schema
from rest_framework import serializers
from rest_framework.exceptions import ValidationError
from rest_framework.permissions import AllowAny
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from yardstick_server import contracts
from yardstick_server.accounts.models import (
    AuditEntry,
    Invitation,
    Member,
    ShareLink,
    SignInLink,
    digest,
)
from yardstick_server.accounts.visitors import GUEST
from yardstick_server.api.access import SHARED, address_of, from_this_machine
from yardstick_server.api.base import MemberView
from yardstick_server.api.bodies import validated

PERSONS = "django.contrib.auth.backends.ModelBackend"


class SessionSerializer(serializers.Serializer):
    name = serializers.CharField()
    role = serializers.ChoiceField(choices=["owner", "tester", "reader", GUEST, "read", "measure"])
    workspace = serializers.CharField()
    live_url = serializers.CharField(help_text="where live events come from; empty without any")
    study = serializers.IntegerField(allow_null=True, help_text="all that a guest may see")
    has_password = serializers.BooleanField()
    local = serializers.BooleanField(help_text="looked at on the machine of the server")


class SignInSerializer(serializers.Serializer):
    name = serializers.CharField(max_length=150)
    password = serializers.CharField(max_length=200, trim_whitespace=False, write_only=True)


class PasswordSerializer(serializers.Serializer):
    old = serializers.CharField(max_length=200, trim_whitespace=False, default="", allow_blank=True)
    new = serializers.CharField(max_length=200, trim_whitespace=False)


class InvitedSerializer(serializers.Serializer):
    workspace = serializers.CharField()
    role = serializers.CharField()
    by = serializers.CharField()
    whom = serializers.CharField()


def session_body(request: Request) -> contracts.Session:
    user = request.user
    is_guest = user.member.role == GUEST
    return {
        "local": from_this_machine(request),
        "name": user.get_username(),
        "role": user.member.role,
        "workspace": user.member.workspace.name,
        "live_url": "" if is_guest else settings.LIVE_URL,
        "study": user.study if is_guest else None,
        "has_password": isinstance(user, User)
        and user.has_usable_password()
        and bool(user.password),
    }


class SessionView(MemberView):
    for_guests = True

    @extend_schema(responses=SessionSerializer, summary="Who is signed in")
    def get(self, request: Request) -> Response:
        return Response(session_body(request))


class SignOutView(MemberView):
    for_readers = True
    for_persons = True

    @extend_schema(request=None, responses={204: None}, summary="Sign out")
    def post(self, request: Request) -> Response:
        logout(request._request)
        return Response(status=204)


class PasswordView(MemberView):
    for_readers = True
    for_persons = True

    @extend_schema(
        request=PasswordSerializer,
        responses=SessionSerializer,
        summary="Set one's password; other sessions end",
    )
    def put(self, request: Request) -> Response:
        body = validated(PasswordSerializer, request.data)
        user = request.user
        has_one = user.password and user.has_usable_password()
        if has_one and not user.check_password(body["old"]):
            raise ValidationError({"old": "this is not your password; nothing was changed"})
        user.set_password(_good(body["new"], user))
        user.save(update_fields=["password"])
        update_session_auth_hash(request._request, user)
        return Response(session_body(request))


def _good(password: str, user: User) -> str:
    """A password that the validators let pass. Raises ValidationError."""
    try:
        validate_password(password, user)
    except Invalid as error:
        raise ValidationError({"password": list(error.messages)}) from error
    return password


@method_decorator(csrf_protect, name="dispatch")
class StrangerView(APIView):
    """A view for whoever is not signed in yet; changes still need the page's own token."""

    authentication_classes: list[type] = []
    permission_classes = [AllowAny]


#: Failures from one address, whatever the names, before it has to wait as long as for a name.
MOST_FAILURES = 40
#: So many passwords are checked at once by one process, and so long one waits for its turn.
LONGEST_WAIT_S = 5.0
_hashing = threading.BoundedSemaphore(2)
#: So many failures of a name from one address cost nothing; each further one doubles the delay.
FREE_FAILURES, FIRST_DELAY_S, LONGEST_DELAY_S = 5, 4.0, 900.0


def delay_left(name: str, address: str) -> float:
    """For how many seconds more a name may not be tried from an address, after its failures."""
    failed = AccessAttempt.objects.filter(username=name, ip_address=address).aggregate(
        number=Sum("failures_since_start"), last=Max("attempt_time")
    )
    beyond = (failed["number"] or 0) - FREE_FAILURES
    if beyond <= 0:
        return 0.0
    delay = min(LONGEST_DELAY_S, FIRST_DELAY_S * 2 ** min(beyond - 1, 20))
    return max(0.0, delay - (timezone.now() - failed["last"]).total_seconds())


def _must_wait(seconds: float) -> Response:
    whole = math.ceil(seconds)
    after = f"{whole} s" if whole < 120 else f"{math.ceil(whole / 60)} minutes"
    detail = f"too many failures for this name from here: try again in {after}"
    return Response({"detail": detail}, status=429, headers={"Retry-After": str(whole)})


class SignInView(StrangerView):
    @extend_schema(
        request=SignInSerializer,
        responses={204: None, 400: None, 429: None},
        summary="Sign in with name and password; throttled after some failures",
    )
    def post(self, request: Request) -> Response:
        body = validated(SignInSerializer, request.data)
        name, password = body["name"], body["password"]
        plain = request._request
        address = f"sign-in failures {address_of(plain)}"
        if cache.get(address, 0) >= MOST_FAILURES:
            detail = "too many failures from this address: try again later"
            return Response({"detail": detail}, status=429)
        if wait := delay_left(name, address_of(plain)):
            return _must_wait(wait)
        # hashing takes a core for a while: whoever signs in waits, and nobody else does
        if not _hashing.acquire(timeout=LONGEST_WAIT_S):
            detail = "too many sign in just now: try again in a moment"
            return Response({"detail": detail}, status=429)
        try:
            user = authenticate(plain, username=name, password=password)
        finally:
            _hashing.release()
        if user is None:
            cache.add(address, 0, LONGEST_DELAY_S)
            cache.incr(address)
            if wait := delay_left(name, address_of(plain)):
                return _must_wait(wait)
        if user is None or not hasattr(user, "member"):
            return Response({"detail": "name and password do not fit together"}, status=400)
        login(plain, user)
        return Response(status=204)


class JoinView(StrangerView):
    """What an invitation is for; and accepting it."""

    @extend_schema(responses=InvitedSerializer, summary="What an invitation is for")
    def get(self, request: Request, token: str) -> Response:
        return Response(InvitedSerializer(_invited(get_object_or_404(Invitation.open(token)))).data)

    @extend_schema(
        request=SignInSerializer,
        responses={201: InvitedSerializer},
        summary="Accept an invitation: choose a name and a password",
    )
    def post(self, request: Request, token: str) -> Response:
        body = validated(SignInSerializer, request.data)
        name = body["name"].strip()
        with transaction.atomic():
            invitation = get_object_or_404(Invitation.open(token).select_for_update(of=("self",)))
            user = User(username=name)
            user.set_password(_good(body["password"], user))
            try:
                User.username.field.run_validators(name)
                with transaction.atomic():
                    user.save()
            except Invalid as error:
                raise ValidationError({"name": list(error.messages)}) from error
            except IntegrityError as error:
                raise ValidationError(
                    {"name": "this name is taken here: choose another"}
                ) from error
            Member.objects.create(workspace=invitation.workspace, user=user, role=invitation.role)
            invitation.used_by = name
            invitation.save(update_fields=["used_by"])
            AuditEntry.objects.create(
                workspace=invitation.workspace, who=name, what="joined", path="/api/join",
                sent={"role": invitation.role, "invited by": invitation.by},
            )  # fmt: skip
        login(request._request, user, backend=PERSONS)
        return Response(InvitedSerializer(_invited(invitation)).data, status=201)


def _invited(invitation: Invitation) -> dict[str, str]:
    return {
        "workspace": invitation.workspace.name,
        "role": invitation.role,
        "by": invitation.by,
        "whom": invitation.whom,
    }


class SignInByLink(View):
    """Follows a one-time link; a used or old one leads to the page that says what to do.

    Whose password has ended is led to where another is set.
    """

    def get(self, request: HttpRequest, token: str) -> HttpResponse:
        user = SignInLink.redeem(token)
        if user is None:
            return HttpResponseRedirect("/?link=spent")
        login(request, user, backend=PERSONS)
        return HttpResponseRedirect("/" if user.has_usable_password() else "/people")


class SharedView(View):
    """Follows a share link: from then on this browser may read that study, and nothing else."""

    def get(self, request: HttpRequest, token: str) -> HttpResponse:
        link = ShareLink.holding().filter(token_digest=digest(token)).first()
        if link is None:
            return HttpResponseRedirect("/?link=ended")
        if request.user.is_authenticated and request.user.member.workspace_id == (
            link.study.workspace_id
        ):
            return HttpResponseRedirect(f"/studies/{link.study_id}/say")
        logout(request)
        ShareLink.objects.filter(pk=link.pk).update(last_used=timezone.now())
        request.session[SHARED] = link.pk
        return HttpResponseRedirect(f"/studies/{link.study_id}/say")
