"""The consumer's process: `python -m syntonos.server.jobs.consumer`."""

from __future__ import annotations

import os


def main() -> None:
    """Work off jobs until TERM."""
    os.environ.setdefault("DJANGO_SETTINGS_MODULE", "syntonos.server.config.settings")
    os.nice(5)
    import django

    django.setup()
    from syntonos.server.jobs.queue import consume

    consume()


if __name__ == "__main__":
    main()
