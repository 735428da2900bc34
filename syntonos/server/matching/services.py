"""Reading charts and fitting matches."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import Any

import numpy as np
from django.db import models, transaction

from syntonos.core.chain import Chain, Decode, Output, chain_to_json, compile_chain, run
from syntonos.core.chain.readback import display_lab
from syntonos.core.charts import Detection, find_chart, read_chart
from syntonos.core.colorimetry import delta_e_2000
from syntonos.core.encodings import find_encoding
from syntonos.core.errors import ChartError, FitError
from syntonos.core.matching import (
    AVERAGED,
    FitOptions,
    MatchFit,
    fit_match,
    fit_to_json,
    reading_from_json,
    reading_to_json,
)
from syntonos.core.matching.encoding_check import EncodingCheck, check_encoding
from syntonos.core.matching.menu import MenuValues, camera_menu
from syntonos.server.api.errors import ConflictError
from syntonos.server.footage.frames import frame_of
from syntonos.server.footage.models import Clip
from syntonos.server.matching import selectors
from syntonos.server.matching.models import ChartReading, Match
from syntonos.server.productions.models import Camera, Light

_MOST_FRAMES = 12
_PREVIEW_WIDTH = 480


def _chosen(clip: Clip, frames: Sequence[int] | None) -> list[int]:
    chosen = list(frames) if frames else list(range(min(clip.frame_count, _MOST_FRAMES)))
    if not chosen or min(chosen) < 0 or max(chosen) >= clip.frame_count:
        raise ChartError(
            f"{clip.name} has {clip.frame_count} frames.", hint="Choose frames of the clip.",
            code="chart.frames",
        )  # fmt: skip
    return sorted(set(chosen))[:_MOST_FRAMES]


def find(clip: Clip, frames: Sequence[int] | None = None) -> Detection:
    """Look for the chart in a clip; nothing is stored."""
    stack = [frame_of(clip, i) for i in _chosen(clip, frames)]
    return find_chart(np.mean(stack, axis=0, dtype=np.float32))


def read(
    clip: Clip,
    corners: Sequence[Sequence[float]],
    *,
    found_by: str,
    frames: Sequence[int] | None = None,
) -> ChartReading:
    """Read the chart at its corners and keep the reading as the clip's newest."""
    chosen = _chosen(clip, frames)
    reading = read_chart(
        [frame_of(clip, i) for i in chosen], corners, find_encoding(clip.camera.encoding),
        levels=clip.camera.levels,
    )  # fmt: skip
    with transaction.atomic():
        last = clip.readings.aggregate(models.Max("number"))["number__max"] or 0
        return ChartReading.objects.create(
            clip=clip, number=last + 1, frames=chosen, found_by=found_by,
            encoding=reading.encoding, levels=reading.levels, data=reading_to_json(reading),
        )  # fmt: skip


@dataclass(frozen=True, slots=True)
class FitRequest:
    """What a person asked for, and on which revision it stands."""

    model: str = AVERAGED
    leave_out: tuple[int, ...] = ()
    weights: tuple[tuple[int, float], ...] = ()  # patch (from 1) and weight
    base_number: int = 0  # the newest revision the person saw; 0 where there was none


def _append(match: Match, base_number: int) -> Match:
    """Store a match as the newest and current revision, if its base still is the newest."""
    with transaction.atomic():
        rows = Match.objects.filter(
            light=match.light, camera=match.camera, reference=match.reference
        )
        last = rows.aggregate(models.Max("number"))["number__max"] or 0
        if last != base_number:
            raise ConflictError(
                "match.stale_base",
                f"This was made on revision {base_number}, but revision {last} is there now.",
                "Look at the newer revision, then do it again.",
                base=base_number, newest=last,
            )  # fmt: skip
        rows.filter(is_current=True).update(is_current=False)
        match.number, match.is_current = last + 1, True
        match.save(force_insert=True)
    return match


def _both_readings(light: Light, camera: Camera) -> tuple[ChartReading, ChartReading]:
    """Return the newest readings of the reference and of a camera, as the cameras say now."""
    reference = camera.production.reference_camera
    if reference is None or reference.pk == camera.pk:
        raise FitError(
            f"{camera} is the reference camera: the others are matched to it.",
            hint="Choose another camera, or another reference.", code="fit.reference",
        )  # fmt: skip
    readings = {who.pk: selectors.latest_reading(light.pk, who.pk) for who in (reference, camera)}
    for who in (reference, camera):
        if readings[who.pk] is None:
            raise FitError(
                f"There is no chart reading of {who} in {light.name}.",
                hint="Open the Chart and read it first.", code="fit.no_reading",
            )  # fmt: skip
        reading = readings[who.pk]
        if reading and (reading.encoding, reading.levels) != (who.encoding, who.levels):
            raise FitError(
                f"The reading of {who} was made as {reading.encoding} {reading.levels}, the camera "
                f"now says {who.encoding} {who.levels}.",
                hint="Read its chart again.", code="fit.other_encoding",
            )  # fmt: skip
    base, own = readings[reference.pk], readings[camera.pk]
    assert base is not None and own is not None  # noqa: S101, PT018 - checked above
    return base, own


def check(light: Light, camera: Camera) -> EncodingCheck:
    """Say which encodings the charts of a camera and of the reference speak for."""
    base, own = _both_readings(light, camera)
    return check_encoding(reading_from_json(base.data), reading_from_json(own.data))


def menu(light: Light, camera: Camera, *, step: float, most: int, sign: int) -> MenuValues:
    """Return the match in force as values for the camera's own colour menu."""
    current = selectors.current_match(light.pk, camera)
    if current is None:
        raise FitError(
            f"{camera} has no match in {light.name} yet.",
            hint="Read the charts and fit first.", code="menu.no_match",
        )  # fmt: skip
    reading = reading_from_json(current.angle_reading.data)
    return camera_menu(reading, selectors.stage_of(current), step=step, most=most, sign=sign)


@dataclass(frozen=True, slots=True)
class Change:
    """What another fit would change of the match in force, nothing being stored."""

    expected: float  # delta E off the chart, by the other fit
    expected_now: float | None
    clips: list[dict[str, Any]]  # name, mean, most: display delta E of the first frame
    files: list[str]  # that left with the match in force, and would be old


def _found(base: ChartReading, own: ChartReading, request: FitRequest) -> MatchFit:
    options = FitOptions(request.model, request.leave_out, request.weights)
    return fit_match(reading_from_json(base.data), reading_from_json(own.data), options)


def preview(*, light: Light, camera: Camera, request: FitRequest) -> Change:
    """Say what a fit would change: by how much, in which clips, and which files it makes old."""
    base, own = _both_readings(light, camera)
    found = _found(base, own, request)
    current = selectors.current_match(light.pk, camera)
    if current is None:
        return Change(found.expected, None, [], [])
    display = camera.production.display
    now = selectors.chain_for(camera, current, display)
    programs = [compile_chain(c) for c in (now, replace(now, match=found.match))]
    clips = []
    for clip in Clip.objects.filter(light=light, camera=camera).order_by("kind", "id"):
        code = frame_of(clip, 0, _PREVIEW_WIDTH)
        before, after = (display_lab(run(p, code, threads=2)) for p in programs)
        change = delta_e_2000(before, after)
        clips.append({"name": clip.name, "mean": float(change.mean()),
                      "most": float(np.percentile(change, 99))})  # fmt: skip
    expected_now = current.evidence.get("expected")
    files = list(current.exports.order_by("-created").values_list("file_name", flat=True))
    return Change(found.expected, expected_now, clips, files)


def fit(*, light: Light, camera: Camera, request: FitRequest) -> Match:
    """Fit the camera to the reference in a light, as a new revision."""
    base, own = _both_readings(light, camera)
    # The fit stays outside the transaction: it takes a while and touches no rows.
    found = _found(base, own, request)
    chain = Chain(Decode(own.encoding, own.levels), Output(), match=found.match)
    asked = {"weights": request.weights, "asked": request.model}
    match = Match(
        light=light, camera=camera, reference=base.clip.camera, reference_reading=base,
        angle_reading=own,
        chain=chain_to_json(chain), evidence=fit_to_json(found) | asked,
    )  # fmt: skip
    return _append(match, request.base_number)


def restore(old: Match, *, base_number: int) -> Match:
    """Go back to an earlier revision: it becomes the newest, and nothing is lost."""
    again = Match(
        light=old.light, camera=old.camera, reference=old.reference,
        reference_reading=old.reference_reading, angle_reading=old.angle_reading, chain=old.chain,
        evidence=old.evidence, restored_from=old,
    )  # fmt: skip
    return _append(again, base_number)
