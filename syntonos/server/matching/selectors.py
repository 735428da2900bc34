"""Reading readings and matches: chains of clips, and how an angle stands."""

from __future__ import annotations

import json
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import asdict, dataclass
from functools import lru_cache
from typing import TYPE_CHECKING, Any

from django.db.models import QuerySet

from syntonos.core.chain import Match as MatchStage
from syntonos.core.chain import Trim as TrimStage
from syntonos.core.chain import read_chain, read_trim
from syntonos.core.charts import ChartReading as CoreReading
from syntonos.core.encodings import find_encoding
from syntonos.core.matching import reading_from_json
from syntonos.core.matching.fit import difference_as_shot
from syntonos.core.matching.tuner import Tuner, tuner_of
from syntonos.core.matching.verdict import Verdict, judge_match
from syntonos.server.matching.models import ChartReading, Match, Pin

if TYPE_CHECKING:
    from syntonos.server.footage.models import Clip
    from syntonos.server.productions.models import Camera, Production


def current_match(light_id: int, camera: Camera) -> Match | None:
    """Return the match in force for a camera in a light, against the present reference."""
    return Match.objects.filter(
        light_id=light_id, camera=camera, is_current=True,
        reference_id=camera.production.reference_camera_id,
    ).select_related(
        "angle_reading__clip__camera", "reference_reading", "camera__production", "scene_check"
    ).first()  # fmt: skip


def matches_in_force(camera: Camera) -> QuerySet[Match]:
    """Return a camera's matches in force in all lights, against the present reference."""
    return Match.objects.filter(
        camera=camera, is_current=True, reference_id=camera.production.reference_camera_id
    ).select_related("angle_reading__clip__camera", "reference_reading")


def matches_of(light_id: int, camera: Camera) -> QuerySet[Match]:
    """Return all revisions against the present reference, the newest first."""
    return Match.objects.filter(
        light_id=light_id, camera=camera, reference_id=camera.production.reference_camera_id
    ).select_related(
        "restored_from", "camera__production", "scene_check"
    ).order_by("-number")  # fmt: skip


def latest_reading(light_id: int, camera_id: int) -> ChartReading | None:
    """Return the newest chart reading of a camera in a light that holds, or the newest at all."""
    rows = (
        ChartReading.objects.filter(clip__light_id=light_id, clip__camera_id=camera_id)
        .select_related("clip__camera").order_by("id")
    )  # fmt: skip
    newest: ChartReading | None = None
    for row in rows:
        newest = _newer(newest, row)
    return newest


def _newer(known: ChartReading | None, row: ChartReading) -> ChartReading:
    """Return a later reading, unless only the one before it was made as its clip is taken now."""
    return known if known is not None and holds(known) and not holds(row) else row


def newest_readings(
    production_id: int, cameras: Iterable[int] | None = None
) -> dict[tuple[int, int], ChartReading]:
    """Return the newest holding chart reading of each camera in each light, in one query."""
    rows = ChartReading.objects.filter(clip__camera__production_id=production_id)
    if cameras is not None:
        rows = rows.filter(clip__camera__in=cameras)
    rows = rows.select_related("clip__camera").order_by("id")
    newest: dict[tuple[int, int], ChartReading] = {}
    for row in rows:
        key = row.clip.light_id, row.clip.camera_id
        newest[key] = _newer(newest.get(key), row)
    return newest


def holds(row: ChartReading) -> bool:
    """Say whether a reading was made of its clip as that is taken now."""
    clip = row.clip
    source = row.notes.get("source", "")
    return (row.encoding, row.levels, source) == (clip.encoding, clip.levels, clip.development_key)


def clip_readings(light_id: int, camera: Camera) -> list[dict[str, int | str]]:
    """Return each clip's newest reading of a single exposure, as the camera is taken now."""
    rows = ChartReading.objects.filter(clip__light_id=light_id, clip__camera=camera)
    rows = rows.select_related("clip__camera").order_by("id")
    newest = {row.clip_id: row for row in rows if not row.notes.get("bracket") and holds(row)}
    return [
        {"clip_id": clip, "reading_id": row.pk,
         "layout": reading_from_json(row.data).layout.slug}
        for clip, row in newest.items()
    ]  # fmt: skip


def stored_trim(plain: dict[str, Any]) -> TrimStage:
    """Return a trim as it is stored: what was kept once keeps its picture, beyond ranges too."""
    return read_trim(plain, is_sum=True)


def stage_of(match: Match) -> MatchStage:
    """Return the stage of a stored match."""
    stage = read_chain(match.chain).match
    assert stage is not None  # noqa: S101 - services store only chains with a match
    return stage


@dataclass(frozen=True, slots=True)
class Status:
    """How an angle stands against the reference."""

    state: str
    delta_e: float | None
    before: float | None
    tuner: dict[str, float] | None
    next_step: str
    reason: str = ""  # why it is not better than its figure says, or what is in the way
    is_clipped: bool = False  # whether a clipped picture is among the reasons


def is_borrowed(match: Match) -> bool:
    """Say whether a match was taken over from other lights."""
    return bool(match.facts["kind"] == "borrowed")


def of_scene(match: Match) -> bool:
    """Say whether a match stands on what both cameras see, and on no chart."""
    return "scene" in match.facts


def scene_check_of(match: Match, clips: Iterable[Clip] = ()) -> dict[str, Any] | None:
    """Return what the scenes say of a match from charts, where that was looked at.

    `is_old` says that some of its clips, where they are among those given, are taken otherwise now.
    """
    row = getattr(match, "scene_check", None)
    if row is None:
        return None
    return dict(row.data) | {"is_old": _are_otherwise(row.data, clips)}


def target_of(match: Match) -> CoreReading:
    """Return what a match brings to: the reference's reading, or values."""
    return reading_from_json(_target_data(match))


def _target_data(match: Match) -> Any:
    if match.reference_reading is not None:
        return match.reference_reading.data
    return match.facts["target"]["reading"]


def is_stale(camera: Camera, match: Match, own: ChartReading | None, base: ChartReading | None
             ) -> bool:  # fmt: skip
    """Say whether something that the match stands on has changed since."""
    angle = match.angle_reading
    if angle is None:  # without a chart: until charts of both are read
        return own is not None and base is not None and match.created < max(
            own.created, base.created
        )  # fmt: skip
    moved = match.reference_reading_id is not None and base is not None
    if is_borrowed(match):
        # It stands on another light's charts until this one has its own.
        moved = False
        if own is not None and base is not None:
            return True
        own = None
    return (
        (own is not None and own.pk != angle.pk)
        or (moved and base is not None and base.pk != match.reference_reading_id)
        or not holds(angle)
        or angle.is_withdrawn
        or (not is_borrowed(match) and _is_elsewhere(angle, match))
    )


def _is_elsewhere(reading: ChartReading, match: Match) -> bool:
    """Say whether the clip of a match's own reading was moved to another light or camera."""
    clip = reading.clip
    return (clip.light_id, clip.camera_id) != (match.light_id, match.camera_id)


def status(
    production: Production,
    camera: Camera,
    own: ChartReading | None,
    base: ChartReading | None,
    match: Match | None,
    scenes: Sequence[Clip] = (),
    *,
    has_chart: bool = True,
    doubt: str = "",
    trim: TrimStage | None = None,
    base_scenes: Sequence[Clip] = (),
) -> Status:
    """Judge an angle: the delta E to expect off the chart against the production's tolerance.

    Parameters
    ----------
    scenes
        The angle's clips in the light: what is clipped in them, and what they are taken as, counts.
    has_chart
        Whether there is a clip of a chart to read.
    trim
        The camera's in the light, where it has one: the tuner measures after it.
    base_scenes
        The reference's clips in the light, which a match without a chart stands on.
    doubt
        What speaks against the encoding that its chart is taken as.
    """
    read_chart = "read_chart" if has_chart else "bring_chart"
    if production.reference_camera_id == camera.pk:
        return Status("reference", None, None, None, "none" if own else read_chart)
    if match is not None:
        value = _value(match)
        before = match.facts.get("before")
        distance = None if is_borrowed(match) or of_scene(match) else _tuner(match, trim)
        if is_stale(camera, match, own, base):
            return Status("stale", value, before, distance, "fit_again")
        if is_borrowed(match):
            return Status("borrowed", value, None, None, read_chart)
        assert value is not None  # noqa: S101 - only borrowed matches have none
        both_scenes = [*base_scenes, *scenes]
        if scene_moved(match, both_scenes):
            reason = taken_otherwise(match, scenes) or (
                "its pin is taken otherwise by now" if "pin" in match.facts.get("scene", {})
                else "the reference's scene is taken otherwise by now"
            )  # fmt: skip
            return Status("stale", value, before, distance, "fit_again", reason)
        if other := taken_otherwise(match, scenes):
            return Status("off", value, before, distance, "take_alike", other)
        verdict = verdict_of(match, production.tolerance, clipped_share(scenes))
        state, reason = verdict.state, ", ".join(verdict.lowered_by)
        against = scene_check_of(match, both_scenes)
        is_clipped = verdict.is_clipped
        if against is not None and not against["agrees"] and not against["is_old"]:
            is_clipped = False
            state, reason = ("close" if state == "in_tune" else state), against["words"]
        if doubt:
            is_clipped = False
            state, reason = ("close" if state == "in_tune" else state), doubt
        return Status(state, value, before, distance, "none", reason, is_clipped)
    if own is None:
        return Status("not_measured", None, None, None, read_chart)
    if base is None:
        return Status("not_measured", None, None, None, "read_reference")
    if not same_chart(base, own):
        return Status("not_measured", None, None, None, "read_chart")
    value = _delta_e_of(_text(base.data), _text(own.data))
    state = "in_tune" if value <= production.tolerance else "off"
    return Status(state, value, value, tuner_before(base, own), "fit")


def clipped_share(scenes: Iterable[Clip]) -> float:
    """Return the most of a scene's picture that is clipped in any channel; 0 where not measured."""
    return max((clip.clipped_share or 0.0 for clip in scenes), default=0.0)


def scene_moved(match: Match, clips: Iterable[Clip]) -> bool:
    """Say whether scenes, or a pin, that a match stands on are taken otherwise."""
    scene = match.facts.get("scene") or match.facts.get("steadied") or {}
    if pin := scene.get("pin"):
        row = Pin.objects.filter(uuid=pin["uuid"]).first()
        if row is not None and [row.taken_as, row.levels] != pin["taken"]:
            return True
    return _are_otherwise(scene, clips)


def _are_otherwise(seen: Mapping[str, Any], clips: Iterable[Clip]) -> bool:
    """Say whether clips that were looked at are taken otherwise by now."""
    # What was compared before this was told does not have it.
    taken = dict(zip(seen.get("clips", []), seen.get("taken", []), strict=True))
    return any(
        [clip.encoding, clip.levels] != taken[str(clip.uuid)]
        for clip in clips if str(clip.uuid) in taken
    )  # fmt: skip


def taken_otherwise(match: Match, scenes: Iterable[Clip]) -> str:
    """Say which scene is decoded otherwise than the chart that its match was fitted on, or ""."""
    reading = match.angle_reading
    what = "the chart was read" if reading is not None else "the scene was matched"
    taken = (
        (reading.encoding, reading.levels) if reading is not None
        else tuple(match.facts["scene"]["taken"][1])
    )  # fmt: skip
    for clip in scenes:
        if (clip.encoding, clip.levels) != taken:
            first, second = (
                f"{find_encoding(encoding).name}, {levels} levels"
                for encoding, levels in (taken, (clip.encoding, clip.levels))
            )
            return f"{what} as {first}; {clip} is taken as {second}"
    return ""


def verdict_of(match: Match, tolerance: float, clipped: float = 0.0) -> Verdict:
    """Judge a match by its evidence, and by how much of the angle's scene is clipped."""
    e = match.facts
    patches = e.get("residuals", [])
    left_out = sum(1 for patch in patches if patch["left_out"]) / max(len(patches), 1)
    return judge_match(_value(match) or e["left_one_out"], tolerance,
                       left_out=left_out, clipped=clipped)  # fmt: skip


def same_chart(base: ChartReading, own: ChartReading) -> bool:
    """Say whether two readings are of one kind of chart."""
    return len(base.data["patches"]) == len(own.data["patches"])


def _value(match: Match) -> float | None:
    value = match.facts.get("expected")
    if value is None and not is_borrowed(match):
        value = match.facts["left_one_out"]
    return None if value is None else float(value)


# Kept by content, never by a row's number: the same number is another row in another database.


def _tuner(match: Match, trim: TrimStage | None = None) -> dict[str, float]:
    assert match.angle_reading is not None  # noqa: S101 - asked of matches of charts only
    own, target = match.angle_reading.data, _target_data(match)
    return _tuner_of(_text(own), _text(target), _text(match.chain), trim)


def _text(plain: Any) -> str:
    return json.dumps(plain, sort_keys=True)


@lru_cache(maxsize=1024)
def _tuner_of(own: str, target: str, chain: str, trim: TrimStage | None = None) -> dict[str, float]:
    stage = read_chain(json.loads(chain)).match if chain else None
    want, got = (reading_from_json(json.loads(text)) for text in (target, own))
    return asdict(tuner_of(want, got, stage, trim))


def tuner_through(
    base: ChartReading, own: ChartReading, match: Match | None, trim: TrimStage
) -> Tuner:  # fmt: skip
    """Return how far an angle's reading is off, through a match and a trim."""
    want, got = (reading_from_json(row.data) for row in (base, own))
    return tuner_of(want, got, stage_of(match) if match is not None else None, trim)


def tuner_before(base: ChartReading, own: ChartReading) -> dict[str, float]:
    """Return how far an angle is off as it was shot."""
    return _tuner_of(_text(own.data), _text(base.data), "")


@lru_cache(maxsize=1024)
def _delta_e_of(base: str, own: str) -> float:
    want, got = (reading_from_json(json.loads(text)) for text in (base, own))
    return difference_as_shot(want, got)
