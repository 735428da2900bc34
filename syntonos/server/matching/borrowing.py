"""Matches for lights without a chart: taken over from other lights, ranked and marked."""

from __future__ import annotations

import itertools
from collections import OrderedDict
from dataclasses import dataclass
from typing import Any, Final

import numpy as np
from numpy.typing import NDArray

from syntonos.core.chain import Decode, Parts, chain_to_json, compose
from syntonos.core.chain.document import Match as MatchStage
from syntonos.core.errors import ColourError, FitError
from syntonos.core.matching.pooled import (
    carried_error,
    general_match,
    scene_white,
    share_between,
)
from syntonos.server.footage.models import Clip
from syntonos.server.matching import evidence, selectors
from syntonos.server.matching.models import Match
from syntonos.server.matching.seen_places import seen_in
from syntonos.server.matching.services import append, other_pairs
from syntonos.server.productions.models import Camera, Light


@dataclass(frozen=True, slots=True)
class Neighbour:
    """A match that a light without a chart could take over."""

    kind: str  # "same lamps", "nearest", "between", "general"
    light: Light | None  # where it comes from; None for what is made of several
    match: Match | None
    expected: float | None  # what it left on other lights' charts, in the mean; None if unknown
    why: str
    stage: MatchStage


# Shares of the way between two lights, nearer than which to either the one alone is as good.
_LEAST_SHARE: Final = 0.1


def neighbours(light: Light, camera: Camera) -> list[Neighbour]:
    """Return where a light without a chart of its own may take its match from, the best first.

    The same lamps come first (lights with the same conditions), then the others, the nearest on
    the Board first, then what lies between two of them by this light's white, then the pair's
    general matrix. Each is tried on the charts of the lights that it was not made from.
    """
    lights = list(camera.production.lights.all())
    at = {row.pk: k for k, row in enumerate(lights)}
    sources = []
    in_force = {row.light_id: row for row in selectors.matches_in_force(camera)}
    for other in lights:
        row = in_force.get(other.pk)
        if other.pk == light.pk or row is None or selectors.is_borrowed(row):
            continue
        if row.angle_reading is None:  # of this scene and no other: what it is worth is not tried
            continue
        if selectors.holds(row.angle_reading):
            sources.append((other, row))
    pairs = other_pairs(light, camera)

    def tried(stage: MatchStage, apart_from: set[int]) -> float | None:
        errors = [carried_error(stage, r, a) for where, r, a in pairs if where.pk not in apart_from]
        return float(np.mean(errors)) if errors else None

    def same(other: Light) -> bool:
        words = [row.conditions.strip().casefold() for row in (light, other)]
        return bool(words[0]) and words[0] == words[1]

    out = []
    for other, row in sorted(
        sources, key=lambda s: (not same(s[0]), abs(at[s[0].pk] - at[light.pk]))
    ):
        why = "the same conditions are written for it" if same(other) else (
            "next to it on the Board" if abs(at[other.pk] - at[light.pk]) == 1 else "another light"
        )  # fmt: skip
        kind = "same lamps" if same(other) else "nearest"
        stage = selectors.stage_of(row)
        out.append(Neighbour(kind, other, row, tried(stage, {other.pk}), why, stage))
    if len(sources) > 1:
        stages = [selectors.stage_of(row) for _, row in sources]
        found = _between(light, camera, [other for other, _ in sources])
        if found is not None:
            (i, j), share = found
            stage = general_match([stages[i], stages[j]], [1 - share, share])
            first, second = sources[i][0], sources[j][0]
            why = f"{share:.0%} of the way from {first.name} to {second.name}, by white"
            out.append(Neighbour("between", None, None, tried(stage, {first.pk, second.pk}), why,
                                 stage))  # fmt: skip
        general = general_match(stages)
        count = f"the mean of {len(sources)} lights' matches"
        out.append(Neighbour("general", None, None, tried(general, set()), count, general))
    return out


def _between(
    light: Light, camera: Camera, others: list[Light]
) -> tuple[tuple[int, int], float] | None:
    """Return between which two lights this one lies by white, and how far along; None if none."""
    scenes = _first_scenes(camera, [light, *others])
    here, *whites = (_white(scenes, row, camera) for row in (light, *others))
    if here is None:
        return None
    best: tuple[float, tuple[int, int], float] | None = None
    for i, j in itertools.combinations(range(len(others)), 2):
        one, other = whites[i], whites[j]
        if one is None or other is None:
            continue
        share = share_between(one, other, here)
        off = float(np.linalg.norm(one + share * (other - one) - here))
        if _LEAST_SHARE < share < 1 - _LEAST_SHARE and (best is None or off < best[0]):
            best = off, (i, j), share
    return None if best is None else best[1:]


_MOST_KEPT: Final = 256
_whites: OrderedDict[tuple[Any, ...], NDArray[np.float64]] = OrderedDict()


def _first_scenes(camera: Camera, lights: list[Light]) -> dict[tuple[int, int], Clip]:
    """Return the first scene of a camera and of the reference in each light."""
    who = [camera.production.reference_camera_id, camera.pk]
    rows = Clip.objects.filter(
        light__in=lights, camera__in=who, kind=Clip.Kind.SCENE
    ).select_related("camera__production").order_by("-id")  # fmt: skip
    return {(clip.light_id, clip.camera_id): clip for clip in rows}


def _white(
    scenes: dict[tuple[int, int], Clip], light: Light, camera: Camera
) -> NDArray[np.float64] | None:
    """Return a light's white as reference and angle recorded it in their first scenes there."""
    who = (camera.production.reference_camera_id, camera.pk)
    clips = [scenes[light.pk, pk] for pk in who if pk is not None and (light.pk, pk) in scenes]
    if len(clips) < len(who):
        return None
    parts = []
    for clip in clips:
        key = clip.checksum, clip.development_key, clip.taken_as
        if key not in _whites:
            try:
                _whites[key] = scene_white(seen_in(clip, 0)[0][::4, ::4])
            except ColourError:  # missing or broken: said elsewhere
                return None
            while len(_whites) > _MOST_KEPT:
                _whites.popitem(last=False)
        parts.append(_whites[key])
    return np.concatenate(parts)


def borrow(
    *, light: Light, camera: Camera, source_id: int | None, base_number: int, kind: str = "general"
) -> Match:
    """Take another light's match over, marked as borrowed.

    Without a light it is what lies between two of them, or the pair's general matrix, by `kind`.
    """
    reference = camera.production.reference_camera
    own = [selectors.latest_reading(light.pk, who.pk) for who in (camera, reference) if who]
    if all(own):
        raise FitError(
            f"{light.name} has charts of its own.", hint="Fit to them instead.",
            code="fit.has_chart",
        )  # fmt: skip
    found = neighbours(light, camera)
    chosen = next(
        (n for n in found if (n.light.pk if n.light else None) == source_id
         and (n.light is not None or n.kind == kind)), None,
    )  # fmt: skip
    if chosen is None:
        raise FitError(
            f"{camera} has no match there that could be taken over.",
            hint="Read a chart in one light first.", code="fit.no_neighbours",
        )  # fmt: skip
    rows = [n.match for n in found if n.match is not None]
    source = chosen.match or rows[0]
    stage = chosen.stage
    chain = compose(Parts(Decode(camera.encoding, camera.levels), match=stage))
    where = (
        chosen.light.name if chosen.light
        else "two lights" if chosen.kind == "between" else "all lights"
    )  # fmt: skip
    facts = source.facts | {
        "borrowed": {"kind": chosen.kind, "from": where, "why": chosen.why},
        "expected": chosen.expected, "expected_low": None, "expected_high": None,
        "expected_kinds": None,
        "before": None, "residuals": [], "models": [], "advice": [], "areas": [], "weights": [],
        "stops": stage.stops, "limit": "", "model": "matrix",
        "warnings": [], "pairs": [],
    }  # fmt: skip
    match = Match(
        light=light, camera=camera, reference=camera.production.reference_camera,
        reference_reading=source.reference_reading, angle_reading=source.angle_reading,
        chain=chain_to_json(chain), evidence=evidence.written("borrowed", facts),
    )  # fmt: skip
    return append(match, base_number, "match.borrow")
