"""Endpoints that take clips as another encoding."""

from __future__ import annotations

from dataclasses import asdict
from typing import Any

from django.http import HttpRequest
from ninja import Router

from syntonos.server.footage.schemas import ClipOut
from syntonos.server.matching import taking
from syntonos.server.matching.api import clip_of, place_of
from syntonos.server.matching.schemas import BaseIn, TakeAsIn, WouldTakeOut

router = Router()


@router.post("/clips/{clip_id}/take-as/preview", response=WouldTakeOut,
             operation_id="previewTakeAs")  # fmt: skip
def preview_take_as(request: HttpRequest, clip_id: int, body: TakeAsIn) -> Any:
    return asdict(taking.preview(clip_of(clip_id), body.encoding, body.levels, body.scope))


@router.post("/clips/{clip_id}/take-as", response=list[ClipOut], operation_id="takeAs")
def take_as(request: HttpRequest, clip_id: int, body: TakeAsIn) -> Any:
    return taking.take_as(clip_of(clip_id), body.encoding, body.levels, body.scope, base=body.base)


@router.post("/lights/{light_id}/cameras/{camera_id}/take-alike", response=list[ClipOut],
             operation_id="takeAlike")  # fmt: skip
def take_alike(request: HttpRequest, light_id: int, camera_id: int, body: BaseIn) -> Any:
    """Take an angle's scenes as its chart was read."""
    light, camera = place_of(light_id, camera_id)
    return taking.repair(light, camera, base=body.base)
