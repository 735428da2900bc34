"""Changing productions, cameras and lights."""

from __future__ import annotations

from typing import Any, TypeVar

from django.db import IntegrityError, models, transaction

from syntonos.core.encodings import find_encoding, levels_scale_offset
from syntonos.server.api.errors import ConflictError
from syntonos.server.productions.models import Camera, Light, Production

M = TypeVar("M", bound=models.Model)


def _save(row: M, taken: str) -> M:
    row.full_clean(validate_unique=False, validate_constraints=False)
    try:
        with transaction.atomic():
            row.save()
    except IntegrityError as error:
        raise ConflictError("name.taken", taken, "Choose another one.") from error
    return row


def create_production(*, name: str) -> Production:
    """Create an empty production."""
    return _save(Production(name=name.strip()), "There is such a production already.")


def change_production(production: Production, changes: dict[str, Any]) -> Production:
    """Change name, reference camera, tolerance or display."""
    if (camera_id := changes.pop("reference_camera_id", None)) is not None:
        production.reference_camera = production.cameras.get(pk=camera_id)
    for field, value in changes.items():
        setattr(production, field, value)
    return _save(production, "There is such a production already.")


def _check_encoding(values: dict[str, Any]) -> dict[str, Any]:
    if "encoding" in values:
        values["encoding"] = find_encoding(values["encoding"]).slug
    if "levels" in values:
        levels_scale_offset(values["levels"])
    return values


def create_camera(production: Production, values: dict[str, Any]) -> Camera:
    """Add a camera; the first one becomes the reference."""
    camera = _save(
        Camera(production=production, **_check_encoding(values)),
        f"There is a camera {values.get('letter')} already.",
    )
    if production.reference_camera_id is None:
        production.reference_camera = camera
        production.save(update_fields=["reference_camera"])
    return camera


def change_camera(camera: Camera, changes: dict[str, Any]) -> Camera:
    """Change a camera; readings keep the encoding they were made with and become stale."""
    for field, value in _check_encoding(changes).items():
        setattr(camera, field, value)
    return _save(camera, f"There is a camera {camera.letter} already.")


def create_light(production: Production, values: dict[str, Any]) -> Light:
    """Add a light at the end."""
    last = production.lights.aggregate(models.Max("position"))["position__max"]
    position = 0 if last is None else last + 1
    return _save(Light(production=production, position=position, **values),
                 "There is a light of this name already.")  # fmt: skip


def change_light(light: Light, changes: dict[str, Any]) -> Light:
    """Change a light's name or conditions."""
    for field, value in changes.items():
        setattr(light, field, value)
    return _save(light, "There is a light of this name already.")
