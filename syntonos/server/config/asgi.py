"""The ASGI entry: Django, and beside it the stream of pictures and files that are dropped.

What is foreign is refused by its head, before a byte of its body is read.
"""

import json
import os
from typing import Any

from django.core.asgi import get_asgi_application

os.environ.setdefault("DJANGO_SETTINGS_MODULE", "syntonos.server.config.settings")
_django = get_asgi_application()


async def application(scope: dict[str, Any], receive: Any, send: Any) -> None:
    """Serve one connection."""
    if scope["type"] == "websocket":
        from syntonos.server.rendering.stream import stream

        await stream(scope, receive, send)
        return
    if scope["type"] == "http":
        from syntonos.server.api.guards import foreign_request
        from syntonos.server.footage.receiving import receive_file, takes

        headers = {name.decode("latin-1"): value.decode("latin-1")
                   for name, value in scope["headers"]}  # fmt: skip
        found = foreign_request(scope["method"], headers, headers.get("host", ""))
        if found:
            await _refuse(send, found)
            return
        if takes(scope):
            await receive_file(scope, receive, send)
            return
    await _django(scope, receive, send)


async def _refuse(send: Any, detail: str) -> None:
    body = json.dumps({
        "status": 403, "code": "request.foreign", "detail": detail,
        "hint": "Open Syntonos at the address it printed and work there.",
    }).encode()  # fmt: skip
    await send({"type": "http.response.start", "status": 403, "headers": [
        (b"content-type", b"application/problem+json"), (b"connection", b"close"),
        (b"content-length", str(len(body)).encode()),
    ]})  # fmt: skip
    await send({"type": "http.response.body", "body": body})
