"""What the API says of the log."""

from __future__ import annotations

from datetime import datetime

from ninja import Schema


class EntryOut(Schema):
    sequence: int
    kind: str
    words: str
    who: str
    is_own: bool
    is_undone: bool
    created: datetime


class HistoryOut(Schema):
    head: int  # the newest entry: the base of what is changed now
    undo: str | None  # what undo would take back; none where there is nothing
    redo: str | None
    changes: list[EntryOut]


class SteppedOut(Schema):
    words: str
    head: int
