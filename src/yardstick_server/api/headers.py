"""Response headers every page carries."""

from __future__ import annotations

from collections.abc import Callable

from django.conf import settings
from django.http import HttpRequest, HttpResponse

#: What no page of ours asks a browser for.
DENIED = "camera=(), microphone=(), geolocation=(), payment=(), usb=()"


class ContentPolicyMiddleware:
    """Only our own scripts, styles, fonts and connections; no inline script."""

    def __init__(self, get_response: Callable[[HttpRequest], HttpResponse]) -> None:
        self.get_response = get_response
        self.policy = (
            "default-src 'self'; script-src 'self'; style-src 'self' 'unsafe-inline'; "
            "img-src 'self' data:; media-src 'self' data:; "
            f"connect-src 'self' {settings.LIVE_URL}; "
            "frame-ancestors 'none'; base-uri 'self'; form-action 'self'"
        )

    def __call__(self, request: HttpRequest) -> HttpResponse:
        response = self.get_response(request)
        response.setdefault("Content-Security-Policy", self.policy)
        response.setdefault("Permissions-Policy", DENIED)
        return response
