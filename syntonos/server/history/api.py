"""Endpoints of the log: what was done, undo, redo."""

from __future__ import annotations

from typing import Any

from django.http import HttpRequest
from ninja import Router

from syntonos.server.history import context, services
from syntonos.server.history.models import Change
from syntonos.server.history.schemas import HistoryOut, SteppedOut

router = Router()


def _who(change: Change) -> str:
    if change.author and change.author == context.author().mark:
        return "you"
    return change.author_name or ("somebody else" if change.author else "Syntonos")


@router.get("/productions/{production_id}/history", response=HistoryOut,
            operation_id="getHistory")  # fmt: skip
def get_history(request: HttpRequest, production_id: int, most: int = 100) -> Any:
    undo, redo = services.next_undo(production_id), services.next_redo(production_id)
    rows = Change.objects.filter(production_id=production_id)[: max(0, min(most, 1000))]
    return {
        "head": services.head_of(production_id),
        "undo": services.step_words(undo) if undo else None,
        "redo": services.step_words(redo) if redo else None,
        "changes": [
            {"sequence": row.sequence, "kind": row.kind, "words": row.words, "who": _who(row),
             "is_own": _who(row) == "you", "is_undone": row.is_undone, "created": row.created}
            for row in rows
        ],
    }  # fmt: skip


@router.post("/productions/{production_id}/undo", response=SteppedOut, operation_id="undo")
def undo(request: HttpRequest, production_id: int) -> Any:
    """Take back one's own newest step."""
    made = services.undo(production_id)
    return {"words": made.words, "head": made.sequence}


@router.post("/productions/{production_id}/redo", response=SteppedOut, operation_id="redo")
def redo(request: HttpRequest, production_id: int) -> Any:
    """Do again what was undone last."""
    made = services.redo(production_id)
    return {"words": made.words, "head": made.sequence}
