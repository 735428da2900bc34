"""The ASGI entry: Django, and beside it the stream of pictures and files that are dropped.

What is foreign is refused by its head, before a byte of its body is read.
"""

import asyncio
import json
import os
from functools import partial
from typing import Any, Final

from django.conf import settings
from django.core.asgi import get_asgi_application

os.environ.setdefault("DJANGO_SETTINGS_MODULE", "syntonos.server.config.settings")
_django = get_asgi_application()

from syntonos.server.api.admission import MOST_REQUESTS, Gate  # noqa: E402 - settings come first
from syntonos.server.api.errors import BusyError, ConflictError  # noqa: E402
from syntonos.server.api.guards import (  # noqa: E402
    foreign_request,
    send_answer,
    send_problem,
)

_DRAFT: Final = "/api/pictures/draft"
_MOST_DRAFT: Final = 4 * 2**20
_UNREAD: Final = [("connection", "close")]  # what is still to come of the body is not read
_drafts = Gate()
_others = asyncio.Semaphore(MOST_REQUESTS)


async def application(scope: dict[str, Any], receive: Any, send: Any) -> None:
    """Serve one connection."""
    if scope["type"] not in ("http", "websocket"):
        await _django(scope, receive, send)
        return
    import syntonos.server.api.app  # noqa: F401 - the roles of its operations are known by it
    from syntonos.server.accounts.door import pass_door, session_ends
    from syntonos.server.footage.receiving import receive_file, takes
    from syntonos.server.rendering.stream import NOT_SIGNED_IN, stream

    headers = {name.decode("latin-1"): value.decode("latin-1") for name, value in scope["headers"]}
    is_stream = scope["type"] == "websocket"
    if settings.ACCOUNTS and (is_stream or not foreign_request(
        scope["method"], headers, headers.get("host", "")
    )):  # fmt: skip
        who = await pass_door(scope, headers, receive)
        if isinstance(who, tuple):
            if is_stream:
                await receive()
                await send({"type": "websocket.close", "code": NOT_SIGNED_IN})
            else:
                await send_answer(send, *who)
            return
        scope = {**scope, "syntonos.account": who}
    if is_stream:
        ends = partial(session_ends, headers) if settings.ACCOUNTS else None
        await stream(scope, receive, send, ends)
        return
    found = foreign_request(scope["method"], headers, headers.get("host", ""))
    if found:
        await send_problem(send, 403, "request.foreign", found,
                           "Open Syntonos at the address it printed and work there.",
                           _UNREAD)  # fmt: skip
    elif takes(scope):
        await receive_file(scope, receive, send)
    elif scope["path"] == _DRAFT and scope["method"] == "POST":
        await _draft(scope, receive, send)
    else:
        async with _others:
            await _django(scope, receive, send)


async def _draft(scope: dict[str, Any], receive: Any, send: Any) -> None:
    """Let a draft in by its view; what it says is looked at closely by who makes it."""
    body = b""
    while True:
        message = await receive()
        if message["type"] != "http.request":
            return
        body += message.get("body", b"")
        if len(body) > _MOST_DRAFT:
            await send_problem(
                send, 413, "request.large", "The body is longer than is taken here.",
                "Send less in one go.", _UNREAD,
            )  # fmt: skip
            return
        if not message.get("more_body"):
            break
    try:
        asked = json.loads(body)
        view = str(asked.get("session", ""))[:60], str(asked["view"])[:60]
    except (ValueError, KeyError, AttributeError, TypeError, RecursionError):
        view = ("", "")  # not understood: said by who validates it

    read = [{"type": "http.request", "body": body, "more_body": False}]

    async def again() -> dict[str, Any]:
        return read.pop() if read else await receive()

    try:
        await _drafts.enter(view)
    except (ConflictError, BusyError) as error:
        is_busy = isinstance(error, BusyError)
        await send_problem(send, 429 if is_busy else 409, error.code, error.detail, error.hint,
                           [("retry-after", "1")] if is_busy else ())  # fmt: skip
        return
    try:
        await _django(scope, again, send)
    finally:
        _drafts.leave(view)
