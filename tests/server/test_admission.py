"""Who comes in: one of each view, the newest of those that wait, nobody starved."""

import asyncio
import json

import pytest
from asgiref.sync import async_to_sync

from syntonos.server.api.admission import Gate
from syntonos.server.api.errors import BusyError, ConflictError
from tests.server.test_bring_in import Sent


def run(test):
    return async_to_sync(test)()


def test_of_each_view_one_is_inside_and_the_newest_waits():
    async def go():
        gate = Gate(at_once=2, waiting=3)
        await gate.enter("a")
        first = asyncio.ensure_future(gate.enter("a"))
        await asyncio.sleep(0)
        second = asyncio.ensure_future(gate.enter("a"))
        with pytest.raises(ConflictError) as told:
            await first
        assert told.value.code == "preview.superseded"
        assert gate.load == (1, 1)  # a view never works on two at once, though there is room
        gate.leave("a")
        await second
        gate.leave("a")
        assert gate.load == (0, 0)

    run(go)


def test_a_view_that_asks_again_keeps_its_place_and_too_many_are_told_so():
    async def go():
        gate, order = Gate(at_once=1, waiting=3), []
        await gate.enter("hand")

        async def ask(view):
            try:
                await gate.enter(view)
                order.append(view)
            except ConflictError:
                pass

        tasks = []
        for view in ("a", "b", "a", "b", "a", "c", "b"):
            tasks.append(asyncio.ensure_future(ask(view)))
            await asyncio.sleep(0)
        with pytest.raises(BusyError):
            await gate.enter("d")
        for view in ("hand", "a", "b", "c"):
            gate.leave(view)
            await asyncio.sleep(0)
            await asyncio.sleep(0)
        await asyncio.gather(*tasks)
        assert order == ["a", "b", "c"]
        assert gate.load == (0, 0)

    run(go)


def test_who_goes_away_while_waiting_leaves_nothing_behind():
    async def go():
        gate = Gate(at_once=1, waiting=3)
        await gate.enter("a")
        waits = asyncio.ensure_future(gate.enter("b"))
        await asyncio.sleep(0)
        waits.cancel()
        with pytest.raises(asyncio.CancelledError):
            await waits
        gate.leave("a")
        assert gate.load == (0, 0)

    run(go)


def test_a_draft_goes_through_the_gate_and_nonsense_is_answered(transactional_db, place):
    headers = {"content-type": "application/json"}
    body = {"session": "s", "view": "v", "sequence": 1,
            "subject": {"kind": "clip", "id": place.clips["A", "scene"].pk},
            "width": 64}  # fmt: skip
    path = "/api/pictures/draft"
    good = Sent(path, json.dumps(body).encode(), headers).go()
    assert (good.status, len(good.said) > 500) == (200, True)
    for nonsense in (b"{", b"[]", b"null", b"{}", b"\xff", b"[" * 100_000):
        assert Sent(path, nonsense, headers).go().status in (400, 422)
    assert Sent(path, b"x" * (5 * 2**20), headers).go().status == 413
