"""Who may come in: a bounded number of requests at once, and of each view the newest.

Django gives every request a thread of its own. What cannot be worked on yet waits here instead,
in the event loop, where it costs next to nothing; and a hand that asks faster than pictures can be
made is told so at once.
"""

from __future__ import annotations

import asyncio
from collections.abc import Hashable
from typing import Final

from syntonos.server.api.errors import BusyError, ConflictError

MOST_AT_ONCE, MOST_WAITING = 4, 48  # of pictures under a hand, of all views together
MOST_REQUESTS: Final = 16  # of everything else


class Gate:
    """Lets requests in by view: one of each at once, and of those that wait the newest only.

    All of it happens in one event loop.
    """

    def __init__(self, at_once: int = MOST_AT_ONCE, waiting: int = MOST_WAITING) -> None:
        self._at_once, self._most = at_once, waiting
        self._inside: set[Hashable] = set()
        self._waiting: dict[Hashable, asyncio.Future[bool]] = {}

    @property
    def load(self) -> tuple[int, int]:
        """How many are inside and how many wait."""
        return len(self._inside), len(self._waiting)

    async def enter(self, view: Hashable) -> None:
        """Wait until a request of a view may come in.

        Raises
        ------
        ConflictError
            preview.superseded, when a newer one of its view came meanwhile.
        BusyError
            When too many wait.
        """
        older = self._waiting.get(view)
        if older is None:
            if len(self._inside) < self._at_once and view not in self._inside:
                self._inside.add(view)
                return
            if len(self._waiting) >= self._most:
                raise BusyError(len(self._waiting))
        elif not older.done():
            older.set_result(False)
        turn: asyncio.Future[bool] = asyncio.get_running_loop().create_future()
        self._waiting[view] = turn  # in the place of the older one: its view waits no longer
        try:
            is_in = await turn
        except asyncio.CancelledError:
            if self._waiting.get(view) is turn:
                del self._waiting[view]
            elif turn.done() and not turn.cancelled() and turn.result():
                self.leave(view)
            raise
        if not is_in:
            raise ConflictError("preview.superseded", "A newer picture took this one's place.",
                                "Nothing to do.")  # fmt: skip

    def leave(self, view: Hashable) -> None:
        """Let the next in, those that have waited longest first."""
        self._inside.discard(view)
        for waits, turn in list(self._waiting.items()):
            if len(self._inside) >= self._at_once:
                return
            if waits not in self._inside:
                del self._waiting[waits]
                if not turn.done():
                    self._inside.add(waits)
                    turn.set_result(True)
