"""The render service: sessions with views, newest wins, a bounded pool and a bounded queue.

A view is one picture on one page. Of each view one job runs and one waits. The running one always
finishes, so that a hand that does not rest still sees pictures; a newer one takes the place of the
one that waits. Only a view that was closed is given up half-way. A view that has nothing running
and nothing waiting takes no memory.
"""

from __future__ import annotations

import threading
from collections import deque
from collections.abc import Callable
from concurrent.futures import Future, InvalidStateError
from contextlib import suppress
from dataclasses import dataclass, field

from syntonos.core.chain.engine import Cancelled
from syntonos.server.api.errors import BusyError, ConflictError
from syntonos.server.footage.frames import let_go_later

_REST = 60.0  # seconds without a job after which a worker ends
ViewKey = tuple[str, str]  # session, view
Work = Callable[[Callable[[], bool]], bytes]


@dataclass(eq=False, slots=True)
class _Job:
    key: ViewKey
    sequence: int
    work: Work
    future: Future[bytes] = field(default_factory=Future)
    is_closed: bool = False


def _superseded() -> ConflictError:
    return ConflictError(
        "preview.superseded", "A newer picture took this one's place.", "Nothing to do."
    )


def _closed() -> ConflictError:
    return ConflictError("preview.closed", "The view was closed.", "Nothing to do.")


class RenderService:
    """Makes pictures for views, a bounded number at once.

    Parameters
    ----------
    workers : int
        How many jobs run at once.
    most_waiting : int
        How many jobs may wait, of all views together; one more is refused.
    at_rest : callable
        Called when nothing was asked for in a minute, so that memory can be given back.
    """

    def __init__(
        self, workers: int = 2, most_waiting: int = 48, at_rest: Callable[[], object] = int
    ) -> None:
        self._workers, self._most, self._at_rest = workers, most_waiting, at_rest
        self._running: dict[ViewKey, _Job] = {}
        self._waiting: dict[ViewKey, _Job] = {}
        self._ready: deque[ViewKey] = deque()  # views whose waiting job may run
        self._threads = 0
        self._idle = 0
        self._lock = threading.Condition()

    def submit(self, session: str, view: str, sequence: int, work: Work) -> Future[bytes]:
        """Ask for a picture; the future has it, or says that a newer one took its place.

        `work` gets a function that says whether its view was closed meanwhile.

        Raises
        ------
        BusyError
            When too many wait.
        """
        job = _Job((session, view), sequence, work)
        replaced = None
        with self._lock:
            before = self._waiting.get(job.key)
            if before is not None:
                if before.sequence > sequence:
                    raise _superseded()
                replaced = before
            elif len(self._waiting) >= self._most:
                raise BusyError(len(self._waiting))
            elif job.key not in self._running:
                self._ready.append(job.key)
            self._waiting[job.key] = job
            self._wake()
        if replaced is not None:
            _settle(replaced.future, error=_superseded())
        return job.future

    def make(self, session: str, view: str, sequence: int, work: Work) -> bytes:
        """Do as `submit` does, and wait for the picture."""
        return self.submit(session, view, sequence, work).result()

    def close(self, session: str, view: str | None = None) -> None:
        """Close a view, or all of a session: what waits is dropped, what runs is given up."""
        with self._lock:
            keys = [
                k for k in {*self._waiting, *self._running}
                if k[0] == session and view in (None, k[1])
            ]  # fmt: skip
            dropped = [self._waiting.pop(k) for k in keys if k in self._waiting]
            for key in keys:
                if key in self._running:
                    self._running[key].is_closed = True
                if key in self._ready:
                    self._ready.remove(key)
        for job in dropped:
            _settle(job.future, error=_closed())

    @property
    def load(self) -> tuple[int, int]:
        """How many jobs run and how many wait."""
        with self._lock:
            return len(self._running), len(self._waiting)

    def _wake(self) -> None:
        if len(self._ready) > self._idle and self._threads < self._workers:
            self._threads += 1
            threading.Thread(target=self._work, daemon=True, name="render").start()
        self._lock.notify()

    def _next(self) -> _Job | None:
        with self._lock:
            if not self._ready:
                self._idle += 1
                self._lock.wait(timeout=_REST)
                self._idle -= 1
            if not self._ready:
                self._threads -= 1
                if not self._threads:
                    self._at_rest()
                return None
            key = self._ready.popleft()
            job = self._waiting.pop(key)
            self._running[key] = job
            return job

    def _work(self) -> None:
        while (job := self._next()) is not None:
            result: bytes = b""
            error: BaseException | None = None
            try:
                result = job.work(lambda job=job: job.is_closed)  # type: ignore[misc]
            except Cancelled:
                error = _closed()
            except BaseException as found:
                error = found
            with self._lock:
                del self._running[job.key]
                if job.key in self._waiting:
                    self._ready.append(job.key)
                    self._wake()
            _settle(job.future, result, error)


def _settle(future: Future[bytes], result: bytes = b"", error: BaseException | None = None) -> None:
    """Tell whoever waits what came of a job; nobody may be there any more."""
    with suppress(InvalidStateError):
        if error is not None:
            future.set_exception(error)
        else:
            future.set_result(result)


SERVICE = RenderService(at_rest=let_go_later)
