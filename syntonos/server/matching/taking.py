"""Taking clips as another encoding: of which clips it is said, and what it would change."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any, Literal

from syntonos.core.encodings import find_encoding
from syntonos.core.errors import ColourError
from syntonos.core.matching import fit_match, reading_from_json
from syntonos.core.matching.encoding_check import as_encoded
from syntonos.core.matching.fit import FitOptions
from syntonos.server.footage.models import Clip
from syntonos.server.footage.services import apply_settings
from syntonos.server.history.services import together
from syntonos.server.matching import selectors
from syntonos.server.matching.models import ChartReading, Match
from syntonos.server.productions.models import Camera, Light
from syntonos.server.productions.services import change_camera

Scope = Literal["clip", "light", "camera"]
_PREVIEWED = 40  # matches that are tried at most


def clips_meant(clip: Clip, scope: Scope) -> list[Clip]:
    """Return the clips that a scope means.

    "clip" is this one; "light" all of its camera in its light that are taken as it is now;
    "camera" all of its camera that say nothing of their own.
    """
    if scope == "clip":
        return [clip]
    rows = Clip.objects.filter(camera=clip.camera).select_related("camera__production", "light")
    if scope == "light":
        return [
            c for c in rows.filter(light=clip.light_id)
            if (c.encoding, c.levels) == (clip.encoding, clip.levels)
        ]  # fmt: skip
    return [c for c in rows if "encoding" not in c.overrides and "levels" not in c.overrides]


@dataclass(frozen=True, slots=True)
class Moved:
    """A match that would be fitted again: the delta E off the chart as it is, and after."""

    light: str
    camera: str
    now: float | None
    after: float | None  # None where it cannot be fitted so
    problem: str = ""


@dataclass(frozen=True, slots=True)
class WouldTake:
    """What taking clips as another encoding means."""

    clips: list[str]
    matches: list[Moved]


def preview(clip: Clip, encoding: str, levels: str, scope: Scope) -> WouldTake:
    """Say which clips are meant, and by how much each figure moves; nothing is stored."""
    slug = find_encoding(encoding).slug
    clips = clips_meant(clip, scope)
    meant = {c.pk for c in clips}
    production = clip.camera.production
    rows = (
        Match.objects.filter(camera__production=production, is_current=True,
                             reference_id=production.reference_camera_id)
        .select_related("angle_reading__clip", "reference_reading__clip", "light", "camera")
        .order_by("light__position", "camera__letter")
    )  # fmt: skip
    moved: list[Moved] = []
    for match in rows:
        if selectors.is_borrowed(match) or match.angle_reading is None:
            continue
        sides = [match.reference_reading, match.angle_reading]
        if not any(row is not None and row.clip_id in meant for row in sides):
            continue
        if len(moved) < _PREVIEWED:
            moved.append(_moved(match, meant, slug, levels))
    return WouldTake([c.name for c in clips], moved)


def _moved(match: Match, meant: set[int], encoding: str, levels: str) -> Moved:
    def seen(row: ChartReading) -> Any:
        reading = reading_from_json(row.data)
        if row.clip_id not in meant:
            return reading
        return as_encoded(reading, find_encoding(encoding), levels)

    assert match.angle_reading is not None  # noqa: S101 - those from the picture are left out
    e = match.facts
    now = e.get("expected", e["left_one_out"])
    try:
        target = (
            seen(match.reference_reading) if match.reference_reading is not None
            else selectors.target_of(match)
        )  # fmt: skip
        options = FitOptions(e.get("asked", e["model"]), tuple(e.get("leave_out", ())))
        found = fit_match(target, seen(match.angle_reading), options)
    except ColourError as error:
        return Moved(match.light.name, match.camera.letter, now, None, str(error))
    return Moved(match.light.name, match.camera.letter, now, found.expected)


def take_as(
    clip: Clip, encoding: str, levels: str, scope: Scope, *, base: int | None = None
) -> list[Clip]:
    """Take the clips of a scope as an encoding; what stands on them is made again, in jobs."""
    camera = Camera.objects.select_related("production").get(pk=clip.camera_id)
    if scope == "camera":
        with together(camera.production_id):
            change_camera(camera, {"encoding": encoding, "levels": levels}, base=base)
            if "encoding" in clip.overrides or "levels" in clip.overrides:
                apply_settings(camera.production, [clip.pk], {"encoding": None, "levels": None})
        return clips_meant(clip, scope)
    slug = find_encoding(encoding).slug
    # What its camera says anyway is no setting of a clip's own.
    values = {
        name: None if value == getattr(camera, name) else value
        for name, value in (("encoding", slug), ("levels", levels))
    }
    ids = [c.pk for c in clips_meant(clip, scope)]
    return apply_settings(camera.production, ids, values, base=base)


def repair(light: Light, camera: Camera, *, base: int | None = None) -> Sequence[Clip]:
    """Take an angle's scenes as its chart was read, where they are taken otherwise."""
    match = selectors.current_match(light.pk, camera)
    scenes = Clip.objects.filter(light=light, camera=camera, kind=Clip.Kind.SCENE)
    reading = match.angle_reading if match is not None else None
    if reading is None:
        return []
    odd = [
        c
        for c in scenes.select_related("camera")
        if (c.encoding, c.levels) != (reading.encoding, reading.levels)
    ]
    values = {
        name: None if value == getattr(camera, name) else value
        for name, value in (("encoding", reading.encoding), ("levels", reading.levels))
    }
    return apply_settings(camera.production, [c.pk for c in odd], values, base=base)
