"""A web page elsewhere must not reach the application that listens on this machine."""

from __future__ import annotations

import json
from collections.abc import Callable
from urllib.parse import urlsplit

from django.core.exceptions import DisallowedHost
from django.http import HttpRequest, HttpResponse

_SAFE = {"GET", "HEAD", "OPTIONS"}


def _refuse(detail: str) -> HttpResponse:
    body = {"code": "request.foreign", "detail": detail,
            "hint": "Open Syntonos at the address it printed and work there."}  # fmt: skip
    return HttpResponse(json.dumps(body), status=403, content_type="application/problem+json")


class HostAndOriginGuard:
    """Refuse foreign Host headers always, and foreign origins on every change."""

    def __init__(self, get_response: Callable[[HttpRequest], HttpResponse]) -> None:
        self.get_response = get_response

    def __call__(self, request: HttpRequest) -> HttpResponse:
        try:
            host = request.get_host()
        except DisallowedHost:
            return _refuse("The request names a host that is not this one.")
        if request.method not in _SAFE:
            origin = request.headers.get("Origin")
            site = request.headers.get("Sec-Fetch-Site", "same-origin")
            if origin is not None and urlsplit(origin).netloc != host:
                return _refuse(f"A page at {origin[:100]} asked for a change.")
            if site not in ("same-origin", "none"):
                return _refuse("A page of another site asked for a change.")
        return self.get_response(request)
