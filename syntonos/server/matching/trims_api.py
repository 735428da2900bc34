"""Endpoints of trims: kept, measured, copied, carried over to another match."""

from __future__ import annotations

from dataclasses import asdict
from typing import Any

from django.http import HttpRequest
from django.shortcuts import get_object_or_404
from ninja import Router, Status

from syntonos.server.footage.models import Clip
from syntonos.server.matching import measuring, trims
from syntonos.server.matching.api import place_of
from syntonos.server.matching.models import Trim
from syntonos.server.matching.selectors import current_match
from syntonos.server.matching.trims_schemas import (
    CarryIn,
    CopyIn,
    MeasuredOut,
    MeasureIn,
    TrimIn,
    TrimOut,
    TrimsOut,
)
from syntonos.server.productions.models import Camera, Light

router = Router()


def _clip(light: Light, camera: Camera, clip_id: int | None) -> Clip | None:
    if clip_id is None:
        return None
    rows = Clip.objects.select_related("camera__production", "light")
    return get_object_or_404(rows, pk=clip_id, light=light, camera=camera)


def _out(row: Trim | None, match_id: int | None) -> dict[str, Any]:
    return {
        "number": row.number if row else 0, "stage": trims.plain(trims.stage_of(row)),
        "created": row.created if row else None,
        "match_number": row.match.number if row and row.match else None,
        "is_over_other": trims.is_over_other(row, match_id),
    }  # fmt: skip


@router.get("/lights/{light_id}/cameras/{camera_id}/trim", response=TrimsOut,
            operation_id="getTrim")  # fmt: skip
def get_trim(
    request: HttpRequest, light_id: int, camera_id: int, clip_id: int | None = None
) -> Any:
    light, camera = place_of(light_id, camera_id)
    clip = _clip(light, camera, clip_id)
    match = current_match(light.pk, camera)
    match_id = match.pk if match else None
    own, more = trims.trim_of(light, camera), trims.trim_of(light, camera, clip) if clip else None
    return {
        "beyond": trims.beyond_words(trims.stage_of(own), trims.stage_of(more)),
        "light": _out(own, match_id), "clip": _out(more, match_id),
        "match_number": match.number if match else None,
    }  # fmt: skip


@router.post("/lights/{light_id}/cameras/{camera_id}/trim", response={201: TrimOut},
             operation_id="setTrim")  # fmt: skip
def set_trim(request: HttpRequest, light_id: int, camera_id: int, body: TrimIn) -> Any:
    light, camera = place_of(light_id, camera_id)
    clip = _clip(light, camera, body.clip_id)
    row = trims.set_trim(light, camera, clip, body.stage, body.base_number, how=body.how)
    return Status(201, _out(row, row.match_id))


@router.post("/lights/{light_id}/cameras/{camera_id}/trim/measure", response=MeasuredOut,
             operation_id="measureTrim")  # fmt: skip
def measure_trim(request: HttpRequest, light_id: int, camera_id: int, body: MeasureIn) -> Any:
    """Say how far the picture on screen is off, after match and trim; nothing is stored."""
    light, camera = place_of(light_id, camera_id)
    clip = _clip(light, camera, body.clip_id)
    assert clip is not None  # noqa: S101 - its id is required
    return asdict(measuring.measure(light, camera, clip, body))


@router.post("/lights/{light_id}/cameras/{camera_id}/trim/carry", response={201: TrimOut},
             operation_id="carryTrim")  # fmt: skip
def carry_trim(request: HttpRequest, light_id: int, camera_id: int, body: CarryIn) -> Any:
    """Keep a trim over another match, keep what is left of it, or drop it."""
    light, camera = place_of(light_id, camera_id)
    clip = _clip(light, camera, body.clip_id)
    row = trims.carry(light, camera, clip, body.choice, body.base_number)
    return Status(201, _out(row, row.match_id))


@router.post("/lights/{light_id}/cameras/{camera_id}/trim/copy", response={201: list[TrimOut]},
             operation_id="copyTrim")  # fmt: skip
def copy_trim(request: HttpRequest, light_id: int, camera_id: int, body: CopyIn) -> Any:
    """Copy exactly the named parts to exactly the named places."""
    light, camera = place_of(light_id, camera_id)
    targets = []
    for one in body.to:
        there, other = place_of(one.light_id, one.camera_id)
        targets.append((there, other, _clip(there, other, one.clip_id)))
    rows = trims.copy_parts(
        trims.stage_of(trims.trim_of(light, camera, _clip(light, camera, body.clip_id))),
        body.parts, targets,
    )  # fmt: skip
    return Status(201, [_out(row, row.match_id) for row in rows])
