"""Errors of the server that are no mistakes: somebody else was first, or too much was asked."""

from __future__ import annotations

import errno
import sqlite3
from pathlib import Path
from typing import Any

from django.conf import settings
from django.db import OperationalError


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


_FULL = (errno.ENOSPC, errno.EDQUOT)
_CLOSED = (errno.EROFS, errno.EACCES, errno.EPERM)


def disc_problem(error: BaseException) -> dict[str, str] | None:
    """Return code, detail and hint where a disc refused something; None for other errors."""
    # Django's own, and that of the queue, which lies beside Django.
    if isinstance(error, OperationalError | sqlite3.OperationalError):
        text, place = str(error).lower(), str(settings.DATA)
        if "locked" in text or "unable to open" in text:
            return {"code": "database.busy", "detail": "The data are in use by too many at once.",
                    "hint": "Try again in a moment."}  # fmt: skip
        is_full, is_closed = "full" in text or "i/o error" in text, "readonly" in text
    elif isinstance(error, OSError):
        place = str(Path(error.filename).parent) if error.filename else str(settings.DATA)
        is_full, is_closed = error.errno in _FULL, error.errno in _CLOSED
    else:
        return None
    if is_full:
        return {"code": "disc.full", "detail": f"The disc with {place} is full: nothing was "
                "changed.", "hint": "Make room there, then do it again."}  # fmt: skip
    if is_closed:
        return {"code": "disc.closed",
                "detail": f"{place} may not be written: nothing was changed.",
                "hint": "Give Syntonos the right to write there, then do it again."}  # fmt: skip
    return None
