"""Endpoints of productions, cameras, lights, encodings and the Board."""

from __future__ import annotations

from typing import Any

from django.http import HttpRequest
from django.shortcuts import get_object_or_404
from ninja import Router, Status

from syntonos.core.encodings import ENCODINGS, find_encoding
from syntonos.server.productions import selectors, services
from syntonos.server.productions.models import Camera, Light, Production
from syntonos.server.productions.schemas import (
    BoardOut,
    CameraChange,
    CameraIn,
    CameraOut,
    EncodingOut,
    LightChange,
    LightIn,
    LightOut,
    ProductionChange,
    ProductionIn,
    ProductionOut,
)

router = Router()


def camera_out(camera: Camera, production: Production) -> dict[str, Any]:
    """Return a camera with its encoding's name."""
    return {
        "id": camera.pk, "letter": camera.letter, "name": camera.name,
        "encoding": camera.encoding, "encoding_name": find_encoding(camera.encoding).name,
        "levels": camera.levels, "note": camera.note,
        "is_reference": production.reference_camera_id == camera.pk,
    }  # fmt: skip


def light_out(light: Light, counts: dict[str, int]) -> dict[str, Any]:
    """Return a light with how many clips and readings it has."""
    return {"id": light.pk, "name": light.name, "conditions": light.conditions, **counts}


@router.get("/encodings", response=list[EncodingOut], operation_id="listEncodings")
def list_encodings(request: HttpRequest) -> list[dict[str, Any]]:
    return [
        {"slug": e.slug, "name": e.name, "is_display": e.curve.is_display,
         "source": e.curve.source}
        for e in ENCODINGS.values()
    ]  # fmt: skip


@router.get("/productions", response=list[ProductionOut], operation_id="listProductions")
def list_productions(request: HttpRequest) -> Any:
    return selectors.productions()


@router.post("/productions", response={201: ProductionOut}, operation_id="createProduction")
def create_production(request: HttpRequest, body: ProductionIn) -> Any:
    return Status(201, services.create_production(name=body.name))


@router.patch("/productions/{production_id}", response=ProductionOut,
              operation_id="changeProduction")  # fmt: skip
def change_production(request: HttpRequest, production_id: int, body: ProductionChange) -> Any:
    production = get_object_or_404(selectors.productions(), pk=production_id)
    if body.reference_camera_id is not None:
        get_object_or_404(production.cameras, pk=body.reference_camera_id)
    return services.change_production(production, body.dict(exclude_unset=True))


@router.get("/productions/{production_id}/board", response=BoardOut, operation_id="getBoard")
def get_board(request: HttpRequest, production_id: int) -> Any:
    production = get_object_or_404(selectors.productions(), pk=production_id)
    counts = selectors.counts(production)
    return {
        "production": production,
        "cameras": [camera_out(c, production) for c in production.cameras.all()],
        "lights": [
            light_out(light, counts.get(light.pk, {})) for light in production.lights.all()
        ],
        "cells": selectors.board(production),
    }  # fmt: skip


@router.post("/productions/{production_id}/cameras", response={201: CameraOut},
             operation_id="createCamera")  # fmt: skip
def create_camera(request: HttpRequest, production_id: int, body: CameraIn) -> Any:
    production = get_object_or_404(selectors.productions(), pk=production_id)
    return Status(201, camera_out(services.create_camera(production, body.dict()), production))


@router.patch("/cameras/{camera_id}", response=CameraOut, operation_id="changeCamera")
def change_camera(request: HttpRequest, camera_id: int, body: CameraChange) -> Any:
    camera = get_object_or_404(Camera.objects.select_related("production"), pk=camera_id)
    changed = services.change_camera(camera, body.dict(exclude_unset=True))
    return camera_out(changed, camera.production)


@router.post("/productions/{production_id}/lights", response={201: LightOut},
             operation_id="createLight")  # fmt: skip
def create_light(request: HttpRequest, production_id: int, body: LightIn) -> Any:
    production = get_object_or_404(selectors.productions(), pk=production_id)
    return Status(201, light_out(services.create_light(production, body.dict()), {}))


@router.patch("/lights/{light_id}", response=LightOut, operation_id="changeLight")
def change_light(request: HttpRequest, light_id: int, body: LightChange) -> Any:
    light = get_object_or_404(Light, pk=light_id)
    changed = services.change_light(light, body.dict(exclude_unset=True))
    return light_out(changed, selectors.counts(light.production).get(light.pk, {}))
