"""The queue: Huey on an SQLite file of its own, and the consumer that works it off."""

from __future__ import annotations

import threading
from collections.abc import Callable

from django.conf import settings
from huey import SqliteHuey
from huey.consumer import Consumer

# Immediate: a job is done before the call that starts it returns; for tests.
HUEY = SqliteHuey(
    "syntonos", filename=str(settings.DATA / "queue.sqlite3"),
    immediate=settings.QUEUE == "immediate",
)  # fmt: skip


@HUEY.task()  # type: ignore[untyped-decorator]
def work(job_id: int) -> None:
    """Do a job; what it was asked for is in its row."""
    from syntonos.server.jobs.services import run

    run(job_id)


def consume(beside: Callable[[], None]) -> None:
    """Work off the queue until TERM or Ctrl-C; what a kill left half-done begins again.

    `beside` is called in the background: kernels are loaded there while nobody waits for them.
    """
    from syntonos.server.jobs.services import take_up_again

    take_up_again()
    threading.Thread(target=beside, daemon=True).start()
    Consumer(
        HUEY, workers=1, worker_type="thread", periodic=False, initial_delay=0.05, max_delay=0.3,
        check_worker_health=False,
    ).run()  # fmt: skip
