"""The consumer's process: `python -m syntonos.server.consumer`."""

from __future__ import annotations

import os
import signal
import sqlite3
import threading
import time


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

    def prepare() -> None:
        warm_up()
        measure_unmeasured()

    consume(prepare)


if __name__ == "__main__":
    main()
