"""Endpoints of probes and aims: kept, read after every stage, set in several clips at once."""

from __future__ import annotations

from dataclasses import asdict
from typing import Any

from django.http import HttpRequest
from django.shortcuts import get_object_or_404
from ninja import Router, Status

from syntonos.core.matching.tuner import SCALES
from syntonos.server.footage.models import Clip
from syntonos.server.matching import aims, measuring, probes, same_thing
from syntonos.server.matching.api import place_of
from syntonos.server.matching.models import Aim, Probe
from syntonos.server.matching.probes_schemas import (
    AimIn,
    AimOut,
    PlaceIn,
    ProbeChangeIn,
    ProbedOut,
    ProbeIn,
    ProbeOut,
    ProbeSideOut,
    ReadPointsIn,
    SetAllIn,
    SetOut,
)
from syntonos.server.matching.trims_schemas import LookedAtIn
from syntonos.server.productions.models import Camera, Light, Production

router = Router()


def _clips_of(light: Light) -> Any:
    return Clip.objects.select_related("camera__production", "light").filter(light=light)


def _placed(light: Light, body: PlaceIn) -> tuple[Clip, probes.ProbePlace]:
    clip = get_object_or_404(_clips_of(light), pk=body.clip_id)
    return clip, probes.ProbePlace(body.frame, body.x, body.y, body.size)


def _out(row: Probe) -> dict[str, Any]:
    ids = dict(
        Clip.objects.filter(light_id=row.light_id, uuid__in=list(row.places)).values_list(
            "uuid", "pk"
        )
    )
    by_text = {str(key): pk for key, pk in ids.items()}
    return {
        "id": row.pk, "number": row.number, "name": row.name, "is_skin": row.is_skin,
        "places": [{"clip_id": by_text[key], **place} for key, place in row.places.items()
                   if key in by_text],
    }  # fmt: skip


def _probe(probe_id: int) -> Probe:
    return get_object_or_404(Probe.every.select_related("light__production"), pk=probe_id)


@router.get("/lights/{light_id}/probes", response=list[ProbeOut], operation_id="listProbes")
def list_probes(request: HttpRequest, light_id: int) -> Any:
    light = get_object_or_404(Light, pk=light_id)
    return [_out(row) for row in probes.probes_of(light)]


@router.post("/lights/{light_id}/probes", response={201: ProbeOut}, operation_id="makeProbe")
def make_probe(request: HttpRequest, light_id: int, body: ProbeIn) -> Any:
    light = get_object_or_404(Light, pk=light_id)
    places = [_placed(light, place) for place in body.places]
    return Status(201, _out(probes.make(light, places, body.name)))


@router.patch("/probes/{probe_id}", response=ProbeOut, operation_id="changeProbe")
def change_probe(request: HttpRequest, probe_id: int, body: ProbeChangeIn) -> Any:
    row = _probe(probe_id)
    values = body.dict(include={"name", "is_skin", "is_put_away"}, exclude_none=True)
    places: list[tuple[Clip, probes.ProbePlace | None]] = [
        _placed(row.light, place) for place in body.places
    ]
    places += [(get_object_or_404(_clips_of(row.light), pk=pk), None) for pk in body.without]
    return _out(probes.change(row, values, places))


def _looked_at(light_id: int, camera_id: int, body: LookedAtIn) -> tuple[Light, Camera, Clip]:
    light, camera = place_of(light_id, camera_id)
    return light, camera, get_object_or_404(_clips_of(light), pk=body.clip_id, camera=camera)


@router.post("/lights/{light_id}/cameras/{camera_id}/probes/read", response=list[ProbedOut],
             operation_id="readProbes")  # fmt: skip
def read_probes(request: HttpRequest, light_id: int, camera_id: int, body: LookedAtIn) -> Any:
    """Read the probes that are on screen after every stage; nothing is stored."""
    light, camera, clip = _looked_at(light_id, camera_id, body)
    return [asdict(row) for row in measuring.read_probes(light, camera, clip, body)]


@router.post("/lights/{light_id}/cameras/{camera_id}/points/read", response=list[ProbeSideOut],
             operation_id="readPoints")  # fmt: skip
def read_points(request: HttpRequest, light_id: int, camera_id: int, body: ReadPointsIn) -> Any:
    """Read single points of the pictures; nothing is stored."""
    light, camera, clip = _looked_at(light_id, camera_id, body)
    return [asdict(side) for side in measuring.read_points(light, camera, clip, body, body.points)]


@router.post("/probes/{probe_id}/set-white", response={201: list[SetOut]},
             operation_id="setWhite")  # fmt: skip
def set_white(request: HttpRequest, probe_id: int, body: SetAllIn) -> Any:
    """Bring a thing in several clips to the reference's, or to neutral: a step for each."""
    row = _probe(probe_id)
    clips = [get_object_or_404(_clips_of(row.light), pk=pk) for pk in body.clip_ids]
    base = None
    if body.reference_clip_id is not None:
        base = get_object_or_404(_clips_of(row.light), pk=body.reference_clip_id)
    done = same_thing.set_all(row, clips, body.to, base, for_clips=body.for_clips)
    return Status(201, [asdict(one) for one in done])


def _aim_out(row: Aim) -> dict[str, Any]:
    values = {k: row.values.get(k, 0.0) for k in SCALES}
    return {"light_id": row.light_id, "camera_id": row.camera_id, **values}


@router.get("/productions/{production_id}/aims", response=list[AimOut], operation_id="listAims")
def list_aims(request: HttpRequest, production_id: int) -> Any:
    production = get_object_or_404(Production, pk=production_id)
    return [_aim_out(row) for row in aims.rows_of(production).values()]


@router.post("/productions/{production_id}/aims", response=AimOut, operation_id="setAim")
def set_aim(request: HttpRequest, production_id: int, body: AimIn) -> Any:
    """Set where the tuner should stand on purpose."""
    production = get_object_or_404(Production, pk=production_id)
    light = camera = None
    if body.light_id is not None:
        light = get_object_or_404(Light, pk=body.light_id, production=production)
    if body.camera_id is not None:
        camera = get_object_or_404(Camera, pk=body.camera_id, production=production)
    return _aim_out(aims.set_aim(production, light, camera, body.dict(include=set(SCALES))))
