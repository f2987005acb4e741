"""What a machine that joins fetches; there is nothing secret in it, so nobody signs in for it."""

from __future__ import annotations

from django.conf import settings
from django.http import Http404, HttpRequest, HttpResponse

from yardstick_server.joining.package import NoPip, bootstrap, files


def join_script(request: HttpRequest) -> HttpResponse:
    """The bootstrap: text for Python, with checksums of what it fetches next."""
    try:
        return HttpResponse(bootstrap(), content_type="text/x-python; charset=utf-8")
    except NoPip as trouble:
        return HttpResponse(str(trouble), status=503, content_type="text/plain; charset=utf-8")


def gate_script(request: HttpRequest) -> HttpResponse:
    """The gate's command as one file, for a build server without a checkout."""
    text = (settings.PROJECT / "src" / "yardstick_command" / "gate.py").read_bytes()
    return HttpResponse(text, content_type="text/x-python; charset=utf-8")


def agent_file(request: HttpRequest, name: str) -> HttpResponse:
    """The agent's wheel, the locked list of what it needs, or pip's wheel."""
    found = files().get(name)
    if found is None:
        raise Http404
    response = HttpResponse(found, content_type="application/octet-stream")
    response["Content-Disposition"] = "attachment"
    return response
