"""Aims: where the tuner should stand on purpose, of a camera, of a light, or of both."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from typing import Final

from syntonos.core.matching.tuner import SCALES
from syntonos.server.api.errors import ConflictError
from syntonos.server.history.services import step
from syntonos.server.matching.models import Aim
from syntonos.server.productions.models import Camera, Light, Production

NONE: Final[dict[str, float]] = dict.fromkeys(SCALES, 0.0)
_UNITS: Final = {"exposure": "stop", "warmth": "mired", "tint": "Duv × 1000", "contrast": "",
                 "strength": "%"}  # fmt: skip
AimKey = tuple[int | None, int | None]  # light, camera


def rows_of(production: Production) -> dict[AimKey, Aim]:
    """Return all aims of a production."""
    return {(row.light_id, row.camera_id): row for row in Aim.objects.filter(production=production)}


def summed(rows: Mapping[AimKey, Aim], light_id: int, camera_id: int) -> dict[str, float]:
    """Return where a camera's tuner should stand in a light: its aims from all sides, added."""
    sides = ((light_id, camera_id), (light_id, None), (None, camera_id))
    found: Iterable[Aim] = [rows[side] for side in sides if side in rows]
    return {k: sum(float(row.values.get(k, 0.0)) for row in found) for k in SCALES}


def set_aim(
    production: Production, light: Light | None, camera: Camera | None, values: Mapping[str, float]
) -> Aim:  # fmt: skip
    """Set the aim of a camera in a light, of all cameras of a light, or of a camera everywhere.

    Raises
    ------
    ConflictError
        aim.nowhere where neither is named.
    """
    if light is None and camera is None:
        raise ConflictError("aim.nowhere", "An aim is of a light, of a camera or of both.",
                            "Name one of them.")  # fmt: skip
    plain = {k: float(values[k]) for k in SCALES if values.get(k)}
    row = Aim.objects.filter(production=production, light=light, camera=camera).first()
    where = (
        f"{camera.letter if camera else 'all cameras'} in {light.name if light else 'every light'}"
    )
    said = ", ".join(f"{k} {v:+g} {_UNITS[k]}".rstrip() for k, v in plain.items()) or "none"
    with step(production.pk, "aim.set", f"Aim of {where}: {said}") as made:
        if row is None:
            row = Aim(production=production, light=light, camera=camera)
            row.save()
            made.created(row)
        made.change(row, {"values": plain})
    return row
