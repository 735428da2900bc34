"""A web page elsewhere must not reach the application that listens on this machine."""

from __future__ import annotations

import json
from collections.abc import Callable
from urllib.parse import urlsplit

from django.conf import settings
from django.core.exceptions import DisallowedHost
from django.http import HttpRequest, HttpResponse
from django.http.request import split_domain_port, validate_host

_SAFE = {"GET", "HEAD", "OPTIONS"}


def _refuse(detail: str) -> HttpResponse:
    body = {"code": "request.foreign", "detail": detail,
            "hint": "Open Syntonos at the address it printed and work there."}  # fmt: skip
    return HttpResponse(json.dumps(body), status=403, content_type="application/problem+json")


def foreign_origin(host: str, origin: str | None, site: str) -> str:
    """Say what is foreign about where a change comes from; "" where nothing is.

    Parameters
    ----------
    host : str
        What the request asks for, checked already.
    origin : str or None
        Its Origin header; None where it has none, as from a program.
    site : str
        Its Sec-Fetch-Site header; "same-origin" where it has none.
    """
    if origin is not None and urlsplit(origin).netloc != host:
        return f"A page at {origin[:100]} asked for a change."
    if site not in ("same-origin", "none"):
        return "A page of another site asked for a change."
    return ""


def is_own_host(host: str) -> bool:
    """Say whether a Host header names this application."""
    domain, _ = split_domain_port(host)
    return bool(domain) and validate_host(domain, settings.ALLOWED_HOSTS)


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
            if found := foreign_origin(host, origin, site):
                return _refuse(found)
        return self.get_response(request)
