"""Trims of a camera in a light, and what clips add to them: revisions, measured and carried."""

from __future__ import annotations

import json
from collections.abc import Sequence
from dataclasses import asdict
from typing import Any

from syntonos.core.chain import Trim as TrimStage
from syntonos.core.chain.stages.trim import NEUTRAL, PARTS, added
from syntonos.core.chain.trimming import beyond, only, refuse_beyond, trim_words
from syntonos.core.errors import ChainError
from syntonos.core.matching.tuner import left_over
from syntonos.server.api.errors import ConflictError
from syntonos.server.footage.models import Clip
from syntonos.server.history.services import step, together
from syntonos.server.matching.models import Trim
from syntonos.server.matching.selectors import current_match, stored_trim
from syntonos.server.matching.selectors import stage_of as match_stage
from syntonos.server.productions.models import Camera, Light


def rows_of(light: Light, camera: Camera, clip: Clip | None) -> Any:
    """Return all revisions of a camera's trim in a light, or of what a clip adds to it."""
    rows = Trim.objects.filter(light=light, camera=camera, clip=clip)
    return rows.select_related("match")


def trim_of(light: Light, camera: Camera, clip: Clip | None = None) -> Trim | None:
    """Return the trim in force."""
    found: Trim | None = rows_of(light, camera, clip).filter(is_current=True).first()
    return found


def stage_of(row: Trim | None) -> TrimStage:
    """Return a row's stage; neutral where there is none."""
    return NEUTRAL if row is None else stored_trim(row.stage)


def set_trim(
    light: Light, camera: Camera, clip: Clip | None, stage: TrimStage, base_number: int,
    *, how: str = "",
) -> Trim:  # fmt: skip
    """Keep a trim as a new revision; `how` says in the log what made it ("tuner", "copied").

    Raises
    ------
    ConflictError
        revision.stale_base; clip.foreign for a clip of another camera or light; trim.reference
        for a trim of the reference, which only single clips may have.
    ChainError
        trim.sum where a light's and a clip's trim come to more than one may be; trim.clip.
    """
    _check(light, camera, clip)
    if clip is not None and (stage.curve or any(stage.curves_rgb)):
        raise ChainError(
            "A clip adds numbers and pairs to its light's trim, no curves.",
            hint="Draw the curve in the light's trim.", code="trim.clip",
        )  # fmt: skip
    before = stage_of(trim_of(light, camera, clip))
    _refuse_beyond(light, camera, clip, before, stage)
    row = Trim(
        light=light, camera=camera, clip=clip, match=current_match(light.pk, camera),
        stage=plain(stage),
    )  # fmt: skip
    where = str(clip) if clip is not None else f"{camera.letter} in {light}"
    words = trim_words(before, stage) + (f": {how}" if how else "")
    with step(light.production_id, "trim.set", lambda _: f"{where} trimmed, {words}") as made:
        made.append(row, rows_of(light, camera, clip), base_number)
    return row


def _refuse_beyond(
    light: Light, camera: Camera, clip: Clip | None, before: TrimStage, stage: TrimStage
) -> None:  # fmt: skip
    """Refuse what goes beyond a trim's ranges, by itself or with its light's or its clips' own."""
    where = f"{camera.letter} in {light}"
    refuse_beyond((before, NEUTRAL), (stage, NEUTRAL), (str(clip) if clip else where, ""))
    if clip is not None:
        base = stage_of(trim_of(light, camera))
        refuse_beyond((base, before), (base, stage), (where, str(clip)))
        return
    rows = Trim.objects.filter(light=light, camera=camera, is_current=True, clip__isnull=False)
    for row in rows.select_related("clip"):
        more = stored_trim(row.stage)
        refuse_beyond((before, more), (stage, more), (where, str(row.clip)))


def beyond_words(own: TrimStage, more: TrimStage) -> list[str]:
    """Say which numbers of a light's trim and a clip's come to more together than one may be."""
    return [
        f"{row.name} is {row.value:g} in all, beyond {row.low:g} to {row.high:g}"
        for row in beyond(added(own, more))
    ]


def plain(stage: TrimStage) -> dict[str, Any]:
    """Return a stage as JSON values."""
    found: dict[str, Any] = json.loads(json.dumps(asdict(stage)))
    return found


def _check(light: Light, camera: Camera, clip: Clip | None) -> None:
    if clip is not None and (clip.light_id, clip.camera_id) != (light.pk, camera.pk):
        raise ConflictError("clip.foreign", f"{clip} is not of camera {camera} in {light}.",
                            "Choose one of its clips.")  # fmt: skip
    if clip is None and camera.production.reference_camera_id == camera.pk:
        raise ConflictError(
            "trim.reference", f"Camera {camera} is the reference: the others are brought to it.",
            "A single clip of it that drifted can be trimmed; the whole reference is not.",
        )  # fmt: skip


def carry(
    light: Light, camera: Camera, clip: Clip | None, choice: str, base_number: int
) -> Trim:  # fmt: skip
    """Settle a trim that was made over another match than the one in force.

    `choice`: "keep" it as it is, keep what is "left" of it (what the new match does not do
    already), or "drop" it.

    Raises
    ------
    ConflictError
        trim.none where there is no trim; revision.stale_base.
    """
    row = trim_of(light, camera, clip)
    if row is None:
        raise ConflictError("trim.none", "There is no trim here.", "Reload the page.")
    stage, match = stage_of(row), current_match(light.pk, camera)
    if choice == "drop":
        stage = NEUTRAL
    elif choice == "left":
        old = match_stage(row.match) if row.match is not None else None
        stage = left_over(stage, old, match_stage(match) if match is not None else None)
    how = {"keep": "kept over the new match", "left": "only what the new match leaves",
           "drop": "dropped"}[choice]  # fmt: skip
    return set_trim(light, camera, clip, stage, base_number, how=how)


def copy_parts(
    stage: TrimStage, parts: Sequence[str], targets: Sequence[tuple[Light, Camera, Clip | None]]
) -> list[Trim]:
    """Copy the named parts of a trim, exactly those, to other places, in one step.

    Raises
    ------
    ChainError
        trim.parts for parts that are none, or none at all.
    """
    if not parts or set(parts) - set(PARTS):
        raise ChainError("No part of the trim was named.", hint=f"Parts: {', '.join(PARTS)}.",
                         code="trim.parts")  # fmt: skip
    for place in targets:  # all or none
        _check(*place)
    made = []
    with together(targets[0][0].production_id):
        for light, camera, clip in targets:
            now = trim_of(light, camera, clip)
            new = only(stage, tuple(parts), stage_of(now))
            made.append(set_trim(light, camera, clip, new, now.number if now else 0, how="copied"))
    return made


def is_over_other(row: Trim | None, match_id: int | None) -> bool:
    """Say whether a trim was made over another match than the one in force."""
    return row is not None and row.match_id != match_id and not stage_of(row).is_neutral
