"""Streams of pictures over one WebSocket a page: clips played at their rate.

A page says what it wants played in which view; it is sent the messages of drafts (a header, a JPEG,
scope counts), each when it is due. What cannot be made or taken in time is dropped and counted: the
clock goes on. A page that has not said that it showed the last pictures is sent no more of them.
"""

from __future__ import annotations

import asyncio
import json
import time
import uuid
from collections.abc import Awaitable, Callable
from contextlib import suppress
from dataclasses import replace
from typing import Annotated, Any, Final, Literal

from asgiref.sync import sync_to_async
from django.http import Http404
from pydantic import BaseModel, Field, TypeAdapter, ValidationError

from syntonos.core.errors import ColourError
from syntonos.core.viewing import Scope
from syntonos.server.api.errors import BusyError, ConflictError
from syntonos.server.api.guards import foreign_origin, is_own_host
from syntonos.server.rendering import pictures, subjects
from syntonos.server.rendering.schemas import DraftHeader, SeenIn
from syntonos.server.rendering.service import SERVICE

PATH: Final = "/api/stream"
NOT_SIGNED_IN: Final = 4401  # the code with which a connection is closed
_MOST_BYTES, _MOST_VIEWS = 64 * 1024, 8
_AHEAD = 2  # pictures that may be on their way to a page before it says that it showed them

Receive = Callable[[], Awaitable[dict[str, Any]]]
Send = Callable[[dict[str, Any]], Awaitable[None]]


class PlayIn(BaseModel):
    """Play frames of a clip in a view, in place of what it plays now."""

    kind: Literal["play"] = "play"
    view: str = Field(min_length=1, max_length=60)
    seen: SeenIn  # its frame is where it begins
    last: int = Field(ge=0)  # the last frame; it begins again from 0 after it where it loops
    rate: float = Field(gt=0, le=120)  # frames a second
    frames: int = Field(0, ge=0, le=10_000_000)  # how many in all; 0: to the last, or for ever
    loops: bool = False
    scopes: list[Scope] = Field(default_factory=list, max_length=8)


class ShownIn(BaseModel):
    """A page has shown a picture of a view."""

    kind: Literal["shown"] = "shown"
    view: str = Field(max_length=60)
    sequence: int = Field(ge=0)


class StopIn(BaseModel):
    """Stop what a view plays."""

    kind: Literal["stop"] = "stop"
    view: str = Field(max_length=60)


StreamIn = Annotated[PlayIn | ShownIn | StopIn, Field(discriminator="kind")]


class StreamEnded(BaseModel):
    """What a view played has come to its end, or was stopped."""

    kind: Literal["ended"] = "ended"
    view: str
    sent: int
    dropped: int


class StreamProblem(BaseModel):
    """What went wrong; of a view, or of a message that was not understood ("")."""

    kind: Literal["problem"] = "problem"
    view: str
    code: str
    detail: str
    hint: str


StreamOut = Annotated[StreamEnded | StreamProblem, Field(discriminator="kind")]
_messages: TypeAdapter[PlayIn | ShownIn | StopIn] = TypeAdapter(StreamIn)


class _Player:
    """One view: frames by the clock, dropped where they are late."""

    def __init__(self, page: _Page, what: PlayIn) -> None:
        self.page, self.what = page, what
        self.sent = self.dropped = 0
        self._shown = asyncio.Event()
        self._last_sent = self._last_shown = -1

    def note_shown(self, sequence: int) -> None:
        """Note that the page showed a picture."""
        self._last_shown = max(self._last_shown, sequence)
        self._shown.set()

    def _frame(self, number: int) -> int | None:
        """Return the frame that is due as number so and so; None after the end."""
        what = self.what
        if what.frames and number >= what.frames:
            return None
        frame = what.seen.frame + number
        if frame <= what.last:
            return frame
        return frame % (what.last + 1) if what.loops else None

    async def play(self) -> None:
        """Send frames until the end."""
        subject, overrides = await sync_to_async(subjects.subject_through, thread_sensitive=False)(
            self.what.seen
        )
        asked = subjects.asked_of(self.what.seen, scopes=tuple(self.what.scopes))
        begin, number = time.monotonic(), 0
        while (frame := self._frame(number)) is not None:
            due = begin + number / self.what.rate
            await asyncio.sleep(max(0.0, due - time.monotonic()))
            # Between two frames that are due it may still come; after that it is late.
            until = begin + (number + 1) / self.what.rate
            if await self._may_send(until):
                await self._send(subject, overrides, replace(asked, frame=frame), number)
            else:
                self.dropped += 1
            # What became due meanwhile is dropped: the clock goes on.
            now = int((time.monotonic() - begin) * self.what.rate)
            while number + 1 < now and self._frame(number + 1) is not None:
                number += 1
                self.dropped += 1
            number += 1

    async def _may_send(self, until: float) -> bool:
        while self._last_sent - self._last_shown >= _AHEAD:
            self._shown.clear()
            with suppress(TimeoutError):
                await asyncio.wait_for(self._shown.wait(), max(0.0, until - time.monotonic()))
            if time.monotonic() >= until:
                break
        return self._last_sent - self._last_shown < _AHEAD

    async def _send(self, subject: Any, overrides: Any, asked: Any, number: int) -> None:
        sequence = self._last_sent + 1
        what = self.what

        def work(is_cancelled: Callable[[], bool]) -> bytes:
            return pictures.draft_message(
                subject, overrides, asked, sequence=sequence, is_cancelled=is_cancelled,
                view_name=what.view, number=number,
            )  # fmt: skip

        try:
            future = SERVICE.submit(self.page.session, what.view, number, work)
            data = await asyncio.wrap_future(future)
        except BusyError:
            self.dropped += 1
            return
        self._last_sent, self.sent = sequence, self.sent + 1
        await self.page.send_bytes(data)


class _Page:
    """One connection: the views of a page."""

    def __init__(self, send: Send) -> None:
        self.session = f"stream-{uuid.uuid4().hex}"
        self._send = send
        self._is_closed = False
        self._players: dict[str, _Player] = {}
        self._tasks: dict[str, asyncio.Task[None]] = {}

    async def send_bytes(self, data: bytes) -> None:
        await self._send({"type": "websocket.send", "bytes": data})

    async def _tell(self, message: StreamEnded | StreamProblem) -> None:
        await self._send({"type": "websocket.send", "text": message.model_dump_json()})

    async def take(self, text: str) -> None:
        """Do what a message asks for."""
        if self._is_closed:
            return
        try:
            message = _messages.validate_json(text)
        except ValidationError as error:
            first = error.errors()[0]
            place = ".".join(map(str, first["loc"])) or "message"
            await self._tell(StreamProblem(view="", code="stream.message",
                                        detail=f"{place}: {first['msg']}.",
                                        hint="Send a message as the schema has it."))  # fmt: skip
            return
        if isinstance(message, ShownIn):
            if player := self._players.get(message.view):
                player.note_shown(message.sequence)
            return
        await self._stop(message.view)
        if isinstance(message, StopIn):
            return
        if len(self._tasks) >= _MOST_VIEWS:
            await self._tell(StreamProblem(view=message.view, code="stream.views",
                                        detail=f"{_MOST_VIEWS} views play already.",
                                        hint="Stop one of them first."))  # fmt: skip
            return
        player = self._players[message.view] = _Player(self, message)
        self._tasks[message.view] = asyncio.create_task(self._run(player))

    async def _run(self, player: _Player) -> None:
        view = player.what.view
        try:
            await player.play()
        except (ColourError, ConflictError) as error:
            detail = error.message if isinstance(error, ColourError) else error.detail
            await self._tell(
                StreamProblem(view=view, code=error.code, detail=detail, hint=error.hint)
            )
        except Http404:
            detail = "There is no such clip."
            await self._tell(
                StreamProblem(
                    view=view, code="not_found", detail=detail, hint="Look for it in Footage."
                )
            )
        finally:
            if self._players.get(view) is player:
                del self._players[view]
                self._tasks.pop(view, None)
        await self._tell(StreamEnded(view=view, sent=player.sent, dropped=player.dropped))

    async def _stop(self, view: str) -> None:
        task, player = self._tasks.pop(view, None), self._players.pop(view, None)
        if task is None or player is None:
            return
        task.cancel()
        SERVICE.close(self.session, view)
        with suppress(asyncio.CancelledError):
            await task
        await self._tell(StreamEnded(view=view, sent=player.sent, dropped=player.dropped))

    def close(self) -> None:
        """Give all up: nobody looks any more."""
        self._is_closed = True
        for task in self._tasks.values():
            task.cancel()
        SERVICE.close(self.session)


async def stream(
    scope: dict[str, Any], receive: Receive, send: Send,
    ends: Callable[[], Awaitable[None]] | None = None,
) -> None:  # fmt: skip
    """Serve one WebSocket connection (ASGI).

    `ends` returns when whoever looks may look no more: the connection is closed then.
    """
    await receive()  # websocket.connect
    headers = {k.decode("latin-1"): v.decode("latin-1") for k, v in scope["headers"]}
    host = headers.get("host", "")
    refused = not is_own_host(host) or foreign_origin(
        host, headers.get("origin"), headers.get("sec-fetch-site", "same-origin")
    )
    if refused or scope["path"] != PATH:
        await send({"type": "websocket.close", "code": 1008})
        return
    await send({"type": "websocket.accept"})
    page = _Page(send)

    async def close_then() -> None:
        if ends is not None:
            await ends()
            page.close()
            await send({"type": "websocket.close", "code": NOT_SIGNED_IN})

    watch = asyncio.create_task(close_then())
    try:
        while (event := await receive())["type"] != "websocket.disconnect":
            text = event.get("text") or ""
            if len(text) > _MOST_BYTES:
                await send({"type": "websocket.close", "code": 1009})
                break
            await page.take(text)
    finally:
        watch.cancel()
        page.close()


def message_schemas() -> dict[str, Any]:
    """Return JSON schemas of the messages, for the client's types."""
    out: dict[str, Any] = {}
    adapters: dict[str, TypeAdapter[Any]] = {
        "StreamIn": TypeAdapter(StreamIn), "StreamOut": TypeAdapter(StreamOut),
        "DraftHeader": TypeAdapter(DraftHeader),
    }  # fmt: skip
    for name, adapter in adapters.items():
        schema = adapter.json_schema(ref_template="#/components/schemas/{model}")
        out |= schema.pop("$defs", {})
        out[name] = schema
    return json.loads(json.dumps(out))  # type: ignore[no-any-return]
