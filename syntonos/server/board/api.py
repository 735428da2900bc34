"""Endpoints of the Board and of an angle beside its reference."""

from __future__ import annotations

from typing import Any

import numpy as np
from django.http import Http404, HttpRequest
from django.shortcuts import get_object_or_404
from ninja import Router

from syntonos.core.colorimetry.constants import MIDDLE_GREY
from syntonos.core.encodings import find_encoding
from syntonos.core.matching import MODEL_WORDS, reading_from_json
from syntonos.core.matching.fit import working
from syntonos.server.board import putting_away
from syntonos.server.board.schemas import AngleOut, AwayIn, AwayOut, BoardOut
from syntonos.server.board.selectors import board
from syntonos.server.footage.models import Clip
from syntonos.server.footage.schemas import ClipOut
from syntonos.server.history.services import head_of
from syntonos.server.matching import api as matching
from syntonos.server.matching import readings, selectors, services
from syntonos.server.matching.chains import InForce
from syntonos.server.matching.doubts import doubts_of
from syntonos.server.matching.models import ChartReading
from syntonos.server.productions.api import camera_out, light_out
from syntonos.server.productions.models import Camera, Light, Production
from syntonos.server.productions.schemas import ProductionOut
from syntonos.server.productions.selectors import counts, productions
from syntonos.server.rendering.standing import stand_of

router = Router()


@router.get("/productions/{production_id}/board", response=BoardOut, operation_id="getBoard")
def get_board(request: HttpRequest, production_id: int) -> Any:
    production = get_object_or_404(productions(), pk=production_id)
    # Read before the rows: what changes in between is then newer than the stated base.
    head = head_of(production.pk)
    of_light = counts(production)
    return {
        "head": head,
        "production": production,
        "cameras": [camera_out(c, production) for c in production.cameras.all()],
        "lights": [
            light_out(light, of_light.get(light.pk, {})) for light in production.lights.all()
        ],
        "cells": board(production),
    }  # fmt: skip


def _clips_of(light: Light, camera: Camera) -> list[Clip]:
    rows = Clip.objects.filter(light=light, camera=camera).select_related("camera__production")
    return list(rows.order_by("kind", "name", "id"))


def _side(
    light: Light, camera: Camera, reading: ChartReading | None, in_force: InForce,
    clips: list[Clip],
) -> dict[str, Any]:  # fmt: skip
    return {
        "camera_id": camera.pk, "letter": camera.letter, "name": camera.name,
        "encoding": camera.encoding, "encoding_name": find_encoding(camera.encoding).name,
        "levels": camera.levels,
        "clips": [
            {"stand": stand_of(clip, in_force), **_clip_out(clip)}
            for clip in clips
        ],
        "reading": matching.reading_out(reading) if reading else None,
        "clip_readings": selectors.clip_readings(light.pk, camera),
    }  # fmt: skip


def _clip_out(clip: Clip) -> dict[str, Any]:
    return {name: getattr(clip, name) for name in ClipOut.model_fields}


def _ramp(base: ChartReading, own: ChartReading) -> list[dict[str, float]]:
    both = [reading_from_json(r.data) for r in (base, own)]
    want, got = (working(reading).mean(axis=1) for reading in both)
    return [
        {"index": i + 1, "reference": float(np.log2(want[i] / MIDDLE_GREY)),
         "angle": float(np.log2(got[i] / MIDDLE_GREY))}
        for i in both[0].layout.greys if want[i] > 0 and got[i] > 0
    ]  # fmt: skip


@router.get("/lights/{light_id}/cameras/{camera_id}", response=AngleOut, operation_id="getAngle")
def get_angle(request: HttpRequest, light_id: int, camera_id: int) -> Any:
    light, camera = matching.place_of(light_id, camera_id)
    production = camera.production
    reference = production.reference_camera
    if reference is None:
        raise Http404("The production has no reference camera yet.")
    head = head_of(production.pk)
    own = selectors.latest_reading(light.pk, camera.pk)
    base = selectors.latest_reading(light.pk, reference.pk)
    in_force = InForce(production, light.pk)
    match = in_force.matches.get((light.pk, camera.pk))
    base_clips, clips = _clips_of(light, reference), _clips_of(light, camera)
    scenes = [clip for clip in clips if clip.kind == Clip.Kind.SCENE]
    key = light.pk, camera.pk
    newest = {(light.pk, row.clip.camera_id): row for row in (base, own) if row}
    doubt = doubts_of(clips, newest, reference.pk).get(key)
    status = selectors.status(
        production, camera, own, base, match, scenes,
        has_chart=len(scenes) < len(clips), doubt=doubt.text if doubt else "",
        trim=in_force.trim_of(light.pk, camera.pk),
        base_scenes=base_clips,
    )  # fmt: skip
    clipped = selectors.clipped_share(scenes)
    both = (base, own) if base and own and selectors.same_chart(base, own) else None
    return {
        "head": head, "production_id": production.pk, "production_name": production.name,
        "outputs": production.outputs,
        "tolerance": production.tolerance, "light_id": light.pk, "light_name": light.name,
        "reference": _side(light, reference, base, in_force, base_clips),
        "angle": _side(light, camera, own, in_force, clips),
        "state": status.state, "next_step": status.next_step, "tuner": status.tuner,
        "reason": status.reason, "doubt": doubt, "clipped": clipped,
        "tuner_before": selectors.tuner_before(*both) if both else None,
        "match": matching.match_out(match, clipped, [*base_clips, *clips]) if match else None,
        "base_number": match.number if match else 0,
        "ramp": _ramp(*both) if both else [],
        "other_lights": len(services.other_rows(light, camera)) if reference != camera else 0,
        "models": [{"model": m, "word": word} for m, word in MODEL_WORDS.items()],
        "layouts": [matching.layout_out(layout) for layout in readings.layouts_of(production)],
    }  # fmt: skip


@router.get("/productions/{production_id}/away", response=list[AwayOut], operation_id="listAway")
def list_away(request: HttpRequest, production_id: int) -> Any:
    return putting_away.listed(production_id)


@router.post("/productions/{production_id}/away", response=AwayOut, operation_id="putAway")
def put_away(request: HttpRequest, production_id: int, body: AwayIn) -> Any:
    """Put something away, or bring it back."""
    return putting_away.put(production_id, body.kind, body.id, is_away=body.is_away, base=body.base)


@router.get("/productions-away", response=list[ProductionOut], operation_id="listProductionsAway")
def list_productions_away(request: HttpRequest) -> Any:
    return Production.every.filter(is_put_away=True).order_by("-id")
