"""Changing productions, cameras and lights."""

from __future__ import annotations

import json
from dataclasses import asdict
from typing import Any, TypeVar

from django.db import IntegrityError, models, transaction
from django.utils.text import slugify

from syntonos.core.chain import EncodingOutput, read_output
from syntonos.core.encodings import find_encoding, keep_encoding, levels_scale_offset
from syntonos.core.errors import ChainError
from syntonos.core.media import RawDevelopment
from syntonos.server.api.errors import ConflictError
from syntonos.server.jobs import services as jobs
from syntonos.server.productions.models import Camera, Light, OwnEncoding, Production

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
    """Change name, reference camera, tolerance or outputs."""
    if (outputs := changes.pop("outputs", None)) is not None:
        production.outputs = checked_outputs(outputs)
    if (camera_id := changes.pop("reference_camera_id", None)) is not None:
        production.reference_camera = production.cameras.get(pk=camera_id)
    for field, value in changes.items():
        setattr(production, field, value)
    return _save(production, "There is such a production already.")


def checked_outputs(rows: list[dict[str, Any]]) -> list[dict[str, Any]]:
    """Check outputs and give those that are new a key of their own.

    Raises
    ------
    ChainError
        For stages that are none, and outputs that are no displays.
    """
    out: list[dict[str, Any]] = []
    taken: set[str] = set()
    for row in rows:
        stage = read_output(row["stage"])
        if isinstance(stage, EncodingOutput):
            raise ChainError("An output is for a display.", hint="Choose one of the displays.")
        base = row.get("key") or slugify(row["name"])[:30] or "output"
        key = next(k for k in (base, *(f"{base}-{i}" for i in range(2, 99))) if k not in taken)
        taken.add(key)
        out.append(
            {"key": key, "name": row["name"], "stage": json.loads(json.dumps(asdict(stage)))}
        )
    return out


def keep_own_encoding(
    production: Production, definition: dict[str, Any], source: str = ""
) -> OwnEncoding:
    """Check an encoding that a person enters, and keep it with the production."""
    encoding = keep_encoding(definition)
    assert encoding.definition is not None  # noqa: S101 - it was just given
    row, _ = OwnEncoding.objects.update_or_create(
        production=production, slug=encoding.slug,
        defaults={"name": encoding.definition.name, "source": source[:200],
                  "definition": encoding.definition.to_json()},
    )  # fmt: skip
    return row


def _check_encoding(values: dict[str, Any]) -> dict[str, Any]:
    if "encoding" in values:
        values["encoding"] = find_encoding(values["encoding"]).slug
    if "levels" in values:
        levels_scale_offset(values["levels"])
    if values.get("raw"):
        RawDevelopment(**values["raw"])  # says what is wrong with it
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
    """Change a camera.

    With another encoding or levels, all that stands on them is made anew: a job reads its charts
    again where they were and fits again, each a new revision.
    """
    before = _taken_as(camera)
    for field, value in _check_encoding(changes).items():
        setattr(camera, field, value)
    saved = _save(camera, f"There is a camera {camera.letter} already.")
    if before != _taken_as(camera):
        _derive_again(camera)
    return saved


def _taken_as(camera: Camera) -> tuple[object, ...]:
    """Return what a camera's code values depend on."""
    return camera.encoding, camera.levels, camera.quantisation, camera.raw


def _derive_again(camera: Camera) -> None:
    production = camera.production
    matched = Light.objects.filter(matches__is_current=True)
    if production.reference_camera_id != camera.pk:
        matched = matched.filter(matches__camera=camera)
    for light in matched.filter(production=production).distinct():
        jobs.start(
            production, "match-angles", f"{camera} in {light.name}: read and fit again",
            {"light_id": light.pk},
        )  # fmt: skip


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
