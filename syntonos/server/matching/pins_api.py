"""Endpoints of pins: frames as they stood, and stills that are brought in."""

from __future__ import annotations

from typing import Any

from django.http import HttpRequest
from django.shortcuts import get_object_or_404
from ninja import File, Router, Status, UploadedFile

from syntonos.core.encodings.film import DENSITY_NAMES
from syntonos.server.api.uploads import read_upload
from syntonos.server.footage.models import Clip
from syntonos.server.matching import pins
from syntonos.server.matching.models import Pin
from syntonos.server.matching.pins_schemas import PinChangeIn, PinIn, PinOut
from syntonos.server.productions.models import Production

router = Router()


def _out(row: Pin) -> dict[str, Any]:
    return {
        "id": row.pk, "uuid": str(row.uuid), "number": row.number, "name": str(row),
        "clip_id": row.clip_id, "frame": row.frame, "file_name": row.file_name,
        "has_profile": row.has_profile, "profile_name": row.profile_name,
        "taken_as": row.taken_as, "levels": row.levels,
        "taken_words": pins.taken_words(row),
    }  # fmt: skip


@router.get("/productions/{production_id}/pins", response=list[PinOut], operation_id="listPins")
def list_pins(request: HttpRequest, production_id: int) -> Any:
    production = get_object_or_404(Production, pk=production_id)
    return [_out(row) for row in pins.pins_of(production)]


@router.post("/productions/{production_id}/pins", response={201: PinOut}, operation_id="pinFrame")
def pin_frame(request: HttpRequest, production_id: int, body: PinIn) -> Any:
    """Pin a frame of a clip as it stands, with match and trim."""
    clips = Clip.objects.select_related("camera__production__reference_camera", "light")
    clip = get_object_or_404(clips, pk=body.clip_id, camera__production=production_id)
    return Status(201, _out(pins.pin_frame(clip, body.frame, body.name)))


@router.post("/productions/{production_id}/stills", response={201: PinOut},
             operation_id="bringStill")  # fmt: skip
def bring_still(request: HttpRequest, production_id: int, file: File[UploadedFile]) -> Any:
    """Keep a still: PNG, TIFF, EXR, DPX or JPEG."""
    production = get_object_or_404(Production, pk=production_id)
    data = read_upload(file, pins.MOST_MIB)
    return Status(201, _out(pins.bring_still(production, file.name or "still", data)))


@router.patch("/pins/{pin_id}", response=PinOut, operation_id="changePin")
def change_pin(request: HttpRequest, pin_id: int, body: PinChangeIn) -> Any:
    row = get_object_or_404(Pin.every.select_related("production", "clip"), pk=pin_id)
    return _out(pins.change(row, body.dict(exclude_none=True)))


@router.get("/film-densities", response=dict[str, str], operation_id="listDensities")
def list_densities(request: HttpRequest) -> Any:
    """Return the encodings of scanned negatives that stills may be taken as, with their names."""
    return DENSITY_NAMES
