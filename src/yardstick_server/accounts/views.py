"""Signing in and out, and who is signed in."""

from __future__ import annotations

from django.conf import settings
from django.contrib.auth import login, logout
from django.http import HttpRequest, HttpResponse, HttpResponseRedirect
from django.views import View
from drf_spectacular.utils import extend_schema
from rest_framework import serializers
from rest_framework.request import Request
from rest_framework.response import Response

from yardstick_server.accounts.member_views import MemberView
from yardstick_server.accounts.models import SignInLink


class SessionSerializer(serializers.Serializer):
    name = serializers.CharField()
    role = serializers.CharField()
    workspace = serializers.CharField()
    live_url = serializers.CharField(help_text="where live events come from")


class SessionView(MemberView):
    @extend_schema(responses=SessionSerializer, summary="Who is signed in")
    def get(self, request: Request) -> Response:
        member = request.user.member
        return Response(
            {
                "name": request.user.get_username(),
                "role": member.role,
                "workspace": member.workspace.name,
                "live_url": settings.LIVE_URL,
            }
        )


class SignOutView(MemberView):
    @extend_schema(request=None, responses={204: None}, summary="Sign out")
    def post(self, request: Request) -> Response:
        logout(request)
        return Response(status=204)


class SignInByLink(View):
    """Follows a one-time link; a used or old one leads to the page that says what to do."""

    def get(self, request: HttpRequest, token: str) -> HttpResponse:
        user = SignInLink.redeem(token)
        if user is None:
            return HttpResponseRedirect("/?link=spent")
        login(request, user)
        return HttpResponseRedirect("/")
