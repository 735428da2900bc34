"""Errors of the server that are no mistakes: somebody else was first."""

from __future__ import annotations

from typing import Any


class ConflictError(Exception):
    """A change was made on a base that is no longer the newest."""

    def __init__(self, code: str, detail: str, hint: str, **more: Any) -> None:
        super().__init__(detail)
        self.code, self.detail, self.hint, self.more = code, detail, hint, more
