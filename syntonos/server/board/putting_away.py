"""Putting things away, and bringing them back: nothing is deleted, and all of it can be undone."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Any, Final, Literal

from django.db import models
from django.shortcuts import get_object_or_404

from syntonos.server.api.errors import ConflictError
from syntonos.server.footage.models import Clip
from syntonos.server.history.services import step
from syntonos.server.matching.models import ChartReading
from syntonos.server.productions.models import Camera, Light, Production

Kind = Literal["production", "camera", "light", "clip", "reading"]


@dataclass(frozen=True, slots=True)
class _Rows:
    """How rows of a kind are found, and which field says that they are away."""

    every: Callable[[int], models.QuerySet[Any]]
    field: str = "is_put_away"


_ROWS: Final[dict[Kind, _Rows]] = {
    "production": _Rows(lambda production: Production.every.filter(pk=production)),
    "camera": _Rows(lambda production: Camera.every.filter(production=production)),
    "light": _Rows(lambda production: Light.every.filter(production=production)),
    "clip": _Rows(lambda production: Clip.every.filter(camera__production=production)),
    "reading": _Rows(
        lambda production: ChartReading.every.filter(
            clip__camera__production=production
        ).select_related("clip__camera"), "is_withdrawn",
    ),
}  # fmt: skip


@dataclass(frozen=True, slots=True)
class Away:
    """Something that was put away."""

    kind: Kind
    id: int
    name: str


def name_of(kind: Kind, row: Any) -> str:
    """Return what a person calls a row."""
    if kind == "reading":
        return f"Chart reading {row.number} of {row.clip}"
    if kind == "clip":
        return f"Clip {row.name}"
    return f"{kind.capitalize()} {row}"


def put(
    production_id: int, kind: Kind, row_id: int, *, is_away: bool, base: int | None = None
) -> Away:
    """Put something away, or bring it back, as a step that can be undone.

    Raises
    ------
    ConflictError
        away.reference, for the reference camera: the others are matched to it.
    """
    rows = _ROWS[kind]
    row = get_object_or_404(rows.every(production_id), pk=row_id)
    name = name_of(kind, row)
    if kind == "camera" and is_away:
        production = Production.every.get(pk=production_id)
        if production.reference_camera_id == row.pk:
            raise ConflictError(
                "away.reference", f"{row} is the reference camera: the others are matched to it.",
                "Choose another reference on the production's sheet first.",
            )  # fmt: skip
    words = f"{name} put away" if is_away else f"{name} brought back"
    with step(production_id, f"{kind}.away", words, base=base) as made:
        made.change(row, {rows.field: is_away})
    return Away(kind, row.pk, name)


def listed(production_id: int) -> list[Away]:
    """Return what is away in a production, by kind and name; readings that were undone too."""
    out = []
    for kind, rows in _ROWS.items():
        if kind == "production":
            continue
        found = rows.every(production_id).filter(**{rows.field: True})
        out += [Away(kind, row.pk, name_of(kind, row)) for row in found.order_by("pk")]
    return out
