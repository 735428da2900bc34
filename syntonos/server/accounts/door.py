"""The door: every connection passes here when accounts are asked for, before anything else sees it.

On loopback nobody is asked. A page of another site cannot use a session: its cookie goes with
requests of this site only (SameSite=Strict), and foreign origins are refused by a request's head.
"""

from __future__ import annotations

import asyncio
import json
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from http.cookies import CookieError, SimpleCookie
from typing import Any, Final
from urllib.parse import parse_qs, quote, urlsplit

from asgiref.sync import sync_to_async
from django.conf import settings
from django.template import Context, Engine

from syntonos.core.errors import ColourError
from syntonos.server.accounts.roles import WORDS, may, role_needed
from syntonos.server.accounts.services import (
    COOKIE,
    LASTS,
    Account,
    account_of,
    sign_in,
    sign_out,
)

SIGN_IN, SIGN_OUT = "/sign-in", "/sign-out"
_OPEN: Final = ("/mark.svg",)
_MOST_FORM: Final = 4096
_LOOKS_EVERY: Final = 1.0  # seconds between two looks whether a session still holds
# Sessions are looked up by every request; a password takes a core for a third of a second. So each
# has threads of its own, and a flood of sign-ins makes nobody wait who is in.
_sessions: Final = ThreadPoolExecutor(4, "sessions")


class _Hashing:
    """Two threads for passwords, and a bounded number that wait for them."""

    def __init__(self, most: int = 32) -> None:
        self._threads, self._most, self._open = ThreadPoolExecutor(2, "passwords"), most, 0

    @property
    def is_full(self) -> bool:
        """Whether one more has to be turned away."""
        return self._open >= self._most

    async def run(self, work: Callable[..., str | None], *arguments: str) -> str | None:
        self._open += 1
        try:
            return await sync_to_async(
                work, thread_sensitive=False, executor=self._threads
            )(*arguments)  # fmt: skip
        finally:
            self._open -= 1


_hashing: Final = _Hashing()
Answer = tuple[int, bytes, list[tuple[str, str]]]


def _key(headers: dict[str, str]) -> str:
    try:
        found = SimpleCookie(headers.get("cookie", "")).get(COOKIE)
    except CookieError:
        return ""
    return found.value[:64] if found else ""


def _cookie(value: str, seconds: int) -> tuple[str, str]:
    secure = "; Secure" if settings.SECURE else ""
    return ("set-cookie", f"{COOKIE}={value}; Path=/; HttpOnly; SameSite=Strict; "
            f"Max-Age={seconds}{secure}")  # fmt: skip


def _page(problem: str, then: str, status: int = 200) -> Answer:
    engine = Engine(dirs=[str(settings.REPOSITORY / "syntonos/server/accounts/templates")])
    text = engine.get_template("sign_in.html").render(Context({"problem": problem, "then": then}))
    return status, text.encode(), [("content-type", "text/html; charset=utf-8"),
                                   ("cache-control", "no-store")]  # fmt: skip


def _here(then: str) -> str:
    """Return an address of this site: nobody is led away after signing in."""
    parts = urlsplit(then)
    is_here = not parts.scheme and not parts.netloc and then.startswith("/")
    return then if is_here and not then.startswith(("//", "/\\")) else "/"


async def pass_door(
    scope: dict[str, Any], headers: dict[str, str], receive: Any
) -> Account | Answer:
    """Return who comes, or what is answered instead: the sign-in page, 401 or 403."""
    path, method = scope["path"], scope.get("method", "GET")
    if path in (SIGN_IN, SIGN_OUT):
        return await _signing(scope, headers, receive)
    if path in _OPEN:
        return Account(0, "", "look")
    account = await _looked_up(_key(headers))
    if account is None:
        if path.startswith("/api/"):
            return _problem(401, "account.needed", "Nobody is signed in.", "Sign in, then go on.")
        return 303, b"", [("location", f"{SIGN_IN}?then={quote(_here(path))}")]
    needed = role_needed(method, path)
    if scope["type"] == "http" and not may(account.role, needed):
        words = f"it needs the role that {WORDS[needed]}" if needed else "nobody may"
        return _problem(403, "account.role", f"{account.name} may not do this: {words}.",
                        "Ask who manages this Syntonos.")  # fmt: skip
    return account


async def session_ends(headers: dict[str, str]) -> None:
    """Return when who has come in is in no more: signed out, closed, or over."""
    while await _looked_up(_key(headers)) is not None:
        await asyncio.sleep(_LOOKS_EVERY)


async def _looked_up(key: str) -> Account | None:
    return await sync_to_async(account_of, thread_sensitive=False, executor=_sessions)(key)


def _problem(status: int, code: str, detail: str, hint: str) -> Answer:
    body = {"status": status, "code": code, "detail": detail, "hint": hint}
    return status, json.dumps(body).encode(), [("content-type", "application/problem+json")]


async def _signing(scope: dict[str, Any], headers: dict[str, str], receive: Any) -> Answer:
    asked = parse_qs(scope["query_string"].decode("latin-1"))
    then = _here(asked.get("then", ["/"])[0])
    if scope.get("method") != "POST":
        return _page("", then) if scope["path"] == SIGN_IN else (303, b"", [("location", "/")])
    if scope["path"] == SIGN_OUT:
        await sync_to_async(sign_out, thread_sensitive=False, executor=_sessions)(_key(headers))
        return 303, b"", [("location", SIGN_IN), _cookie("", 0)]
    body = b""
    while len(body) <= _MOST_FORM:
        message = await receive()
        body += message.get("body", b"")
        if message["type"] != "http.request" or not message.get("more_body"):
            break
    form = parse_qs(body[:_MOST_FORM].decode("utf-8", "replace"))
    name, password = (form.get(field, [""])[0] for field in ("name", "password"))
    then = _here(form.get("then", [then])[0])
    if _hashing.is_full:
        return _page("Many are signing in just now. Try again in a moment.", then, 429)
    address = str((scope.get("client") or ("",))[0])
    try:
        key = await _hashing.run(sign_in, name[:150], password[:1000], address)
    except ColourError as error:
        return _page(str(error), then, 429)
    if key is None:
        return _page("Name and password do not belong together.", then, 401)
    return 303, b"", [("location", then), _cookie(key, LASTS)]
