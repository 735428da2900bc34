"""What the API says about jobs."""

from __future__ import annotations

from datetime import datetime
from typing import Any, Literal

from ninja import Schema


class ProblemOut(Schema):
    code: str
    detail: str
    hint: str


class JobOut(Schema):
    id: int
    kind: str
    title: str
    arguments: dict[str, Any]
    state: Literal["queued", "running", "done", "failed", "cancelled"]
    progress: float
    step: str
    is_cancel_asked: bool
    result: dict[str, Any] | None
    problem: ProblemOut | None
    created: datetime
