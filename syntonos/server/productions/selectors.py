"""Reading productions, and the Board."""

from __future__ import annotations

import hashlib
from dataclasses import dataclass

from django.db.models import QuerySet

from syntonos.core.encodings import Encoding
from syntonos.core.media.usual import Usual, usual_combination
from syntonos.server.footage.models import Clip
from syntonos.server.looks.models import Balance, Look
from syntonos.server.matching import selectors as matching
from syntonos.server.matching.models import ChartReading, Match
from syntonos.server.productions.models import Camera, Light, Production


def productions() -> QuerySet[Production]:
    """Return all productions, the newest first."""
    return Production.objects.select_related("reference_camera").order_by("-created")


@dataclass(frozen=True, slots=True)
class Cell:
    """One camera in one light, as the Board shows it."""

    light_id: int
    camera_id: int
    clip: Clip | None
    chart_clip: Clip | None
    state: str  # reference, in_tune, close, off, stale, not_measured, borrowed
    delta_e: float | None
    before: float | None
    tuner: dict[str, float] | None
    next_step: str  # none, bring_in, read_chart, read_reference, fit, fit_again
    match_number: int | None
    picture_key: str


def board(production: Production) -> list[Cell]:
    """Return the Board's cells; a fixed number of queries whatever its size."""
    cameras = list(production.cameras.all())
    lights = list(production.lights.all())
    clips: dict[tuple[int, int, str], Clip] = {}
    for clip in (
        Clip.objects.filter(camera__production=production).select_related("camera").order_by("id")
    ):
        clips.setdefault((clip.light_id, clip.camera_id, clip.kind), clip)
    readings: dict[tuple[int, int], ChartReading] = {}
    for reading in (
        ChartReading.objects.filter(clip__camera__production=production)
        .select_related("clip__camera").order_by("created", "id")
    ):  # fmt: skip
        readings[reading.clip.light_id, reading.clip.camera_id] = reading
    matches: dict[tuple[int, int], Match] = {
        (m.light_id, m.camera_id): m
        for m in Match.objects.filter(
            light__production=production, is_current=True,
            reference_id=production.reference_camera_id,
        ).select_related("angle_reading__clip__camera", "reference_reading")
    }  # fmt: skip
    over = _over(production, lights)
    return [
        _cell(production, light, camera, clips, readings, matches, over[light.pk])
        for light in lights for camera in cameras
    ]  # fmt: skip


def _cell(
    production: Production,
    light: Light,
    camera: Camera,
    clips: dict[tuple[int, int, str], Clip],
    readings: dict[tuple[int, int], ChartReading],
    matches: dict[tuple[int, int], Match],
    over: str,
) -> Cell:
    key = (light.pk, camera.pk)
    scene, chart = clips.get((*key, "scene")), clips.get((*key, "chart"))
    own = readings.get(key)
    reference_id = production.reference_camera_id
    base = readings.get((light.pk, reference_id)) if reference_id else None
    match = matches.get(key)
    status = matching.status(production, camera, own, base, match)
    step = status.next_step
    if scene is None and chart is None:
        step = "bring_in"
    return Cell(
        light.pk, camera.pk, scene or chart, chart, status.state, status.delta_e, status.before,
        status.tuner, step, match.number if match else None,
        _picture_key(camera, match, over),
    )  # fmt: skip


def _over(production: Production, lights: list[Light]) -> dict[int, str]:
    """Return what lies over all cameras of each light, as a key."""
    balances = dict(
        Balance.objects.filter(light__production=production, is_current=True)
        .values_list("light_id", "pk")
    )  # fmt: skip
    found = Look.objects.filter(production=production, is_current=True).values_list(
        "light_id", "pk"
    )
    return {
        light.pk: f"{production.outputs[0]['stage']}-{balances.get(light.pk)}-"
        f"{sorted(pk for owner, pk in found if owner in (None, light.pk))}"
        for light in lights
    }


def _picture_key(camera: Camera, match: Match | None, over: str) -> str:
    text = f"{match and match.pk}-{camera.encoding}-{camera.levels}-{camera.input.unit}-"
    text += f"{camera.quantisation}-{camera.raw}-{over}"
    return hashlib.sha256(text.encode()).hexdigest()[:12]


def usual(camera: Camera, encoding: Encoding) -> list[Usual]:
    """Return what range and curve levels the kinds of files of a camera usually go with."""
    kinds = camera.clips.values_list("media", "format").distinct().order_by("media", "format")
    found = (usual_combination(kind, form, encoding) for kind, form in kinds)
    return [one for one in found if one is not None]


def counts(production: Production) -> dict[int, dict[str, int]]:
    """Return how many clips and readings each light has."""
    out: dict[int, dict[str, int]] = {}
    for clip in Clip.objects.filter(camera__production=production).prefetch_related("readings"):
        row = out.setdefault(clip.light_id, {"clips": 0, "readings": 0})
        row["clips"] += 1
        row["readings"] += len(clip.readings.all())
    return out
