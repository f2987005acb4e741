"""The one HTML page of the web interface, for every address that is not the API's."""

from __future__ import annotations

from django.conf import settings
from django.http import HttpRequest, HttpResponse
from django.views.decorators.csrf import ensure_csrf_cookie

NOT_BUILT = (
    "<!doctype html><title>Noble Yardstick</title><p>The web interface has not been built: "
    "run <code>./yardstick up</code>."
)


@ensure_csrf_cookie
def page(request: HttpRequest) -> HttpResponse:
    index = settings.PROJECT / "web" / "dist" / "index.html"
    if not index.exists():
        return HttpResponse(NOT_BUILT, status=503)
    response = HttpResponse(index.read_bytes())
    response["Cache-Control"] = "no-cache"
    return response
