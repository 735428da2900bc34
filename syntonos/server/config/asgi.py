"""The ASGI entry: Django, and the stream of pictures beside it."""

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
    else:
        await _django(scope, receive, send)
