"""The tuner on what is on screen: from the light's charts, from areas, or from statistics."""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import Any

import numpy as np
from django.shortcuts import get_object_or_404
from numpy.typing import NDArray

from syntonos.core.chain import EncodingOutput, Overrides, compose
from syntonos.core.chain import Trim as TrimStage
from syntonos.core.chain.executor import execute
from syntonos.core.chain.stages.trim import MOST_REACH, NEUTRAL, USUAL_REACH, ColourPair, added
from syntonos.core.chain.trim_maps import least_reach
from syntonos.core.charts.reading import triple
from syntonos.core.errors import MediaError
from syntonos.core.matching.metric import scene_delta_e
from syntonos.core.matching.pair_effect import PairEffect, effect_of_pairs
from syntonos.core.matching.tuner import Tuner, tuner_fitted, tuner_of_pictures
from syntonos.server.footage.frames import frame_of
from syntonos.server.footage.models import Clip
from syntonos.server.matching import selectors, trims
from syntonos.server.matching.chains import InForce
from syntonos.server.matching.trims_schemas import MeasureIn, PlaceIn
from syntonos.server.productions.models import Camera, Light

_WIDTH = 480
_SPREAD = 0.004  # of a place's mean, code values of the working log
_LIGHT = EncodingOutput("linear/ap1")
_WORDS = {
    "areas": "{count} areas that were marked in both pictures",
    "picture": "statistics of both pictures: an estimate only, right as far as both show the "
    "same things in like shares",
}


@dataclass(frozen=True, slots=True)
class Measured:
    """What the tuner says, on what it was measured, and what else it could be measured on."""

    tuner: Tuner | None
    source: str | None
    words: str
    sources: list[str]
    pairs: PairEffect | None  # what the trim's pairs do beside their own colours


def measure(light: Light, camera: Camera, clip: Clip | None, body: MeasureIn) -> Measured:
    """Measure how far the angle's picture is off the reference's, after match and trim."""
    assert clip is not None  # noqa: S101 - the API asks for one
    in_force = InForce(camera.production, light.pk)
    match = in_force.matches.get((light.pk, camera.pk)) if body.with_match else None
    trim = _trim(light, camera, clip, body) if body.with_match else NEUTRAL
    reference = camera.production.reference_camera
    own = selectors.latest_reading(light.pk, camera.pk)
    base = selectors.latest_reading(light.pk, reference.pk) if reference else None
    has_chart = (
        own is not None and base is not None and selectors.same_chart(base, own)
        and not (match is not None and selectors.is_borrowed(match))
    )  # fmt: skip
    sources = [
        name for name, there in
        (("areas", bool(body.areas)), ("chart", has_chart), ("picture", True)) if there
    ]  # fmt: skip
    pairs = effect_of_pairs(trim)
    source = body.source if body.source in sources else sources[0]
    if source == "chart":
        assert own is not None  # noqa: S101 - it is among the sources
        assert base is not None  # noqa: S101
        tuner = selectors.tuner_through(base, own, match, trim)
        where = "this clip" if own.clip_id == clip.pk else f"of {own.clip}, same light"
        return Measured(tuner, source, f"the chart, {where}", sources, pairs)
    want, got = _pictures(clip, body, in_force)
    if source == "areas":
        rows = [[_area(picture, area, side) for area in body.areas]
                for picture, side in ((want, "reference"), (got, "angle"))]  # fmt: skip
        first, second = (np.array(side) for side in rows)
        tuner = tuner_fitted(first, second, _SPREAD)
        words = _WORDS[source].format(count=len(body.areas))
        return Measured(tuner, source, words, sources, pairs)
    flat = [picture[::3, ::3].reshape(-1, 3) for picture in (want, got)]
    return Measured(tuner_of_pictures(flat[0], flat[1]), source, _WORDS[source], sources, pairs)


@dataclass(frozen=True, slots=True)
class Compared:
    """One thing in both pictures: how far the angle is off there, and what a pair would be of.

    reference, angle : scene-linear AP1 after match and trim
    pair : the angle's and the reference's AP1 where the trim's pairs begin
    """

    reference: list[float]
    angle: list[float]
    delta_e: float
    stops: float
    warmth: float  # mired
    tint: float  # Duv x 1000
    pair: list[list[float]]
    reach: float  # that such a pair takes: what it needs, and not less than usual


def compare_places(light: Light, camera: Camera, clip: Clip | None, body: MeasureIn
                   ) -> list[Compared]:  # fmt: skip
    """Compare areas that were marked in both pictures, each by itself."""
    assert clip is not None  # noqa: S101 - the API asks for one
    in_force = InForce(camera.production, light.pk)
    want, got = _pictures(clip, body, in_force)
    trim = _trim(light, camera, clip, body)
    bare = body.model_copy(update={
        "trim": replace(trim, pairs=(), detail=NEUTRAL.detail), "clip_trim": NEUTRAL,
    })  # fmt: skip
    _, before = _pictures(clip, bare, in_force)
    out = []
    for area in body.areas:
        first, second = _area(want, area, "reference"), _area(got, area, "angle")
        off = tuner_fitted(first[None], second[None], _SPREAD, only_white=True)
        # Light of 1 is a white of 100 %: both are seen under the reference's own white.
        distance = float(scene_delta_e(second[None], first[None], np.ones(3))[0])
        pair = [_area(before, area, "angle").tolist(), first.tolist()]
        least = least_reach(ColourPair(triple(pair[0]), triple(pair[1])))
        reach = min(max(USUAL_REACH, round(least + 0.005, 4)), MOST_REACH)
        out.append(Compared(first.tolist(), second.tolist(), distance, off.exposure, off.warmth,
                            off.tint, pair, reach))  # fmt: skip
    return out


def _trim(light: Light, camera: Camera, clip: Clip, body: MeasureIn) -> TrimStage:
    own = body.trim or trims.stage_of(trims.trim_of(light, camera))
    more = body.clip_trim or trims.stage_of(trims.trim_of(light, camera, clip))
    return own if more == NEUTRAL else added(own, more)


def _pictures(clip: Clip, body: MeasureIn, in_force: InForce) -> list[NDArray[np.float64]]:
    rows = Clip.objects.select_related("camera__production", "light")
    base = get_object_or_404(
        rows, pk=body.reference_clip_id, light=clip.light,
        camera=in_force.production.reference_camera,
    )  # fmt: skip
    off: Any = frozenset() if body.with_match else frozenset({"match", "trim"})
    out = []
    for one, frame, more in (
        (base, body.reference_frame, {}),
        (clip, body.frame, {"trim": body.trim, "clip_trim": body.clip_trim, "off": off}),
    ):
        if not 0 <= frame < one.frame_count:
            raise MediaError(f"{one} has no frame {frame + 1}.", hint="Choose one that it has.",
                             code="media.frame")  # fmt: skip
        overrides = Overrides(until="trim", output=_LIGHT, **more)
        chain = compose(in_force.parts_of(one), overrides)
        picture = execute(chain, frame_of(one, frame, _WIDTH), number=frame)
        out.append(np.asarray(picture, np.float64))
    return out


def _area(picture: NDArray[np.float64], area: PlaceIn, side: str) -> NDArray[np.float64]:
    """Return the mean of a round area, without what lies far from its middle value."""
    height, width = picture.shape[:2]
    x, y = getattr(area, side)
    half = max(area.size * width / 2, 0.7)
    rows, columns = np.ogrid[:height, :width]
    inside = (columns + 0.5 - x * width) ** 2 + (rows + 0.5 - y * height) ** 2 <= half**2
    pixels = picture[inside]
    if not len(pixels):
        raise MediaError("An area lies outside of its picture.", hint="Mark it inside.",
                         code="area.outside")  # fmt: skip
    return np.asarray(np.median(pixels, axis=0) if len(pixels) < 5 else _middle(pixels), np.float64)


def _middle(pixels: NDArray[np.float64]) -> NDArray[np.float64]:
    order = np.argsort(pixels.sum(axis=1))
    cut = len(order) // 5
    return np.asarray(pixels[order[cut : len(order) - cut]].mean(axis=0), np.float64)
