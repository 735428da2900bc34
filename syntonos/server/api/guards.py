"""A web page elsewhere must not reach the application that listens on this machine."""

from __future__ import annotations

import json
import re
from collections.abc import Callable, Iterable, Mapping
from typing import Any, Final
from urllib.parse import urlsplit

from django.conf import settings
from django.core.exceptions import DisallowedHost
from django.http import HttpRequest, HttpResponse
from django.http.request import split_domain_port, validate_host

_SAFE = {"GET", "HEAD", "OPTIONS"}


# Numbers of rows have 63 bits: one with more digits in an address is none, wherever it stands.
_NO_ROW = re.compile(r"/-?\d{19,}(/|$)")


def problem_answer(status: int, code: str, detail: str, hint: str, **more: Any) -> HttpResponse:
    """Return a problem+json answer (RFC 9457, with our `code` and `hint`)."""
    body = {"status": status, "code": code, "detail": detail, "hint": hint, **more}
    return HttpResponse(json.dumps(body), status=status, content_type="application/problem+json")


def _refuse(detail: str) -> HttpResponse:
    return problem_answer(403, "request.foreign", detail,
                          "Open Syntonos at the address it printed and work there.")  # fmt: skip


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


def foreign_request(method: str, headers: Mapping[str, str], host: str) -> str:
    """Say what is foreign about a request by its head alone; "" where nothing is.

    Parameters
    ----------
    headers : mapping
        By lower-case names.
    """
    if not is_own_host(host):
        return "The request names a host that is not this one."
    if method in _SAFE:
        return ""
    return foreign_origin(host, headers.get("origin"), headers.get("sec-fetch-site", "same-origin"))


# What a page of ours may do and load, and who may show it. Charts of our own are drawn on canvases,
# pictures come as blobs; React sets styles through the object model, which needs no permission.
HEADERS: Final = {
    "Content-Security-Policy": (
        "default-src 'self'; img-src 'self' data: blob:; style-src 'self' 'unsafe-inline'; "
        "object-src 'none'; base-uri 'none'; form-action 'self'; frame-ancestors 'none'"
    ),
    "X-Content-Type-Options": "nosniff",
    "X-Frame-Options": "DENY",
    "Cross-Origin-Resource-Policy": "same-origin",
    "Cross-Origin-Opener-Policy": "same-origin",
    "Referrer-Policy": "same-origin",
}  # fmt: skip


async def send_answer(
    send: Any, status: int, body: bytes, headers: Iterable[tuple[str, str]] = ()
) -> None:
    """Send an answer over ASGI without Django, with the same headers as its own have."""
    own = {**{k.lower(): v for k, v in HEADERS.items()}, "content-length": str(len(body))}
    raw = [(k.encode(), v.encode("latin-1")) for k, v in [*own.items(), *headers]]
    await send({"type": "http.response.start", "status": status, "headers": raw})
    await send({"type": "http.response.body", "body": body})


async def send_problem(
    send: Any, status: int, code: str, detail: str, hint: str,
    headers: Iterable[tuple[str, str]] = (),
) -> None:  # fmt: skip
    """Send a problem+json answer over ASGI without Django."""
    body = json.dumps({"status": status, "code": code, "detail": detail, "hint": hint}).encode()
    kind = ("content-type", "application/problem+json")
    await send_answer(send, status, body, [kind, *headers])


class SecurityHeaders:
    """Puts what a browser is to hold to on every answer, files of the front end too."""

    def __init__(self, get_response: Callable[[HttpRequest], HttpResponse]) -> None:
        self.get_response = get_response

    def __call__(self, request: HttpRequest) -> HttpResponse:
        response = self.get_response(request)
        for name, value in HEADERS.items():
            response.setdefault(name, value)
        return response


class JsonOnly:
    """Refuses bodies that are neither JSON nor a form with a file: what a plain page can send."""

    def __init__(self, get_response: Callable[[HttpRequest], HttpResponse]) -> None:
        self.get_response = get_response

    def __call__(self, request: HttpRequest) -> HttpResponse:
        has_body = request.headers.get("Content-Length", "0") not in ("", "0")
        if request.method not in _SAFE and has_body and request.path.startswith("/api/"):
            allowed = {"application/json", "multipart/form-data"}
            if request.content_type not in allowed:
                return problem_answer(
                    415, "request.type", f"The body is {request.content_type or 'of no type'}.",
                    "Send application/json.",
                )  # fmt: skip
        return self.get_response(request)


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
        if _NO_ROW.search(request.path):
            return problem_answer(404, "not_found", "There is no such thing here.",
                                  "Go back to the Board; it may have been removed.")  # fmt: skip
        return self.get_response(request)
