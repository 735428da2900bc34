"""Matching every angle of a light in one go: find, read and fit, camera by camera."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import asdict, dataclass
from typing import Any

from syntonos.core.errors import ChartError, ColourError
from syntonos.core.matching import reading_from_json
from syntonos.server.api.errors import ConflictError
from syntonos.server.footage.models import Clip
from syntonos.server.jobs.services import Progress
from syntonos.server.matching import (
    encoding_checks,
    from_scene,
    readings,
    scene_checks,
    selectors,
    services,
)
from syntonos.server.matching.models import ChartReading, Match
from syntonos.server.productions.models import Camera, Light


@dataclass(frozen=True, slots=True)
class Outcome:
    """What came of one camera in one light."""

    light_id: int
    camera_id: int
    camera: str
    outcome: str  # read (the reference), kept, matched, from_picture, asked, failed, no_chart
    text: str = ""
    expected: float | None = None


def run_job(arguments: dict[str, Any], progress: Progress) -> dict[str, Any]:
    """Match angles; arguments: light_id, or production_id for all of its lights.

    With `again` only what was read or matched before of these cameras in the light.
    """
    if "production_id" in arguments:
        return {"angles": [asdict(o) for o in _everywhere(arguments["production_id"], progress)]}
    light = Light.objects.select_related("production__reference_camera").get(
        pk=arguments["light_id"]
    )
    if "again" in arguments:
        out = derive_again(light, arguments["again"], progress)
    else:
        out = match_angles(light, progress)
    return {"angles": [asdict(outcome) for outcome in out]}


def _everywhere(production_id: int, progress: Progress) -> list[Outcome]:
    """Match light by light; a light that cannot be begun is said and left alone."""
    lights = Light.objects.filter(production=production_id).select_related(
        "production__reference_camera"
    )  # fmt: skip
    out: list[Outcome] = []
    for number, light in enumerate(lights):
        out += match_angles(light, _part_of(progress, number, len(lights), light.name))
    return out


def _part_of(
    progress: Callable[[float, str], None], number: int, count: int, name: str
) -> Callable[[float, str], None]:
    return lambda share, what: progress((number + share) / count, f"{name}: {what}")


def derive_again(
    light: Light, cameras: Sequence[int], progress: Callable[[float, str], None]
) -> list[Outcome]:
    """Read and fit again what stands on the clips of some cameras; nothing that is new.

    A camera whose chart was never read stays so, and one that was never matched is only read. With
    the reference all angles that are matched are fitted again.
    """
    production = light.production
    reference = production.reference_camera
    every = list(production.cameras.all())
    read = [c for c in every if c.pk in cameras and selectors.latest_reading(light.pk, c.pk)]
    fitted = [
        c for c in every
        if (c.pk in cameras or (reference is not None and reference.pk in cameras))
        and selectors.current_match(light.pk, c) is not None
    ]  # fmt: skip
    steps, done, out = len(read) + len(fitted) + 1, 0, []

    def tell(what: str) -> None:
        progress(min(done / steps, 1.0), what)

    for camera in read:
        row = _read(light, camera, tell, None)
        if isinstance(row, Outcome):
            out.append(row)
        elif camera not in fitted:
            out.append(Outcome(light.pk, camera.pk, str(camera), "read", f"reading {row.number}"))
        done += 1
    for camera in fitted:
        if not any(outcome.camera_id == camera.pk for outcome in out):
            out.append(_match(light, camera, tell, None))
        done += 1
    services.measure_unmeasured(light)  # scenes that no fit has looked at, as they are taken now
    return out


def match_angles(light: Light, progress: Callable[[float, str], None]) -> list[Outcome]:
    """Find, read and fit all that is open in a light; what is done and holds stays as it is.

    A chart of which it is not certain which way up it is, is left to a person.
    """
    production = light.production
    reference = production.reference_camera
    if reference is None:
        raise ChartError(
            f"{production} has no reference camera.", hint="Choose one in the production's sheet.",
            code="fit.reference",
        )  # fmt: skip
    others = [c for c in production.cameras.all() if c.pk != reference.pk]
    cameras = [c for c in others if _chart_clip(light, c) or _fresh(light, c)]
    without = [c for c in others if c not in cameras and _has_clips(light, c)]
    steps = 2 + 3 * (len(cameras) + len(without))
    done = 0

    def tell(what: str) -> None:
        nonlocal done
        progress(done / steps, what)
        done += 1

    def within(begun: int) -> Callable[[float, str], None]:
        return lambda share, what: progress(max(done, begun + 3 * share) / steps, what)

    layout = None
    base = _read(light, reference, tell, layout)
    if not isinstance(base, ChartReading):
        if base.outcome != "no_chart":
            return [base]
        # Nobody shot a chart, or none can be read: the scene is the chart.
        have = [c for c in others if _has_clips(light, c)]
        by_scene = [
            _by_scene(light, c, _part_of(progress, k, len(have), str(c)), base.text)
            for k, c in enumerate(have)
        ]
        return by_scene or [base]
    out = [Outcome(light.pk, reference.pk, str(reference), "read", f"reading {base.number}")]
    layout = reading_from_json(base.data).layout.slug
    for camera in cameras:
        begun = done
        made = _match(light, camera, tell, layout)
        if made.outcome == "no_chart":
            made = _by_scene(light, camera, within(begun), made.text)
        out.append(made)
        done = begun + 3
    for camera in without:
        text = f"{light.name} has no chart clip of {camera}."
        out.append(_by_scene(light, camera, within(done), text))
        done += 3
    return out


def _holds(light: Light, camera: Camera, match: Match) -> Outcome:
    return Outcome(
        light.pk, camera.pk, str(camera), "kept", f"match {match.number} holds",
        match.facts.get("expected"),
    )  # fmt: skip


def _has_clips(light: Light, camera: Camera) -> bool:
    return Clip.objects.filter(light=light, camera=camera).exists()


def _by_scene(
    light: Light, camera: Camera, progress: Callable[[float, str], None], why: str
) -> Outcome:
    """Match a camera from the picture, where no chart can be read; `why` says what there was."""
    current = selectors.current_match(light.pk, camera)
    if current is not None and not _is_behind(light, camera, current):
        return _holds(light, camera, current)
    pairs = from_scene.clip_pairs(light, camera)
    if not pairs:
        return Outcome(light.pk, camera.pk, str(camera), "no_chart", why)
    request = from_scene.request_of(current, current.number if current else 0)
    try:
        match = from_scene.match_clips(pairs, request, progress)
    except ColourError as error:
        return Outcome(light.pk, camera.pk, str(camera), "failed", f"{why} {error}")
    except ConflictError as error:
        return Outcome(light.pk, camera.pk, str(camera), "failed", f"{error.detail} {error.hint}")
    seen = match.facts["scene"]
    told = (
        f"{seen['places']} places, {seen['overlap']:.0%} in common"
        if "places" in seen else f"match {match.number}"
    )  # fmt: skip
    return Outcome(
        light.pk, camera.pk, str(camera), "from_picture",
        f"{request.words}: {told}. {why}", match.facts["expected"],
    )  # fmt: skip


def _is_behind(light: Light, camera: Camera, match: Match) -> bool:
    """Say whether what a match of a cell without a chart stands on has changed since."""
    if not selectors.of_scene(match):
        return selectors.is_stale(camera, match, None, None)
    return _has_moved(light, match)


def _has_moved(light: Light, match: Match) -> bool:
    clips = Clip.objects.filter(light=light).select_related("camera")
    return selectors.scene_moved(match, clips)


def _match(
    light: Light, camera: Camera, tell: Callable[[str], None], layout: str | None
) -> Outcome:
    own = _read(light, camera, tell, layout)
    if not isinstance(own, ChartReading):
        return own
    base = selectors.latest_reading(light.pk, camera.production.reference_camera_id or 0)
    current = selectors.current_match(light.pk, camera)
    if current is not None and not (
        selectors.is_stale(camera, current, own, base) or _has_moved(light, current)
    ):
        return _holds(light, camera, current)
    tell(f"Fitting {camera}")
    # What a person chose for the match before holds for this one.
    request = services.request_of(current, base_number=current.number if current else 0)
    try:
        match = services.fit(light=light, camera=camera, request=request)
    except ColourError as error:
        return Outcome(light.pk, camera.pk, str(camera), "failed", str(error))
    except ConflictError as error:
        return Outcome(light.pk, camera.pk, str(camera), "failed", f"{error.detail} {error.hint}")
    encoding_checks.start_where_doubtful(match)
    scene_checks.start_unasked(match)
    return Outcome(
        light.pk,
        camera.pk,
        str(camera),
        "matched",
        f"match {match.number}",
        match.facts["expected"],
    )


def _chart_clip(light: Light, camera: Camera) -> Clip | None:
    clips = Clip.objects.filter(light=light, camera=camera, kind=Clip.Kind.CHART)
    return clips.select_related("camera__production", "light").order_by("id").first()


def _fresh(light: Light, camera: Camera) -> ChartReading | None:
    """Return the newest reading, where it was made as the camera says now."""
    row = selectors.latest_reading(light.pk, camera.pk)
    return row if row and selectors.holds(row) else None


def _read(
    light: Light, camera: Camera, tell: Callable[[str], None], slug: str | None
) -> ChartReading | Outcome:
    """Return the reading that holds, or a new one, or why there is none."""
    row = _fresh(light, camera)
    if row is not None:
        return row
    clip = _chart_clip(light, camera)
    if clip is None:
        text = f"There is no chart clip of {camera} in {light.name}. Bring one in."
        return Outcome(light.pk, camera.pk, str(camera), "no_chart", text)
    before = selectors.latest_reading(light.pk, camera.pk)
    try:
        if before is not None:
            # Only what it is taken as has changed: the chart is where it was.
            tell(f"Reading {camera} as {before.clip.encoding} {before.clip.levels}")
            return readings.read_again(before)
        layout = readings.layout_for(camera.production, slug or "chart-24")
        tell(f"Looking for the chart in {clip.name}")
        found = readings.find(clip, layout=layout).detection
        if not found.orientation_certain:
            text = f"The chart in {clip.name} may be upside down: look at it in Chart."
            return Outcome(light.pk, camera.pk, str(camera), "asked", text)
        tell(f"Reading {clip.name}")
        return readings.read(clip, found.corners.tolist(), found_by="search", layout=layout)
    except ChartError as error:
        return Outcome(light.pk, camera.pk, str(camera), "no_chart", str(error))
    except ColourError as error:
        return Outcome(light.pk, camera.pk, str(camera), "failed", str(error))
