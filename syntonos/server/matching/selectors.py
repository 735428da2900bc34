"""Reading readings and matches: chains of clips, and how an angle stands."""

from __future__ import annotations

from dataclasses import asdict, dataclass
from functools import lru_cache
from typing import TYPE_CHECKING

from django.db.models import QuerySet

from syntonos.core.chain import Match as MatchStage
from syntonos.core.chain import read_chain
from syntonos.core.charts import ChartReading as CoreReading
from syntonos.core.matching import reading_from_json
from syntonos.core.matching.fit import working
from syntonos.core.matching.metric import scene_delta_e
from syntonos.core.matching.tuner import tuner_of
from syntonos.server.matching.models import ChartReading, Match

if TYPE_CHECKING:
    from syntonos.server.productions.models import Camera, Production


def current_match(light_id: int, camera: Camera) -> Match | None:
    """Return the match in force for a camera in a light, against the present reference."""
    return Match.objects.filter(
        light_id=light_id, camera=camera, is_current=True,
        reference_id=camera.production.reference_camera_id,
    ).select_related(
        "angle_reading__clip__camera", "reference_reading", "camera__production"
    ).first()  # fmt: skip


def matches_of(light_id: int, camera: Camera) -> QuerySet[Match]:
    """Return all revisions against the present reference, the newest first."""
    return Match.objects.filter(
        light_id=light_id, camera=camera, reference_id=camera.production.reference_camera_id
    ).select_related("restored_from", "camera__production").order_by("-number")  # fmt: skip


def latest_reading(light_id: int, camera_id: int) -> ChartReading | None:
    """Return the newest chart reading of a camera in a light."""
    return (
        ChartReading.objects.filter(clip__light_id=light_id, clip__camera_id=camera_id)
        .select_related("clip__camera").order_by("-created", "-id").first()
    )  # fmt: skip


def holds(row: ChartReading) -> bool:
    """Say whether a reading was made of its clip as that is taken now."""
    clip = row.clip
    source = row.notes.get("source", "")
    return (row.encoding, row.levels, source) == (clip.encoding, clip.levels, clip.reading_key)


def clip_readings(light_id: int, camera: Camera) -> list[dict[str, int | str]]:
    """Return each clip's newest reading of a single exposure, as the camera is taken now."""
    rows = ChartReading.objects.filter(clip__light_id=light_id, clip__camera=camera)
    rows = rows.select_related("clip__camera").order_by("created", "id")
    newest = {row.clip_id: row for row in rows if not row.notes.get("bracket") and holds(row)}
    return [
        {"clip_id": clip, "reading_id": row.pk,
         "layout": reading_from_json(row.data).layout.slug}
        for clip, row in newest.items()
    ]  # fmt: skip


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


def is_borrowed(match: Match) -> bool:
    """Say whether a match was taken over from other lights."""
    return "borrowed" in match.evidence


def target_of(match: Match) -> CoreReading:
    """Return what a match brings to: the reference's reading, or values."""
    if match.reference_reading is not None:
        return reading_from_json(match.reference_reading.data)
    return reading_from_json(match.evidence["target"]["reading"])


def is_stale(camera: Camera, match: Match, own: ChartReading | None, base: ChartReading | None
             ) -> bool:  # fmt: skip
    """Say whether something that the match stands on has changed since."""
    angle = match.angle_reading
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
    )


def status(
    production: Production,
    camera: Camera,
    own: ChartReading | None,
    base: ChartReading | None,
    match: Match | None,
) -> Status:
    """Judge an angle: the delta E to expect off the chart against the production's tolerance."""
    if production.reference_camera_id == camera.pk:
        return Status("reference", None, None, None, "none" if own else "read_chart")
    if match is not None:
        value = _value(match)
        before = match.evidence.get("before")
        distance = None if is_borrowed(match) else _tuner_cached(match.pk)
        if is_stale(camera, match, own, base):
            return Status("stale", value, before, distance, "fit_again")
        if is_borrowed(match):
            return Status("borrowed", value, None, None, "read_chart")
        limit = production.tolerance
        assert value is not None  # noqa: S101 - only borrowed matches have none
        state = "in_tune" if value <= limit else ("close" if value <= 2 * limit else "off")
        return Status(state, value, before, distance, "none")
    if own is None:
        return Status("not_measured", None, None, None, "read_chart")
    if base is None:
        return Status("not_measured", None, None, None, "read_reference")
    if not same_chart(base, own):
        return Status("not_measured", None, None, None, "read_chart")
    value = _delta_e(base.pk, own.pk)
    state = "in_tune" if value <= production.tolerance else "off"
    return Status(state, value, value, _tuner_before(base.pk, own.pk), "fit")


def same_chart(base: ChartReading, own: ChartReading) -> bool:
    """Say whether two readings are of one kind of chart."""
    return len(base.data["patches"]) == len(own.data["patches"])


def _value(match: Match) -> float | None:
    value = match.evidence.get("expected")
    if value is None and not is_borrowed(match):
        value = match.evidence["left_one_out"]
    return None if value is None else float(value)


# Readings and matches are never changed, so their numbers are good keys for ever.
@lru_cache(maxsize=4096)
def _tuner_cached(match_id: int) -> dict[str, float]:
    match = Match.objects.select_related("angle_reading", "reference_reading").get(pk=match_id)
    own = reading_from_json(match.angle_reading.data)
    return asdict(tuner_of(target_of(match), own, stage_of(match)))


@lru_cache(maxsize=4096)
def _tuner_before(base_id: int, own_id: int) -> dict[str, float]:
    rows = ChartReading.objects.in_bulk([base_id, own_id])
    base, own = (reading_from_json(rows[i].data) for i in (base_id, own_id))
    return asdict(tuner_of(base, own, None))


@lru_cache(maxsize=4096)
def _delta_e(base_id: int, own_id: int) -> float:
    rows = ChartReading.objects.in_bulk([base_id, own_id])
    both = [reading_from_json(rows[i].data) for i in (base_id, own_id)]
    want, got = (working(reading) for reading in both)
    mids = want[list(both[0].layout.mid_greys) or slice(None)]
    white = (mids / mids.mean(axis=1, keepdims=True)).mean(axis=0)
    return float(scene_delta_e(got, want, white).mean())
