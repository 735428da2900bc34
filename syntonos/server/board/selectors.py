"""The Board's cells."""

from __future__ import annotations

from dataclasses import dataclass

from syntonos.server.footage.models import Clip
from syntonos.server.matching import aims
from syntonos.server.matching import selectors as matching
from syntonos.server.matching.chains import InForce
from syntonos.server.matching.doubts import Doubt, doubts_of
from syntonos.server.matching.evidence import Kind
from syntonos.server.matching.models import Aim, ChartReading
from syntonos.server.productions.models import Camera, Light, Production
from syntonos.server.rendering.standing import stand_of


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
    aim: dict[str, float] | None  # where it should stand on purpose
    next_step: str  # one of board.schemas.NextStep
    match_number: int | None
    match_kind: Kind | None  # what it stands on
    stand: str  # of the clip that is shown
    clipped: float | None  # the most of its scenes' pictures; None where none was measured
    reason: str  # why it is not better than its figure says
    is_clipped: bool  # whether a clipped picture is among the reasons
    doubt: Doubt | None  # what speaks against the encoding of one of its clips


def board(production: Production) -> list[Cell]:
    """Return the Board's cells; a fixed number of queries whatever its size."""
    cameras = list(production.cameras.all())
    lights = list(production.lights.all())
    clips: dict[tuple[int, int, str], Clip] = {}
    scenes: dict[tuple[int, int], list[Clip]] = {}
    every: list[Clip] = []
    for clip in (
        Clip.objects.filter(camera__production=production)
        .select_related("camera__production")
        .order_by("id")
    ):
        clips.setdefault((clip.light_id, clip.camera_id, clip.kind), clip)
        if clip.kind == Clip.Kind.SCENE:
            scenes.setdefault((clip.light_id, clip.camera_id), []).append(clip)
        every.append(clip)
    readings = matching.newest_readings(production.pk)
    in_force = InForce(production)
    doubts = doubts_of(every, readings, production.reference_camera_id)
    own_aims = aims.rows_of(production)
    return [
        _cell(production, light, camera, clips, readings, in_force, scenes, doubts, own_aims)
        for light in lights for camera in cameras
    ]  # fmt: skip


def _cell(
    production: Production,
    light: Light,
    camera: Camera,
    clips: dict[tuple[int, int, str], Clip],
    readings: dict[tuple[int, int], ChartReading],
    in_force: InForce,
    scenes: dict[tuple[int, int], list[Clip]],
    doubts: dict[tuple[int, int], Doubt],
    own_aims: dict[aims.AimKey, Aim],
) -> Cell:
    key = (light.pk, camera.pk)
    scene, chart = clips.get((*key, "scene")), clips.get((*key, "chart"))
    own = readings.get(key)
    reference_id = production.reference_camera_id
    base = readings.get((light.pk, reference_id)) if reference_id else None
    match = in_force.matches.get(key)
    shown = scene or chart
    own_scenes = scenes.get(key, [])
    doubt = doubts.get(key)
    status = matching.status(
        production, camera, own, base, match, own_scenes, has_chart=chart is not None,
        doubt=doubt.text if doubt else "", trim=in_force.trim_of(light.pk, camera.pk),
        base_scenes=scenes.get((light.pk, reference_id), []) if reference_id else [],
    )  # fmt: skip
    aim = aims.summed(own_aims, *key)
    measured = [c.clipped_share for c in own_scenes if c.clipped_share is not None]
    clipped = max(measured, default=None)
    return Cell(
        light.pk, camera.pk, shown, chart, status.state, status.delta_e, status.before,
        status.tuner, aim if any(aim.values()) else None,
        status.next_step if shown else "bring_in", match.number if match else None,
        match.facts["kind"] if match else None,
        stand_of(shown, in_force) if shown else "", clipped, status.reason, status.is_clipped,
        doubt,
    )  # fmt: skip
