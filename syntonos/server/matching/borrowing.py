"""Matches for lights without a chart: taken over from other lights, ranked and marked."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from syntonos.core.chain import Decode, Parts, chain_to_json, compose
from syntonos.core.chain.document import Match as MatchStage
from syntonos.core.errors import FitError
from syntonos.core.matching.pooled import carried_error, general_match
from syntonos.server.matching import evidence, selectors
from syntonos.server.matching.models import Match
from syntonos.server.matching.services import append, other_pairs
from syntonos.server.productions.models import Camera, Light


@dataclass(frozen=True, slots=True)
class Neighbour:
    """A match that a light without a chart could take over."""

    kind: str  # "same lamps", "nearest", "general"
    light: Light | None  # where it comes from; None for the pair's general matrix
    match: Match | None
    expected: float | None  # what it left on other lights' charts, in the mean; None if unknown
    why: str


def neighbours(light: Light, camera: Camera) -> list[Neighbour]:
    """Return where a light without a chart of its own may take its match from, the best first.

    The same lamps come first (lights with the same conditions), then the others, the nearest on
    the Board first, then the pair's general matrix. Each is tried on the charts of the lights
    that it was not made from.
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
        out.append(Neighbour(kind, other, row, tried(selectors.stage_of(row), {other.pk}), why))
    if len(sources) > 1:
        general = general_match([selectors.stage_of(row) for _, row in sources])
        count = f"the mean of {len(sources)} lights' matches"
        out.append(Neighbour("general", None, None, tried(general, set()), count))
    return out


def borrow(*, light: Light, camera: Camera, source_id: int | None, base_number: int) -> Match:
    """Take another light's match over, or the pair's general matrix, marked as borrowed."""
    reference = camera.production.reference_camera
    own = [selectors.latest_reading(light.pk, who.pk) for who in (camera, reference) if who]
    if all(own):
        raise FitError(
            f"{light.name} has charts of its own.", hint="Fit to them instead.",
            code="fit.has_chart",
        )  # fmt: skip
    found = neighbours(light, camera)
    chosen = next((n for n in found if (n.light.pk if n.light else None) == source_id), None)
    if chosen is None:
        raise FitError(
            f"{camera} has no match there that could be taken over.",
            hint="Read a chart in one light first.", code="fit.no_neighbours",
        )  # fmt: skip
    rows = [n.match for n in found if n.match is not None]
    source = chosen.match or rows[0]
    stage = (
        selectors.stage_of(source) if chosen.match
        else general_match([selectors.stage_of(row) for row in rows])
    )  # fmt: skip
    chain = compose(Parts(Decode(camera.encoding, camera.levels), match=stage))
    where = chosen.light.name if chosen.light else "all lights"
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
