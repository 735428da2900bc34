"""Files that are dropped, straight from the connection to the disc: nothing is spooled before."""

from __future__ import annotations

import json
import re
from typing import Any, Final
from urllib.parse import parse_qs

from asgiref.sync import sync_to_async

from syntonos.core.errors import ColourError, MediaError
from syntonos.server.api.guards import send_answer, send_problem
from syntonos.server.footage.uploads import Incoming
from syntonos.server.productions.models import Production

_PATH: Final = re.compile(r"^/api/productions/(\d{1,18})/uploads$")
_TYPE: Final = "application/octet-stream"


def takes(scope: dict[str, Any]) -> bool:
    """Say whether a request is a file on its way."""
    return scope["method"] == "POST" and _PATH.match(scope["path"]) is not None


async def receive_file(scope: dict[str, Any], receive: Any, send: Any) -> None:
    """Keep the body of a request as a file: `?name=` and `?place=`, of a stated length."""
    status, body = await _kept(scope, receive)
    if status < 400:
        kind = ("content-type", "application/json")
        await send_answer(send, status, json.dumps(body).encode(), [kind])
    else:  # what is still to come of a refused file is not read
        await send_problem(send, headers=[("connection", "close")], **body)


def _problem(status: int, error: ColourError) -> tuple[int, dict[str, Any]]:
    return status, {"status": status, "code": error.code, "detail": error.message,
                    "hint": error.hint}  # fmt: skip


async def _kept(scope: dict[str, Any], receive: Any) -> tuple[int, dict[str, Any]]:
    headers = {k.decode("latin-1"): v.decode("latin-1") for k, v in scope["headers"]}
    if headers.get("content-type", "") != _TYPE:
        return _problem(415, MediaError("A file is sent as it is.", hint=f"Send it as {_TYPE}.",
                                        code="request.type"))  # fmt: skip
    length = headers.get("content-length", "")
    if not length.isdecimal() or len(length) > 18:
        return _problem(411, MediaError("The length of the file is not said.",
                                        hint="Drop it again.", code="upload.size"))  # fmt: skip
    asked = parse_qs(scope["query_string"].decode("latin-1"))
    name, place = (asked.get(key, [""])[0][:2000] for key in ("name", "place"))
    found = _PATH.match(scope["path"])
    number = int(found[1]) if found else 0
    incoming = None
    try:
        incoming = await sync_to_async(_begin)(number, name, int(length), place)
        while True:
            message = await receive()
            if message["type"] != "http.request":
                raise MediaError(f"{name} broke off on its way.", hint="Drop it again.",
                                 code="upload.size")  # fmt: skip
            if message.get("body"):
                await sync_to_async(incoming.write)(message["body"])
            if not message.get("more_body"):
                return 201, await sync_to_async(incoming.finish)()
    except Production.DoesNotExist:
        return _problem(404, MediaError("There is no such production here.", code="not_found",
                                        hint="Go back to the Board."))  # fmt: skip
    except ColourError as error:
        return _problem(422, error)
    finally:
        if incoming is not None:
            await sync_to_async(incoming.drop)()


def _begin(number: int, name: str, size: int, place: str) -> Incoming:
    return Incoming(Production.objects.get(pk=number), name, size, place)
