"""Endpoints of balance, look, and the LUTs and CDLs that looks are made of."""

from __future__ import annotations

from dataclasses import asdict
from typing import Any

from django.http import HttpRequest
from django.shortcuts import get_object_or_404
from ninja import File, Router, Status, UploadedFile

from syntonos.core.chain import Balance as BalanceStage
from syntonos.core.formats import read_cdl_file
from syntonos.server.api.uploads import read_upload
from syntonos.server.looks import services
from syntonos.server.looks.models import Balance, Look
from syntonos.server.looks.schemas import (
    BalanceIn,
    BalanceOut,
    CorrectionOut,
    LookIn,
    LookOut,
    LutOut,
    OverOut,
)
from syntonos.server.looks.services import MOST_MIB
from syntonos.server.productions.models import Light, Production

router = Router()


def _light(light_id: int) -> Light:
    return get_object_or_404(Light.objects.select_related("production"), pk=light_id)


def _balance_out(row: Balance | None) -> dict[str, Any]:
    if row is None:
        return {"number": 0, "dials": {}, "stage": None, "created": None}
    return {"number": row.number, "dials": row.dials, "stage": row.stage, "created": row.created}


def _look_out(row: Look | None) -> dict[str, Any]:
    if row is None:
        return {"number": 0, "stage": None, "created": None}
    return {"number": row.number, "stage": row.stage, "created": row.created}


@router.get("/lights/{light_id}/over", response=OverOut, operation_id="getOver")
def get_over(request: HttpRequest, light_id: int) -> Any:
    light = _light(light_id)
    looks = Look.objects.filter(production=light.production, is_current=True)
    by_scene = services.scene_looks(light.production_id)
    facts = light.clips.values_list("facts", flat=True)
    scenes = sorted({f["scene"] for f in facts if f.get("scene")})
    return {
        "balance": _balance_out(services.balance_of(light.pk)),
        "look": _look_out(looks.filter(light__isnull=True, scene="").first()),
        "exception": _look_out(looks.filter(light=light).first()),
        "scenes": [{"scene": s, **_look_out(by_scene.get(s))} for s in scenes],
        "luts": light.production.luts.all(),
    }


@router.post("/lights/{light_id}/balance", response={201: BalanceOut}, operation_id="setBalance")
def set_balance(request: HttpRequest, light_id: int, body: BalanceIn) -> Any:
    dials = body.dict()
    base = dials.pop("base_number")
    return Status(201, _balance_out(services.set_balance(_light(light_id), dials, base)))


@router.post("/lights/{light_id}/balance/preview", response=BalanceStage,
             operation_id="previewBalance")  # fmt: skip
def preview_balance(request: HttpRequest, light_id: int, body: BalanceIn) -> Any:
    """Return the stage that dials stand for; nothing is stored."""
    return services.balance_stage(body.dict(exclude={"base_number"}))


def _plain(body: LookIn) -> dict[str, Any] | None:
    return None if body.stage is None else asdict(body.stage)


@router.post("/lights/{light_id}/look", response={201: LookOut}, operation_id="setLightLook")
def set_light_look(request: HttpRequest, light_id: int, body: LookIn) -> Any:
    light = _light(light_id)
    row = services.set_look(light.production, light, _plain(body), body.base_number)
    return Status(201, _look_out(row))


@router.post("/productions/{production_id}/look", response={201: LookOut}, operation_id="setLook")
def set_look(request: HttpRequest, production_id: int, body: LookIn) -> Any:
    production = get_object_or_404(Production, pk=production_id)
    row = services.set_look(production, None, _plain(body), body.base_number, body.scene)
    return Status(201, _look_out(row))


@router.post("/productions/{production_id}/luts", response={201: LutOut}, operation_id="bringLut")
def bring_lut(request: HttpRequest, production_id: int, file: File[UploadedFile]) -> Any:
    production = get_object_or_404(Production, pk=production_id)
    name = file.name or "look.cube"
    return Status(201, services.bring_lut(production, name, read_upload(file, MOST_MIB)))


@router.post("/cdls/read", response=list[CorrectionOut], operation_id="readCdl")
def read_cdl(request: HttpRequest, file: File[UploadedFile]) -> Any:
    """Read a .cc, .ccc or .cdl; the corrections are for a person to choose from."""
    data = read_upload(file, 8)
    return [
        {"name": row.name, "description": row.description,
         "cdl": {"slope": row.slope, "offset": row.offset, "power": row.power,
                 "saturation": row.saturation, "clamp": True}}
        for row in read_cdl_file(data)
    ]  # fmt: skip
