"""Changing productions, cameras and lights."""

from __future__ import annotations

import json
import uuid
from dataclasses import asdict
from typing import Any, TypeVar

from django.db import IntegrityError, models, transaction
from django.utils.text import slugify

from syntonos.core.chain import EncodingOutput, read_output
from syntonos.core.encodings import find_encoding, keep_encoding, levels_scale_offset
from syntonos.core.errors import ChainError
from syntonos.core.media import RawDevelopment
from syntonos.server.api.errors import ConflictError
from syntonos.server.history.models import Identified
from syntonos.server.history.services import changed_words, step
from syntonos.server.jobs import services as jobs
from syntonos.server.productions.models import Camera, Light, OwnEncoding, Production

M = TypeVar("M", bound=models.Model)
I = TypeVar("I", bound=Identified)


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


def change_production(
    production: Production, changes: dict[str, Any], *, base: int | None = None
) -> Production:
    """Change name, reference camera, tolerance or outputs."""
    values = {k: v for k, v in changes.items() if v is not None}
    if "outputs" in values:
        values["outputs"] = checked_outputs(values["outputs"])
    if "reference_camera_id" in values:
        production.cameras.get(pk=values["reference_camera_id"])
    return _change(production.pk, production, values, "production.change", "The production",
                   "There is such a production already.", base)  # fmt: skip


def _change(
    production_id: int, row: I, values: dict[str, Any], kind: str, name: str, taken: str,
    base: int | None,
) -> I:  # fmt: skip
    """Change fields of a row as one entry of the log."""
    try:
        with step(production_id, kind, lambda made: changed_words(name, made), base=base) as made:
            made.change(row, values)
    except IntegrityError as error:
        raise ConflictError("name.taken", taken, "Choose another one.") from error
    return row


def _create(production_id: int, row: I, kind: str, words: str, taken: str) -> I:
    """Keep a new row as one entry of the log."""
    with step(production_id, kind, words) as made:
        _save(row, taken)
        made.created(row)
    return row


def checked_outputs(rows: list[dict[str, Any]]) -> list[dict[str, Any]]:
    """Check outputs and give those that are new a key of their own.

    Raises
    ------
    ChainError
        For stages that are none, and outputs that are no displays.
    """
    out: list[dict[str, Any]] = []
    # What a LUT leads to beside the outputs.
    taken: set[str] = {"reference"}
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
    found = {"name": encoding.definition.name, "source": source[:200],
             "definition": encoding.definition.to_json()}  # fmt: skip
    row = OwnEncoding.objects.filter(production=production, slug=encoding.slug).first()
    words = f"Encoding {encoding.definition.name} kept"
    with step(production.pk, "encoding.keep", words) as made:
        if row is None:
            row = OwnEncoding.objects.create(production=production, slug=encoding.slug, **found)
            made.created(row)
        else:
            made.change(row, found)
    return row


def _check_encoding(values: dict[str, Any]) -> dict[str, Any]:
    if values.get("encoding") is not None:
        values["encoding"] = find_encoding(values["encoding"]).slug
    if values.get("levels") is not None:
        levels_scale_offset(values["levels"])
    if values.get("raw"):
        RawDevelopment(**values["raw"])  # says what is wrong with it
    return values


def create_camera(production: Production, values: dict[str, Any]) -> Camera:
    """Add a camera; the first one becomes the reference."""
    camera = Camera(production=production, **_check_encoding(values))
    with step(production.pk, "camera.create", f"Camera {camera} added") as made:
        _save(camera, f"There is a camera {values.get('letter')} already.")
        made.created(camera)
        if production.reference_camera_id is None:
            made.change(production, {"reference_camera_id": camera.pk})
    return camera


def change_camera(camera: Camera, changes: dict[str, Any], *, base: int | None = None) -> Camera:
    """Change a camera: the fields that are given, as one entry of the log.

    With another encoding or levels, all that stands on them is made anew: a job reads its charts
    again where they were and fits again, each a new revision.
    """
    before = _taken_as(camera)
    values = {k: v for k, v in _check_encoding(changes).items() if v is not None}
    name = f"Camera {camera.letter}"
    with step(
        camera.production_id, "camera.change", lambda made: changed_words(name, made), base=base
    ) as made:
        made.change(camera, values)
    # After the step: a job that is queued in it could begin before it is stored.
    if before != _taken_as(camera):
        _derive_again(camera, made.group)
    return camera


def _taken_as(camera: Camera) -> tuple[object, ...]:
    """Return what a camera's code values depend on."""
    return camera.encoding, camera.levels, camera.quantisation, camera.raw


def _derive_again(camera: Camera, group: uuid.UUID) -> None:
    production = camera.production
    matched = Light.objects.filter(matches__is_current=True)
    if production.reference_camera_id != camera.pk:
        matched = matched.filter(matches__camera=camera)
    for light in matched.filter(production=production).distinct():
        jobs.start(
            production, "match-angles", f"{camera} in {light.name}: read and fit again",
            {"light_id": light.pk, "again": [camera.pk]}, group=group,
        )  # fmt: skip


def create_light(production: Production, values: dict[str, Any]) -> Light:
    """Add a light at the end."""
    last = production.lights.aggregate(models.Max("position"))["position__max"]
    position = 0 if last is None else last + 1
    row = Light(production=production, position=position, **values)
    return _create(production.pk, row, "light.create", f"Light {row.name} added",
                   "There is a light of this name already.")  # fmt: skip


def change_light(light: Light, changes: dict[str, Any], *, base: int | None = None) -> Light:
    """Change a light's name or conditions."""
    values = {k: v for k, v in changes.items() if v is not None}
    return _change(light.production_id, light, values, "light.change", light.name,
                   "There is a light of this name already.", base)  # fmt: skip
