"""Members, invitations, tokens, share links and the audit list, for those who look after them."""

from __future__ import annotations

import secrets
from datetime import timedelta
from typing import Any

from django.conf import settings
from django.contrib.auth.models import User
from django.contrib.sessions.models import Session
from django.db import transaction
from django.shortcuts import get_object_or_404
from django.utils import timezone
from drf_spectacular.utils import OpenApiParameter, extend_schema
from rest_framework import serializers
from rest_framework.exceptions import ValidationError
from rest_framework.request import Request
from rest_framework.response import Response

from yardstick_server.accounts.models import (
    ApiToken,
    Invitation,
    Member,
    ShareLink,
    SignInLink,
    digest,
)
from yardstick_server.api.base import OwnerView
from yardstick_server.api.bodies import validated
from yardstick_server.api.study.base import StudyView

ROLES = ["owner", "tester", "reader"]
MOST_DAYS = 365
AUDIT_PAGE = 100


class MemberSerializer(serializers.Serializer):
    id = serializers.IntegerField()
    name = serializers.CharField(source="user.username")
    role = serializers.ChoiceField(choices=ROLES)
    last_seen = serializers.DateTimeField(source="user.last_login", allow_null=True)
    taken_out = serializers.SerializerMethodField()

    def get_taken_out(self, member: Member) -> bool:
        return not member.user.is_active


class RoleSerializer(serializers.Serializer):
    role = serializers.ChoiceField(choices=ROLES)


class InvitationLineSerializer(serializers.Serializer):
    id = serializers.IntegerField()
    whom = serializers.CharField()
    role = serializers.ChoiceField(choices=ROLES)
    by = serializers.CharField()
    created = serializers.DateTimeField()
    expires = serializers.DateTimeField()
    used_by = serializers.CharField()


class NewInvitationSerializer(serializers.Serializer):
    whom = serializers.CharField(max_length=120)
    role = serializers.ChoiceField(choices=ROLES)


class LinkSerializer(serializers.Serializer):
    link = serializers.CharField(help_text="shown this once")


class TokenLineSerializer(serializers.Serializer):
    id = serializers.IntegerField()
    name = serializers.CharField()
    scope = serializers.ChoiceField(choices=ApiToken.SCOPES)
    begins = serializers.CharField(help_text="by which it is recognised")
    by = serializers.CharField()
    created = serializers.DateTimeField()
    last_used = serializers.DateTimeField(allow_null=True)
    revoked = serializers.DateTimeField(allow_null=True)


class NewTokenSerializer(serializers.Serializer):
    name = serializers.CharField(max_length=80)
    scope = serializers.ChoiceField(choices=ApiToken.SCOPES)


class MadeTokenSerializer(serializers.Serializer):
    token = serializers.CharField(help_text="shown this once")


class ShareLineSerializer(serializers.Serializer):
    id = serializers.IntegerField()
    whom = serializers.CharField()
    names = serializers.BooleanField()
    by = serializers.CharField()
    created = serializers.DateTimeField()
    expires = serializers.DateTimeField()
    last_used = serializers.DateTimeField(allow_null=True)
    revoked = serializers.DateTimeField(allow_null=True)


class NewShareSerializer(serializers.Serializer):
    whom = serializers.CharField(max_length=120, allow_blank=True, default="")
    names = serializers.BooleanField(
        default=False, help_text="whether it shows which member did what"
    )
    days = serializers.IntegerField(min_value=1, max_value=MOST_DAYS, default=30)


class AuditSerializer(serializers.Serializer):
    id = serializers.IntegerField()
    at = serializers.DateTimeField()
    who = serializers.CharField()
    what = serializers.CharField()
    study = serializers.IntegerField(allow_null=True)
    sent = serializers.DictField()


class MembersView(OwnerView):
    @extend_schema(
        responses=MemberSerializer(many=True),
        summary="Who is in the workspace, and then who was taken out",
    )
    def get(self, request: Request) -> Response:
        members = self.workspace.members.select_related("user")
        members = members.order_by("-user__is_active", "user__username")
        return Response(MemberSerializer(members, many=True).data)


class OneMemberView(OwnerView):
    def member(self, number: int, *, there: bool = True) -> Member:
        """A member of the workspace, or one that was taken out; locked for a change."""
        members = Member.objects.select_for_update(of=("self",)).select_related("user")
        found: Member = get_object_or_404(
            members, pk=number, workspace=self.workspace, user__is_active=there
        )
        self.about = {"member": found.user.username}
        return found


class MemberDetail(OneMemberView):
    @extend_schema(
        request=RoleSerializer, responses=MemberSerializer, summary="Give a member another role"
    )
    def patch(self, request: Request, member: int) -> Response:
        body = validated(RoleSerializer, request.data)
        with transaction.atomic():
            found = self.member(member)
            if found.role == "owner" and body["role"] != "owner":
                self._not_the_last(found)
            found.role = body["role"]
            found.save(update_fields=["role"])
        return Response(MemberSerializer(found).data)

    @extend_schema(responses={204: None}, summary="Take a member out; their sessions end")
    def delete(self, request: Request, member: int) -> Response:
        with transaction.atomic():
            found = self.member(member)
            if found.role == "owner":
                self._not_the_last(found)
            _set_active(found.user, False)
            _end_sessions(found.user_id)
        return Response(status=204)

    def _not_the_last(self, member: Member) -> None:
        owners = self.workspace.members.select_for_update(of=("self",))
        owners = owners.filter(role="owner", user__is_active=True)
        if not [owner for owner in owners if owner.pk != member.pk]:
            raise ValidationError("a workspace needs an owner: make somebody else one first")


class MemberBack(OneMemberView):
    @extend_schema(
        request=None, responses=MemberSerializer, summary="Let a member who was taken out back in"
    )
    def post(self, request: Request, member: int) -> Response:
        with transaction.atomic():
            found = self.member(member, there=False)
            _set_active(found.user, True)
        return Response(MemberSerializer(found).data)


def _set_active(user: User, there: bool) -> None:
    user.is_active = there
    user.save(update_fields=["is_active"])


class MemberWayIn(OneMemberView):
    """For somebody who forgot their password: what they had ends, and a link lets them in once."""

    @extend_schema(
        request=None,
        responses={201: LinkSerializer},
        summary="End a member's password and sessions; make a sign-in link, shown once",
    )
    def post(self, request: Request, member: int) -> Response:
        with transaction.atomic():
            user = self.member(member).user
            if user == request.user:
                raise ValidationError("you are in: set another password of your own instead")
            user.set_unusable_password()
            user.save(update_fields=["password"])
            _end_sessions(user.pk)
            token = SignInLink.make_the_only(user)
        return Response({"link": f"{settings.WEB_ORIGIN}/sign-in/{token}"}, status=201)


def _end_sessions(user: int) -> None:
    for session in Session.objects.filter(expire_date__gt=timezone.now()):
        if session.get_decoded().get("_auth_user_id") == str(user):
            session.delete()


class InvitationsView(OwnerView):
    @extend_schema(
        responses=InvitationLineSerializer(many=True), summary="Invitations, newest first"
    )
    def get(self, request: Request) -> Response:
        found = self.workspace.invitations.order_by("-id")
        return Response(InvitationLineSerializer(found, many=True).data)

    @extend_schema(
        request=NewInvitationSerializer,
        responses={201: LinkSerializer},
        summary="Invite somebody; the link is shown once and holds for a week",
    )
    def post(self, request: Request) -> Response:
        body = validated(NewInvitationSerializer, request.data)
        token = secrets.token_urlsafe(32)
        self.workspace.invitations.create(
            **body, token_digest=digest(token), by=request.user.get_username(),
            expires=timezone.now() + Invitation.LIFETIME,
        )  # fmt: skip
        return Response({"link": f"{settings.WEB_ORIGIN}/join/{token}"}, status=201)


class InvitationDetail(OwnerView):
    @extend_schema(responses={204: None}, summary="Take an invitation back")
    def delete(self, request: Request, invitation: int) -> Response:
        found = get_object_or_404(self.workspace.invitations, pk=invitation, used_by="")
        self.about = {"whom": found.whom}
        found.delete()
        return Response(status=204)


class TokensView(OwnerView):
    @extend_schema(responses=TokenLineSerializer(many=True), summary="Tokens of programs")
    def get(self, request: Request) -> Response:
        found = self.workspace.tokens.order_by("-id")
        return Response(TokenLineSerializer(found, many=True).data)

    @extend_schema(
        request=NewTokenSerializer,
        responses={201: MadeTokenSerializer},
        summary="Make a token for a program, such as a build server; shown once",
    )
    def post(self, request: Request) -> Response:
        body = validated(NewTokenSerializer, request.data)
        token = secrets.token_urlsafe(32)
        self.workspace.tokens.create(
            **body, token_digest=digest(token), begins=token[:6],
            by=request.user.get_username(),
        )  # fmt: skip
        return Response({"token": token}, status=201)


class TokenDetail(OwnerView):
    @extend_schema(responses={204: None}, summary="Revoke a token, for good")
    def delete(self, request: Request, token: int) -> Response:
        found = get_object_or_404(self.workspace.tokens, pk=token)
        self.about = {"name": found.name}
        _revoke(found)
        return Response(status=204)


def _revoke(found: ApiToken | ShareLink) -> None:
    if found.revoked is None:
        found.revoked = timezone.now()
        found.save(update_fields=["revoked"])


class SharesView(StudyView):
    for_persons = True

    @extend_schema(responses=ShareLineSerializer(many=True), summary="Links that show this study")
    def get(self, request: Request, study: int) -> Response:
        found = self.study(study).share_links.order_by("-id")
        return Response(ShareLineSerializer(found, many=True).data)

    @extend_schema(
        request=NewShareSerializer,
        responses={201: LinkSerializer},
        summary="Make a link that shows this study, to be read only; shown once",
    )
    def post(self, request: Request, study: int) -> Response:
        body = validated(NewShareSerializer, request.data)
        token = secrets.token_urlsafe(32)
        values: dict[str, Any] = body
        self.study(study).share_links.create(
            whom=values["whom"], names=values["names"], token_digest=digest(token),
            by=request.user.get_username(),
            expires=timezone.now() + timedelta(days=values["days"]),
        )  # fmt: skip
        return Response({"link": f"{settings.WEB_ORIGIN}/shared/{token}"}, status=201)


class ShareDetail(StudyView):
    for_persons = True

    @extend_schema(responses={204: None}, summary="Revoke a share link")
    def delete(self, request: Request, study: int, share: int) -> Response:
        found = get_object_or_404(self.study(study).share_links, pk=share)
        self.about = {"whom": found.whom} if found.whom else {}
        _revoke(found)
        return Response(status=204)


class AuditView(OwnerView):
    @extend_schema(
        parameters=[OpenApiParameter("before", int, description="entries older than this one")],
        responses=AuditSerializer(many=True),
        summary="Who changed what, newest first, a hundred at a time",
    )
    def get(self, request: Request) -> Response:
        entries = self.workspace.audit.order_by("-id")
        before = request.query_params.get("before", "")
        if before.isdigit() and len(before) < 19:
            entries = entries.filter(pk__lt=int(before))
        return Response(AuditSerializer(entries[:AUDIT_PAGE], many=True).data)
