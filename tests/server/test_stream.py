"""The protocol of the stream, without a server: ASGI messages in and out."""

import asyncio
import json

import pytest

from syntonos.server.rendering import stream as module
from syntonos.server.rendering.service import RenderService

HOST = [(b"host", b"127.0.0.1:8000"), (b"origin", b"http://127.0.0.1:8000")]


class Page:
    """One connection: what it sends, and what comes back."""

    def __init__(self):
        self.sent = []
        self._in, self._out = asyncio.Queue(), asyncio.Queue()

    async def __aenter__(self):
        await self._in.put({"type": "websocket.connect"})
        scope = {"type": "websocket", "path": module.PATH, "headers": HOST}
        self._task = asyncio.create_task(module.stream(scope, self._in.get, self._out.put))
        assert (await self._out.get())["type"] == "websocket.accept"
        return self

    async def __aexit__(self, *_):
        await self._in.put({"type": "websocket.disconnect"})
        await asyncio.wait_for(self._task, 10)

    async def say(self, **message):
        await self._in.put({"type": "websocket.receive", "text": json.dumps(message)})

    async def play(self, view="v", **more):
        await self.say(kind="play", view=view, **{"last": 3, "rate": 120, "seen": SEEN} | more)

    async def hear(self):
        """Return what comes next: a picture's numbers, or a message."""
        event = await asyncio.wait_for(self._out.get(), 10)
        if event.get("bytes") is not None:
            return json.loads(event["bytes"])
        return json.loads(event["text"]) if "text" in event else event

    async def hear_all(self, *, showing=True):
        """Return all pictures up to the end; each is said to be shown."""
        pictures = []
        while "kind" not in (heard := await self.hear()):
            pictures.append(heard)
            if showing:
                await self.say(kind="shown", view=heard["view"], sequence=heard["sequence"])
        return pictures, heard


SEEN = {"subject": {"kind": "clip", "id": 1}, "width": 64}


@pytest.fixture(autouse=True)
def _quick(monkeypatch):
    """Pictures that say what they are of, made in no time."""

    def message(subject, overrides, asked, *, sequence, view_name, number, **_):
        said = {"frame": asked.frame, "sequence": sequence, "view": view_name, "number": number}
        return json.dumps(said).encode()

    monkeypatch.setattr(module.pictures, "draft_message", message)
    monkeypatch.setattr(module.subjects, "subject_through", lambda seen: (None, None))
    monkeypatch.setattr(module, "SERVICE", RenderService())


def run(scene):
    asyncio.run(scene())


def test_every_frame_that_is_due_is_sent_or_counted_and_the_last_one_ends_it():
    async def scene():
        async with Page() as page:
            await page.play(last=5, seen=SEEN | {"frame": 2})
            pictures, ended = await page.hear_all()
            assert ended["sent"] == len(pictures)
            assert ended["sent"] + ended["dropped"] == 4  # frames 2, 3, 4 and 5
            assert all(p["frame"] == p["number"] + 2 for p in pictures)
            # Round and round, for as many as were asked for.
            await page.play(last=2, frames=30, loops=True)
            pictures, ended = await page.hear_all()
            assert ended["sent"] + ended["dropped"] == 30
            assert all(p["frame"] == p["number"] % 3 for p in pictures)
            assert [p["sequence"] for p in pictures] == list(range(len(pictures)))

    run(scene)


def test_a_page_that_shows_nothing_is_sent_two_and_the_clock_goes_on():
    async def scene():
        async with Page() as page:
            await page.play(last=0, frames=40, loops=True)
            pictures, ended = await page.hear_all(showing=False)
            assert (len(pictures), ended["sent"], ended["dropped"]) == (2, 2, 38)

    run(scene)


def test_stop_and_another_play_end_what_runs():
    async def scene():
        async with Page() as page:
            await page.play(rate=50, loops=True)
            await page.hear()
            await page.say(kind="stop", view="v")
            _, ended = await page.hear_all()
            assert ended["kind"] == "ended"
            await page.play(rate=50, loops=True)
            await page.hear()
            await page.play(rate=120, last=1)
            _, first = await page.hear_all()
            _, second = await page.hear_all()
            assert {first["kind"], second["kind"]} == {"ended"}
            await page.say(kind="stop", view="nobody")  # nothing to stop, nothing to say

    run(scene)


def test_a_page_has_so_many_views_and_no_more():
    async def scene():
        async with Page() as page:
            for i in range(9):
                await page.play(view=f"v{i}", rate=1, loops=True)
            heard = [await page.hear() for _ in range(9)]
            (problem,) = [h for h in heard if h.get("kind") == "problem"]
            assert (problem["code"], problem["view"]) == ("stream.views", "v8")

    run(scene)


@pytest.mark.parametrize(
    "message",
    [{}, {"kind": "dance"}, {"kind": "play"}, {"kind": "play", "view": "v", "last": 1, "rate": 0,
     "seen": SEEN}, {"kind": "play", "view": "v", "last": 1, "rate": 24, "seen": {}},
     {"kind": "shown", "view": "v", "sequence": -1}],
)  # fmt: skip
def test_what_is_not_understood_is_said_and_the_connection_stays(message):
    async def scene():
        async with Page() as page:
            await page.say(**message)
            heard = await page.hear()
            assert (heard["kind"], heard["code"]) == ("problem", "stream.message")
            assert heard["detail"]
            await page.play(last=0)
            _, ended = await page.hear_all()
            assert ended["sent"] + ended["dropped"] == 1

    run(scene)


@pytest.mark.parametrize(
    ("headers", "path"),
    [([(b"host", b"elsewhere.example")], module.PATH), (HOST, "/api/other"),
     ([HOST[0], (b"origin", b"http://elsewhere.example")], module.PATH),
     ([*HOST, (b"sec-fetch-site", b"cross-site")], module.PATH), ([], module.PATH)],
)  # fmt: skip
def test_other_hosts_origins_and_places_are_refused_before_anything_is_read(headers, path):
    async def scene():
        out = []

        async def receive():
            return {"type": "websocket.connect"}

        async def send(event):
            out.append(event)

        await module.stream({"type": "websocket", "path": path, "headers": headers}, receive, send)
        assert out == [{"type": "websocket.close", "code": 1008}]

    run(scene)


def test_a_page_that_leaves_takes_its_views_with_it():
    async def scene():
        async with Page() as page:
            await page.play(rate=30, loops=True)
            await page.hear()
        assert module.SERVICE.load == (0, 0)
        assert len(asyncio.all_tasks()) == 1

    run(scene)


def test_the_schema_of_messages_names_every_kind():
    schemas = module.message_schemas()
    kinds = {
        schemas[name]["properties"]["kind"]["const"]
        for name in ("PlayIn", "ShownIn", "StopIn", "StreamEnded", "StreamProblem")
    }
    assert kinds == {"play", "shown", "stop", "ended", "problem"}
