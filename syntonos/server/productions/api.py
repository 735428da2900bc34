"""Endpoints of productions, cameras, lights and encodings."""

from __future__ import annotations

from dataclasses import asdict
from typing import Any

import numpy as np
from django.http import HttpRequest
from django.shortcuts import get_object_or_404
from ninja import File, Router, Status, UploadedFile

from syntonos.core.chain import DISPLAYS, Output, find_display, read_output
from syntonos.core.colorimetry.constants import MIDDLE_GREY
from syntonos.core.encodings import (
    ENCODINGS,
    decode,
    encode,
    find_encoding,
    keep_encoding,
    take_levels_off,
)
from syntonos.core.encodings.from_config import (
    builtin_configs,
    open_config,
    spaces_of,
    take_space,
)
from syntonos.server.api.uploads import read_upload
from syntonos.server.productions import selectors, services
from syntonos.server.productions.models import Camera, Light, OwnEncoding, Production
from syntonos.server.productions.schemas import (
    CameraChange,
    CameraIn,
    CameraOut,
    ConfigSpaceOut,
    ConfigTakeIn,
    CurveOut,
    DisplayOut,
    EncodingOut,
    LightChange,
    LightIn,
    LightOut,
    OwnEncodingIn,
    ProductionChange,
    ProductionIn,
    ProductionOut,
    ToneCurveOut,
    ToneIn,
    UsualOut,
)

router = Router()
_CONFIG_MIB = 64


def camera_out(camera: Camera, production: Production) -> dict[str, Any]:
    """Return a camera with its encoding's name."""
    return {
        "id": camera.pk, "letter": camera.letter, "name": camera.name,
        "encoding": camera.encoding, "encoding_name": find_encoding(camera.encoding).name,
        "levels": camera.levels, "quantisation": camera.quantisation, "raw": camera.raw,
        "note": camera.note, "is_stand_in": camera.is_stand_in,
        "unit_stops": camera.unit_stops, "unit_tint": camera.unit_tint,
        "is_reference": production.reference_camera_id == camera.pk,
    }  # fmt: skip


def light_out(light: Light, counts: dict[str, int]) -> dict[str, Any]:
    """Return a light with how many clips and readings it has."""
    return {"id": light.pk, "name": light.name, "conditions": light.conditions, **counts}


@router.get("/encodings", response=list[EncodingOut], operation_id="listEncodings")
def list_encodings(request: HttpRequest, production: int = 0) -> list[dict[str, Any]]:
    own = OwnEncoding.objects.filter(production_id=production) if production else []
    return [
        *({"slug": row.slug, "name": row.name, "kind": "own",
           "source": row.source or "entered by a person", "definition": row.definition}
          for row in own),
        *({"slug": e.slug, "name": e.name, "kind": e.kind, "source": e.curve.source}
          for e in ENCODINGS.values()),
    ]  # fmt: skip


@router.get("/displays", response=list[DisplayOut], operation_id="listDisplays")
def list_displays(request: HttpRequest) -> Any:
    return [
        {"slug": d.slug, "name": d.name, "source": d.source, "peak": d.peak,
         "tone": asdict(d.tone)}
        for d in DISPLAYS.values()
    ]  # fmt: skip


@router.post("/tone-curve", response=ToneCurveOut, operation_id="plotTone")
def plot_tone(request: HttpRequest, body: ToneIn) -> Any:
    """Return a tone scale as a curve, for a plot."""
    stage = read_output({"kind": "output", "display": body.display, "tone": asdict(body.tone)})
    assert isinstance(stage, Output) and stage.tone is not None  # noqa: S101, PT018
    display = find_display(body.display)
    stops = np.linspace(-9, 9, 181)
    light = stage.tone.apply(MIDDLE_GREY * 2.0**stops, display.peak)
    return {"stops": stops.tolist(), "light": light.tolist(), "peak": display.peak,
            "code": encode(display.neutral_signal(light), display.curve).tolist()}  # fmt: skip


@router.get("/encoding-curve", response=CurveOut, operation_id="plotEncoding")
def plot_encoding(request: HttpRequest, slug: str, levels: str = "full") -> Any:
    """Return an encoding's curve, for a plot."""
    code = np.linspace(0, 1, 129)
    lin = decode(take_levels_off(code, levels), find_encoding(slug).curve)
    stops = [float(np.log2(v / MIDDLE_GREY)) if v > 0 else None for v in lin]
    return {"code": code.tolist(), "lin": lin.tolist(), "stops": stops}


@router.post("/encoding-curve", response=CurveOut, operation_id="tryEncoding")
def try_encoding(request: HttpRequest, body: OwnEncodingIn) -> Any:
    """Check a definition and return its curve, for a plot; nothing is stored."""
    return plot_encoding(request, keep_encoding(body.definition.to_json()).slug)


@router.post("/productions/{production_id}/encodings", response={201: EncodingOut},
             operation_id="enterEncoding")  # fmt: skip
def enter_encoding(request: HttpRequest, production_id: int, body: OwnEncodingIn) -> Any:
    production = get_object_or_404(Production, pk=production_id)
    row = services.keep_own_encoding(production, body.definition.to_json())
    return Status(201, _own_out(row))


def _own_out(row: OwnEncoding) -> dict[str, Any]:
    return {"slug": row.slug, "name": row.name, "kind": "own", "source": row.source,
            "definition": row.definition}  # fmt: skip


@router.get("/configs", response=list[str], operation_id="listConfigs")
def list_configs(request: HttpRequest) -> Any:
    return builtin_configs()


@router.get("/configs/spaces", response=list[ConfigSpaceOut], operation_id="listSpaces")
def list_spaces(request: HttpRequest, config: str) -> Any:
    return [asdict(space) for space in spaces_of(open_config(config))]


@router.post("/configs/spaces", response=list[ConfigSpaceOut], operation_id="readConfig")
def read_config(request: HttpRequest, file: File[UploadedFile]) -> Any:
    return [
        asdict(space)
        for space in spaces_of(open_config(file.name or "", read_upload(file, _CONFIG_MIB)))
    ]


@router.post("/productions/{production_id}/encodings/from-config", response={201: EncodingOut},
             operation_id="takeFromConfig")  # fmt: skip
def take_from_config(request: HttpRequest, production_id: int, body: ConfigTakeIn) -> Any:
    production = get_object_or_404(Production, pk=production_id)
    definition = take_space(open_config(body.config), body.name)
    row = services.keep_own_encoding(production, definition.to_json(), f"config {body.config}")
    return Status(201, _own_out(row))


@router.post("/productions/{production_id}/encodings/from-file", response={201: EncodingOut},
             operation_id="takeFromFile")  # fmt: skip
def take_from_file(
    request: HttpRequest, production_id: int, name: str, file: File[UploadedFile]
) -> Any:  # fmt: skip
    production = get_object_or_404(Production, pk=production_id)
    config = open_config(file.name or "config.ocio", read_upload(file, _CONFIG_MIB))
    row = services.keep_own_encoding(
        production, take_space(config, name).to_json(), f"config {file.name}"
    )
    return Status(201, _own_out(row))


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
    values = body.dict(exclude_unset=True, exclude={"base"})
    return services.change_production(production, values, base=body.base)


@router.post("/productions/{production_id}/cameras", response={201: CameraOut},
             operation_id="createCamera")  # fmt: skip
def create_camera(request: HttpRequest, production_id: int, body: CameraIn) -> Any:
    production = get_object_or_404(selectors.productions(), pk=production_id)
    return Status(201, camera_out(services.create_camera(production, body.dict()), production))


@router.patch("/cameras/{camera_id}", response=CameraOut, operation_id="changeCamera")
def change_camera(request: HttpRequest, camera_id: int, body: CameraChange) -> Any:
    camera = get_object_or_404(Camera.objects.select_related("production"), pk=camera_id)
    values = body.dict(exclude_unset=True, exclude={"base"})
    changed = services.change_camera(camera, values, base=body.base)
    return camera_out(changed, camera.production)


@router.get("/cameras/{camera_id}/usual", response=list[UsualOut], operation_id="listUsual")
def list_usual(request: HttpRequest, camera_id: int, encoding: str = "") -> Any:
    """Propose, for each kind of file that a camera brought, range and curve levels."""
    camera = get_object_or_404(Camera, pk=camera_id)
    return selectors.usual(camera, find_encoding(encoding or camera.encoding))


@router.post("/productions/{production_id}/lights", response={201: LightOut},
             operation_id="createLight")  # fmt: skip
def create_light(request: HttpRequest, production_id: int, body: LightIn) -> Any:
    production = get_object_or_404(selectors.productions(), pk=production_id)
    return Status(201, light_out(services.create_light(production, body.dict()), {}))


@router.patch("/lights/{light_id}", response=LightOut, operation_id="changeLight")
def change_light(request: HttpRequest, light_id: int, body: LightChange) -> Any:
    light = get_object_or_404(Light, pk=light_id)
    values = body.dict(exclude_unset=True, exclude={"base"})
    changed = services.change_light(light, values, base=body.base)
    return light_out(changed, selectors.counts(light.production).get(light.pk, {}))
