"""The tuner on what is on screen: from charts, from probes, from the skin, or from statistics."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import Any

import cv2
import numpy as np
from django.shortcuts import get_object_or_404
from numpy.typing import NDArray

from syntonos.core.chain import Overrides, read_balance
from syntonos.core.chain.compose import trim_of
from syntonos.core.chain.stages.trim import NEUTRAL
from syntonos.core.chain.trim_maps import on_hue_plane
from syntonos.core.errors import FitError
from syntonos.core.matching.by_places import alike, clusters_of
from syntonos.core.matching.pair_effect import PairEffect, effect_of_pairs
from syntonos.core.matching.places import WIDTH
from syntonos.core.matching.tuner import Tuner, taken_off, tuner_fitted, tuner_of_pictures
from syntonos.core.viewing import Asked, Subject, view
from syntonos.server.footage.models import Clip
from syntonos.server.footage.sources import ClipSource
from syntonos.server.looks.services import balance_stage
from syntonos.server.matching import aims, probes, probing, selectors
from syntonos.server.matching.chains import InForce
from syntonos.server.matching.models import Match, Probe
from syntonos.server.matching.probing import LIGHT, Apart, ClipProbed, Side, apart
from syntonos.server.matching.seen_places import places_of
from syntonos.server.matching.trims_schemas import LookedAtIn, MeasureIn, PointIn
from syntonos.server.productions.models import Camera, Light

_WIDTH = 480
_SPREAD_OF_PLACES = 0.01  # of a cluster of places, code values of the working log
_WORDS = {
    "areas": "{count} probes that both pictures have",
    "skin": "the skin in both pictures: exposure and white",
    "scene": "{count} matching places, that both pictures show, {overlap:.0%} of the reference's",
    "picture": "statistics of both pictures: an estimate only, right as far as both show the "
    "same things in like shares",
}


@dataclass(frozen=True, slots=True)
class Turn:
    """How far exposure (stops), warmth (mired) and tint of a trim have to be turned, all at once.

    White that is taken off is not its number with another sign, and takes light with it.
    """

    exposure: float
    warmth: float
    tint: float


@dataclass(frozen=True, slots=True)
class Measured:
    """What the tuner says, on what it was measured, and what else it could be measured on."""

    tuner: Tuner | None
    source: str | None
    words: str
    sources: list[str]
    aim: dict[str, float]  # where it should stand on purpose
    pairs: PairEffect | None  # what the trim's pairs do beside their own colours
    turn: Turn | None = None
    hues: dict[str, list[list[float]]] | None = None  # of both pictures, where they were asked for


class OnScreen:
    """Both pictures: their clips, what is in force for them, what is under the hand."""

    def __init__(self, light: Light, camera: Camera, clip: Clip, body: LookedAtIn) -> None:
        rows = Clip.objects.select_related("camera__production", "light")
        production = camera.production
        base = get_object_or_404(
            rows, pk=body.reference_clip_id, light=light, camera=production.reference_camera
        )
        self.clips = (base, clip)
        self.in_force = InForce(production, light.pk)
        self.parts = tuple(self.in_force.parts_of(one, output=body.output) for one in self.clips)
        over: dict[str, Any] = {
            "balance": read_balance(balance_stage(body.dials.dict())) if body.dials else None,
            "look": body.look,
        }
        off: frozenset[Any] = frozenset(body.off)
        if not body.with_match:
            off |= {"match", "trim"}
        self.overrides = (
            Overrides(off=frozenset(body.off) - {"match", "trim"}, **over),
            Overrides(off=off, trim=body.trim, clip_trim=body.clip_trim, **over),
        )  # fmt: skip

    def probed(self, places: Sequence[Sequence[probes.ProbePlace]]) -> list[ClipProbed]:
        """Return places of the reference's clip and of the angle's."""
        return [
            ClipProbed(*one)
            for one in zip(self.clips, self.parts, self.overrides, places, strict=True)
        ]

    def both(self, rows: Sequence[Probe]) -> list[tuple[Probe, list[probes.ProbePlace]]]:
        """Return the probes that both clips have a place of."""
        out = []
        for row in rows:
            found = [probes.place_in(row, clip) for clip in self.clips]
            if found[0] and found[1]:
                out.append((row, [found[0], found[1]]))
        return out


def measure(light: Light, camera: Camera, clip: Clip, body: MeasureIn) -> Measured:
    """Measure how far the angle's picture is off the reference's, after match and trim."""
    seen = OnScreen(light, camera, clip, body)
    found = _measured(light, camera, clip, body, seen)
    if found.tuner is not None:
        now = trim_of(seen.parts[1], seen.overrides[1]) or NEUTRAL
        off = taken_off(now, found.tuner, aim=Tuner(**found.aim))
        turn = Turn(off.stops - now.stops, off.warmth - now.warmth, off.tint - now.tint)
        found = replace(found, turn=turn)
    if not body.with_hues:
        return found
    spots = [on_hue_plane(picture[4::9, 4::9].reshape(-1, 3)).round(4).tolist()
             for picture in _pictures(seen, body)]  # fmt: skip
    return replace(found, hues={"reference": spots[0], "angle": spots[1]})


def _measured(
    light: Light, camera: Camera, clip: Clip, body: MeasureIn, seen: OnScreen
) -> Measured:  # fmt: skip
    match = seen.in_force.matches.get((light.pk, camera.pk)) if body.with_match else None
    trim = trim_of(seen.parts[1], seen.overrides[1]) or NEUTRAL
    reference = camera.production.reference_camera
    own = selectors.latest_reading(light.pk, camera.pk)
    base = selectors.latest_reading(light.pk, reference.pk) if reference else None
    has_chart = (
        own is not None and base is not None and selectors.same_chart(base, own)
        and not (match is not None and selectors.is_borrowed(match))
    )  # fmt: skip
    both = seen.both(probes.probes_of(light))
    skins = [one for one in both if one[0].is_skin]
    # Three seconds for a pair of frames are taken unasked only where the match stands on them too.
    rest = ["picture", "scene"]
    if match is not None and selectors.of_scene(match):
        rest.reverse()
    sources = [
        name for name, there in
        (("areas", bool(both)), ("chart", has_chart), ("skin", bool(skins)))
        if there
    ] + rest  # fmt: skip
    if has_chart and own is not None and own.clip_id != clip.pk and _is_contradicted(match, seen):
        # What is on screen is not in the chart's light: there the chart would say that all is well.
        sources.remove("scene")
        sources.insert(sources.index("chart"), "scene")
    pairs = effect_of_pairs(trim)
    aim = aims.summed(aims.rows_of(camera.production), light.pk, camera.pk)
    source = body.source if body.source in sources else sources[0]
    if source == "chart":
        assert own is not None  # noqa: S101 - it is among the sources
        assert base is not None  # noqa: S101
        tuner = selectors.tuner_through(base, own, match, trim)
        where = "this clip" if own.clip_id == clip.pk else f"of {own.clip}, same light"
        return Measured(tuner, source, f"the chart, {where}", sources, aim, pairs)
    if source in ("areas", "skin"):
        chosen = skins if source == "skin" else both
        want, got = (
            one.means(one.light_after("trim"))
            for one in seen.probed([[p[i] for _, p in chosen] for i in (0, 1)])
        )
        tuner = tuner_fitted(want, got, probing.SPREAD, only_white=source == "skin")
        words = _WORDS[source].format(count=len(chosen))
        return Measured(tuner, source, words, sources, aim, pairs)
    if source == "scene":
        return Measured(*_by_the_scene(seen, body), sources, aim, pairs)
    flat = [picture[::3, ::3].reshape(-1, 3) for picture in _pictures(seen, body)]
    tuner = tuner_of_pictures(flat[0], flat[1])
    return Measured(tuner, source, _WORDS[source], sources, aim, pairs)


def _is_contradicted(match: Match | None, seen: OnScreen) -> bool:
    """Say whether scenes, as they are taken now, speak against a match from charts."""
    check = selectors.scene_check_of(match, seen.clips) if match is not None else None
    return check is not None and not check["agrees"] and not check["is_old"]


@dataclass(frozen=True, slots=True)
class Probed:
    """What a probe says of the reference's clip, of the angle's, and of both together."""

    id: int
    number: int
    name: str
    is_skin: bool
    sides: list[Side | None]  # of the reference, of the angle
    apart: Apart | None
    clips: int  # how many clips have a place of it


def read_probes(light: Light, camera: Camera, clip: Clip, body: LookedAtIn) -> list[Probed]:
    """Read the probes that either picture has a place of, after every stage."""
    seen = OnScreen(light, camera, clip, body)
    rows = probes.probes_of(light)
    found: list[dict[int, probes.ProbePlace]] = [
        {row.pk: place for row in rows if (place := probes.place_in(row, one))}
        for one in seen.clips
    ]
    sides: list[dict[int, Side]] = []
    bare: dict[int, NDArray[np.float64]] = {}
    for one, places in zip(seen.probed([list(p.values()) for p in found]), found, strict=True):
        sides.append(dict(zip(places, one.sides(), strict=True)))
        bare = dict(zip(places, one.means(one.light_after("trim", bare=True)), strict=True))
    out = []
    for row in rows:
        want, got = (side.get(row.pk) for side in sides)
        if want is None and got is None:
            continue
        off = None
        if want is not None and got is not None:
            off = apart(np.array(want.light), np.array(got.light), bare[row.pk])
        out.append(Probed(row.pk, row.number, row.name, row.is_skin, [want, got], off,
                          len(row.places)))  # fmt: skip
    return out


def read_points(light: Light, camera: Camera, clip: Clip, body: LookedAtIn,
                points: Sequence[PointIn]) -> list[Side]:  # fmt: skip
    """Read points of the pictures, each in its one frame."""
    seen = OnScreen(light, camera, clip, body)
    return [_point(seen, point) for point in points]


def _point(seen: OnScreen, point: PointIn) -> Side:
    i = 0 if point.side == "reference" else 1
    place = probes.checked(seen.clips[i], probes.ProbePlace(point.frame, *point.at, point.size))
    return ClipProbed(seen.clips[i], seen.parts[i], seen.overrides[i], [place], 1).sides()[0]


def _pictures(seen: OnScreen, body: MeasureIn, width: int = _WIDTH) -> list[NDArray[np.float64]]:
    out = []
    for clip, parts, overrides, frame in zip(
        seen.clips, seen.parts, seen.overrides, (body.reference_frame, body.frame), strict=True
    ):
        probes.checked(clip, probes.ProbePlace(frame, 0.5, 0.5))
        asked = Asked(frame, width, picture=False, light=("trim",))
        seen_there = view(Subject(ClipSource(clip), parts), asked, overrides)
        out.append(np.asarray(seen_there.light["trim"], np.float64))
    return out


def _by_the_scene(seen: OnScreen, body: MeasureIn) -> tuple[Tuner | None, str, str]:
    """Measure on what both pictures show, found by itself; nothing where it is not one scene."""
    frames = (body.reference_frame, body.frame)
    try:
        places = places_of(*seen.clips, frames)
    except FitError as error:
        return None, "scene", f"{error.message} {error.hint}"
    lights = []
    for picture, at in zip(
        _pictures(seen, body, WIDTH), (places.at_reference, places.at_angle), strict=True
    ):
        height, width = picture.shape[:2]
        spots = (at * [width, height] - 0.5).astype(np.float32)[:, None]
        soft = cv2.blur(np.asarray(picture, np.float32), (5, 5))
        lights.append(cv2.remap(soft, spots, None, cv2.INTER_LINEAR)[:, 0].astype(np.float64))
    groups = clusters_of(*alike(*lights))
    tuner = tuner_fitted(groups.reference, groups.angle, _SPREAD_OF_PLACES)
    words = _WORDS["scene"].format(count=int(groups.count.sum()), overlap=places.overlap)
    return tuner, "scene", words


def _until_trim(overrides: Overrides) -> Overrides:
    return Overrides(
        off=overrides.off & {"match", "trim"}, until="trim", output=LIGHT, trim=overrides.trim,
        clip_trim=overrides.clip_trim,
    )  # fmt: skip
