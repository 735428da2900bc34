"""Tells the log to stop the jobs of a step before it is undone."""

from __future__ import annotations

from django.apps import AppConfig


class JobsConfig(AppConfig):
    name = "syntonos.server.jobs"

    def ready(self) -> None:
        from syntonos.server.history.services import before_undo
        from syntonos.server.jobs.services import cancel_group

        before_undo.append(cancel_group)
