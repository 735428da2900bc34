"""Errors of the server that are no mistakes: somebody else was first, or too much was asked."""

from __future__ import annotations

from typing import Any


class ConflictError(Exception):
    """A change was made on a base that is no longer the newest."""

    def __init__(self, code: str, detail: str, hint: str, **more: Any) -> None:
        super().__init__(detail)
        self.code, self.detail, self.hint, self.more = code, detail, hint, more


class BusyError(Exception):
    """More was asked for than can wait."""

    code = "render.busy"
    hint = "Wait a moment and try again; close windows that are not looked at."

    def __init__(self, waiting: int) -> None:
        self.detail = f"{waiting} pictures wait to be made already."
        super().__init__(self.detail)
