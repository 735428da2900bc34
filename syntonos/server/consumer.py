"""The consumer's process: `python -m syntonos.server.consumer`."""

from __future__ import annotations

import os


def main() -> None:
    """Work off jobs until TERM."""
    os.environ.setdefault("DJANGO_SETTINGS_MODULE", "syntonos.server.config.settings")
    os.nice(5)
    import django

    django.setup()
    from syntonos.server.jobs.queue import consume
    from syntonos.server.matching.services import measure_unmeasured
    from syntonos.server.rendering.pictures import warm_up

    def prepare() -> None:
        warm_up()
        measure_unmeasured()

    consume(prepare)


if __name__ == "__main__":
    main()
