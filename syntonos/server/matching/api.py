"""Endpoints of chart readings, matches and the angle."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import asdict
from typing import Any

import numpy as np
from django.http import HttpRequest
from django.shortcuts import get_object_or_404
from ninja import Router, Status

from syntonos.core.chain import Decode, Parts, compile_chain, compose, run
from syntonos.core.chain.engine import to_bytes
from syntonos.core.charts import ChartLayout
from syntonos.core.matching import MODEL_NAMES, MODEL_WORDS, reading_from_json
from syntonos.server.footage.models import Clip
from syntonos.server.jobs.schemas import JobOut
from syntonos.server.jobs.services import start
from syntonos.server.matching import (
    borrowing,
    clip_checks,
    encoding_checks,
    from_scene,
    readings,
    scene_checks,
    selectors,
    services,
)
from syntonos.server.matching.areas import Area, AreaPair
from syntonos.server.matching.models import ChartReading, Match, Pin
from syntonos.server.matching.schemas import (
    BorrowIn,
    ChangeOut,
    CheckSceneIn,
    EncodingCheckStateOut,
    FindIn,
    FitIn,
    FittedCurveOut,
    FoundOut,
    FromSceneIn,
    LayoutIn,
    LayoutOut,
    MatchOut,
    MenuOut,
    MergeIn,
    NeighbourOut,
    ReadIn,
    ReadingOut,
    RestoreIn,
    SpotOut,
)
from syntonos.server.productions.models import Camera, Light, Production

router = Router()
_NO_NOTES: dict[str, Any] = {
    "moved": 0.0, "is_moving": False, "left_out_frames": [], "bracket": [], "rescued": [],
    "is_straight": True, "beside": [],
}  # fmt: skip


def clip_of(clip_id: int) -> Clip:
    """Return a clip with its camera, production and light; 404 where there is none."""
    return get_object_or_404(Clip.objects.select_related("camera__production", "light"), pk=clip_id)


def place_of(light_id: int, camera_id: int) -> tuple[Light, Camera]:
    """Return a light and one of its production's cameras; 404 where they are none."""
    light = get_object_or_404(Light, pk=light_id)
    camera = get_object_or_404(
        Camera.objects.select_related("production__reference_camera"),
        pk=camera_id, production_id=light.production_id,
    )  # fmt: skip
    return light, camera


def reading_out(row: ChartReading) -> dict[str, Any]:
    """Return a reading for the API."""
    beside = [other["corners"] for other in row.notes.get("beside", [])]
    return {
        "id": row.pk, "clip_id": row.clip_id, "number": row.number, "frames": row.frames,
        "found_by": row.found_by, "encoding": row.encoding, "levels": row.levels,
        "corners": row.data["corners"], "patches": row.data["patches"], "created": row.created,
        "swatches": _swatches(row),
        "notes": _NO_NOTES | row.notes | {"beside": beside},
        "layout": layout_out(reading_from_json(row.data).layout),
    }  # fmt: skip


def _swatches(row: ChartReading) -> list[str]:
    code = np.array([p["code_rgb"] for p in row.data["patches"]], np.float32)
    chain = compose(Parts(Decode(row.encoding, row.levels)))
    colours = to_bytes(run(compile_chain(chain), code))
    return ["#" + bytes(colour).hex() for colour in colours]


def match_out(row: Match, clipped: float = 0.0, clips: Iterable[Clip] = ()) -> dict[str, Any]:
    """Return a match with its evidence for the API.

    `clipped` is the share of the angle's scene, `clips` those of the light whose settings count.
    """
    e, stage = row.facts, selectors.stage_of(row)
    verdict = selectors.verdict_of(row, row.camera.production.tolerance, clipped)
    named = ("model", "stops", "flare_share", "warmth", "tint", "slope", "before", "white_only",
             "after", "left_one_out", "residuals", "warnings")  # fmt: skip
    return {
        "id": row.pk, "number": row.number, "is_current": row.is_current, "created": row.created,
        "restored_from": row.restored_from.number if row.restored_from else None,
        "matrix": stage.matrix, "kind": e["kind"], **{name: e[name] for name in named},
        # Matches of before this was told do not have it.
        **{name: e.get(name) for name in ("expected", "expected_low", "expected_high")},
        "expected_kinds": None if "scene" in e else e.get("expected_kinds"),
        "expected_seen": e.get("expected_kinds") if "scene" in e else None,
        "asked": e.get("asked", e["model"]),
        "weights": [{"patch": i, "weight": w} for i, w in e.get("weights", [])],
        "areas": e.get("areas", []), "area_misses": e.get("pairs", []),
        "pool": e.get("pool", False),
        "target": e["target"]["name"] if "target" in e else None,
        "borrowed": _borrowed(e.get("borrowed")), "scene": e.get("scene"),
        "scene_check": _scene_check(selectors.scene_check_of(row, clips)),
        "steadied": e.get("steadied"),
        "advice": e.get("advice", []), "limit": e.get("limit", ""),
        "model_word": MODEL_WORDS.get(e["model"], e["model"]),
        "verdict": verdict.words, "lowered_by": verdict.lowered_by,
        "highlights": asdict(stage.highlights) if stage.highlights else None,
        "fills": e.get("fills", False),
        "models": [
            {**m, "name": MODEL_NAMES[m["model"]], "word": MODEL_WORDS[m["model"]]}
            for m in e.get("models", [])
        ],
    }  # fmt: skip


def _scene_check(plain: dict[str, Any] | None) -> dict[str, Any] | None:
    return plain and plain | {"can_steady": bool(plain.get("colours"))}


def _borrowed(plain: dict[str, str] | None) -> dict[str, str] | None:
    return plain and {"kind": plain["kind"], "source": plain["from"], "why": plain["why"]}


@router.get("/productions/{production_id}/layouts", response=list[LayoutOut],
            operation_id="listLayouts")  # fmt: skip
def list_layouts(request: HttpRequest, production_id: int) -> Any:
    production = get_object_or_404(Production, pk=production_id)
    return [layout_out(layout) for layout in readings.layouts_of(production)]


@router.post("/productions/{production_id}/layouts", response={201: LayoutOut},
             operation_id="addLayout")  # fmt: skip
def add_layout(request: HttpRequest, production_id: int, body: LayoutIn) -> Any:
    production = get_object_or_404(Production, pk=production_id)
    return Status(201, layout_out(readings.add_layout(production, body.name, body.text)))


def layout_out(layout: ChartLayout) -> dict[str, Any]:
    """Return a layout for the API."""
    return {
        "slug": layout.slug, "name": layout.name, "columns_at": layout.columns_at,
        "rows_at": layout.rows_at, "names": layout.names, "greys": layout.greys,
        "skins": layout.skins, "sample_half": layout.sample_half,
        "has_values": layout.nominal is not None,
    }  # fmt: skip


@router.post("/clips/{clip_id}/find", response=FoundOut, operation_id="findChart")
def find_chart(request: HttpRequest, clip_id: int, body: FindIn) -> Any:
    clip = clip_of(clip_id)
    layout = readings.layout_for(clip.camera.production, body.layout)
    found = readings.find(clip, body.frames, layout=layout, every=body.every)
    best = found.detection
    return {
        "corners": best.corners.tolist(), "orientation_certain": best.orientation_certain,
        "score": best.score, "turned_score": best.turned_score,
        "others": [
            {"corners": d.corners.tolist(), "orientation_certain": d.orientation_certain}
            for d in found.others
        ],
    }  # fmt: skip


@router.post("/clips/{clip_id}/readings", response={201: ReadingOut}, operation_id="readChart")
def read_chart(request: HttpRequest, clip_id: int, body: ReadIn) -> Any:
    clip = clip_of(clip_id)
    layout = readings.layout_for(clip.camera.production, body.layout)
    row = readings.read(
        clip,
        body.corners,
        found_by=body.found_by,
        frames=body.frames,
        layout=layout,
        others=body.others,
    )
    return Status(201, reading_out(row))


@router.post("/lights/{light_id}/cameras/{camera_id}/readings/merge", response={201: ReadingOut},
             operation_id="mergeReadings")  # fmt: skip
def merge_readings(request: HttpRequest, light_id: int, camera_id: int, body: MergeIn) -> Any:
    light, camera = place_of(light_id, camera_id)
    parts = [(part.reading_id, part.stops) for part in body.parts]
    return Status(201, reading_out(readings.merge(light, camera, parts)))


@router.get("/lights/{light_id}/cameras/{camera_id}/neighbours", response=list[NeighbourOut],
            operation_id="listNeighbours")  # fmt: skip
def list_neighbours(request: HttpRequest, light_id: int, camera_id: int) -> Any:
    return [
        {
            "kind": n.kind, "light_id": n.light.pk if n.light else None,
            "light_name": n.light.name if n.light else None,
            "match_number": n.match.number if n.match else None,
            "expected": n.expected, "why": n.why,
        }
        for n in borrowing.neighbours(*place_of(light_id, camera_id))
    ]  # fmt: skip


@router.post("/lights/{light_id}/cameras/{camera_id}/matches/borrow", response={201: MatchOut},
             operation_id="borrowMatch")  # fmt: skip
def borrow_match(request: HttpRequest, light_id: int, camera_id: int, body: BorrowIn) -> Any:
    light, camera = place_of(light_id, camera_id)
    row = borrowing.borrow(
        light=light, camera=camera, source_id=body.light_id, base_number=body.base_number,
        kind=body.kind,
    )  # fmt: skip
    return Status(201, match_out(row))


@router.get("/lights/{light_id}/cameras/{camera_id}/matches", response=list[MatchOut],
            operation_id="listMatches")  # fmt: skip
def list_matches(request: HttpRequest, light_id: int, camera_id: int) -> Any:
    light, camera = place_of(light_id, camera_id)
    return [match_out(row) for row in selectors.matches_of(light.pk, camera)]


def _request(body: FitIn) -> services.FitRequest:
    weights = tuple((w.patch, w.weight) for w in body.weights)
    pairs = tuple(
        AreaPair(Area(**p.reference.dict()), Area(**p.angle.dict()), p.weight) for p in body.areas
    )
    return services.FitRequest(
        body.model, tuple(body.leave_out), weights, pairs, body.pool, body.values,
        body.values_name, body.fills, body.with_scene, body.base_number,
    )  # fmt: skip


@router.post("/lights/{light_id}/cameras/{camera_id}/matches/preview", response=ChangeOut,
             operation_id="previewFit")  # fmt: skip
def preview_fit(request: HttpRequest, light_id: int, camera_id: int, body: FitIn) -> Any:
    light, camera = place_of(light_id, camera_id)
    return asdict(services.preview(light=light, camera=camera, request=_request(body)))


@router.post("/lights/{light_id}/cameras/{camera_id}/matches", response={201: MatchOut},
             operation_id="fitMatch")  # fmt: skip
def fit_match(request: HttpRequest, light_id: int, camera_id: int, body: FitIn) -> Any:
    light, camera = place_of(light_id, camera_id)
    wanted = _request(body)
    made = services.fit(light=light, camera=camera, request=wanted)
    encoding_checks.start_where_doubtful(made)
    scene_checks.start_unasked(made)
    return Status(201, match_out(made))


@router.post("/lights/{light_id}/cameras/{camera_id}/matches/from-scene",
             response={202: JobOut}, operation_id="matchFromScene")  # fmt: skip
def match_from_scene(
    request: HttpRequest, light_id: int, camera_id: int, body: FromSceneIn
) -> Any:  # fmt: skip
    """Match a camera by what both pictures show, where nobody shot a chart."""
    light, camera = place_of(light_id, camera_id)
    rows = Clip.objects.select_related("camera__production", "light").filter(light=light)
    if body.pin_id is not None and body.clip_id is not None:
        own = get_object_or_404(rows, pk=body.clip_id, camera=camera)
        pairs = [(own, own)]  # the pin is the other side
    elif body.clip_id is None or body.reference_clip_id is None:
        pairs = from_scene.clip_pairs(light, camera)
    else:
        own = get_object_or_404(rows, pk=body.clip_id, camera=camera)
        base = get_object_or_404(
            rows, pk=body.reference_clip_id, camera=camera.production.reference_camera
        )
        pairs = [(base, own)]
    pin = "" if body.pin_id is None else str(get_object_or_404(
        Pin, pk=body.pin_id, production=light.production_id
    ).uuid)  # fmt: skip
    wanted = from_scene.Request(
        body.by,
        tuple(body.left_out),
        body.with_probes,
        body.mix,
        body.base_number,
        pin,
        tuple((one, other) for one, other in body.areas),
        body.frames,
        body.use,
    )
    return Status(202, from_scene.start(light, camera, pairs, wanted))


@router.post("/matches/{match_id}/check-scene", response={202: JobOut},
             operation_id="checkScene")  # fmt: skip
def check_scene(request: HttpRequest, match_id: int, body: CheckSceneIn) -> Any:
    """Ask two scenes whether a match from charts holds in them."""
    match = get_object_or_404(
        Match.objects.select_related("camera__production", "light"), pk=match_id
    )
    rows = Clip.objects.filter(light=match.light)
    own = get_object_or_404(rows, pk=body.clip_id, camera=match.camera)
    base = get_object_or_404(rows, pk=body.reference_clip_id, camera=match.reference_id)
    return Status(202, scene_checks.start(match, base, own))


@router.get("/matches/{match_id}/spots", response=list[SpotOut], operation_id="listSpots")
def list_spots(request: HttpRequest, match_id: int) -> Any:
    """Return the places that a match from the picture stands on, gathered in cells."""
    scene = get_object_or_404(Match, pk=match_id).facts.get("scene", {})
    # In a pin's picture, which is not on screen, there is nothing to mark.
    return [] if scene.get("pin") else scene.get("spots", [])


@router.post("/lights/{light_id}/match", response={202: JobOut}, operation_id="matchAngles")
def match_angles(request: HttpRequest, light_id: int) -> Any:
    light = get_object_or_404(Light.objects.select_related("production"), pk=light_id)
    title = f"Match every angle in {light.name}"
    return Status(202, start(light.production, "match-angles", title, {"light_id": light.pk}))


@router.post("/productions/{production_id}/match", response={202: JobOut},
             operation_id="matchEverything")  # fmt: skip
def match_everything(request: HttpRequest, production_id: int) -> Any:
    production = get_object_or_404(Production, pk=production_id)
    arguments = {"production_id": production.pk}
    return Status(202, start(production, "match-angles", "Match every angle", arguments))


@router.get("/lights/{light_id}/cameras/{camera_id}/menu", response=MenuOut,
            operation_id="cameraMenu")  # fmt: skip
def camera_menu(
    request: HttpRequest, light_id: int, camera_id: int, step: float = 0.01, most: int = 99,
    sign: int = 1, overall: bool = False,
) -> Any:  # fmt: skip
    light, camera = place_of(light_id, camera_id)
    return asdict(services.menu(light, camera, step=step, most=most, sign=sign, overall=overall))


@router.get("/lights/{light_id}/cameras/{camera_id}/encoding-check", response=EncodingCheckStateOut,
            operation_id="getEncodingCheck")  # fmt: skip
def get_encoding_check(request: HttpRequest, light_id: int, camera_id: int) -> Any:
    return encoding_checks.state_of(*place_of(light_id, camera_id))


@router.post("/lights/{light_id}/cameras/{camera_id}/encoding-check", response={202: JobOut},
             operation_id="checkEncoding")  # fmt: skip
def check_encoding(request: HttpRequest, light_id: int, camera_id: int) -> Any:
    return Status(202, encoding_checks.start(*place_of(light_id, camera_id)))


@router.post("/lights/{light_id}/cameras/{camera_id}/curve", response={201: FittedCurveOut},
             operation_id="fitCurve")  # fmt: skip
def fit_curve(request: HttpRequest, light_id: int, camera_id: int) -> Any:
    """Fit a curve to the camera's bracket and keep it as an encoding; nothing else changes."""
    found, row = services.fit_own_curve(*place_of(light_id, camera_id))
    plain = {n: getattr(found, n) for n in ("error", "low", "high", "stops")}
    return Status(201, {"slug": row.slug, "name": row.name, **plain})


@router.post("/productions/{production_id}/check-clips", response={201: JobOut},
             operation_id="checkClips")  # fmt: skip
def check_clips(request: HttpRequest, production_id: int) -> Any:
    return Status(201, clip_checks.start(get_object_or_404(Production, pk=production_id)))


@router.post("/matches/{match_id}/restore", response={201: MatchOut}, operation_id="restoreMatch")
def restore_match(request: HttpRequest, match_id: int, body: RestoreIn) -> Any:
    old = get_object_or_404(Match, pk=match_id)
    return Status(201, match_out(services.restore(old, base_number=body.base_number)))
