"""The consumer's process: `python -m syntonos.server.consumer`."""

from __future__ import annotations

import logging
import os
import signal
import sqlite3
import threading
import time

log = logging.getLogger("syntonos.jobs")
_TIDIES_EVERY = 3600.0  # seconds


def _end_with(parent: int) -> None:
    """End when the process that started this one is gone, however it went."""

    def watch() -> None:
        while os.getppid() == parent:
            time.sleep(1)
        os.kill(os.getpid(), signal.SIGTERM)
        time.sleep(10)
        os._exit(1)

    threading.Thread(target=watch, daemon=True, name="parent").start()


def main() -> None:
    """Work off jobs until TERM."""
    os.environ.setdefault("DJANGO_SETTINGS_MODULE", "syntonos.server.config.settings")
    os.nice(5)
    # Known before anything takes its time: the parent may be gone by then.
    _end_with(int(os.environ.get("SYNTONOS_PARENT", os.getppid())))
    import django

    django.setup()
    from django.db import OperationalError

    try:
        _consume()
    except (OperationalError, sqlite3.OperationalError) as error:
        # A full or closed disc: one line; the supervisor tries again, later each time.
        raise SystemExit(f"syntonos: jobs wait, their database cannot be used: {error}.") from None


def _consume() -> None:
    from syntonos.server.jobs.queue import consume
    from syntonos.server.matching.services import measure_unmeasured
    from syntonos.server.rendering.pictures import warm_up

    def beside() -> None:
        warm_up()
        measure_unmeasured()
        while True:
            tidy_up(time.time())
            time.sleep(_TIDIES_EVERY)

    consume(beside)


def tidy_up(now: float) -> None:
    """Remove what is over: sessions, old packages, what a stop left of dropped files.

    `now` in seconds since 1970. What cannot be removed now is tried again the next time.
    """
    from django.db import OperationalError

    from syntonos.server.accounts.services import remove_ended_sessions
    from syntonos.server.footage.uploads import remove_partial
    from syntonos.server.handover.package import remove_old

    for tidy in (remove_ended_sessions, lambda: remove_old(now), lambda: remove_partial(now)):
        try:
            tidy()
        except (OperationalError, OSError):
            log.warning("what is over could not be removed", exc_info=True)


if __name__ == "__main__":
    main()
