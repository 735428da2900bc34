"""Whether scenes agree with a match from charts, and how two drift apart: kept with the match."""

from __future__ import annotations

from dataclasses import asdict
from typing import Any, Final

import numpy as np
from django.conf import settings

from syntonos.core.errors import FitError
from syntonos.core.matching.by_places import are_enough
from syntonos.core.matching.drift import DriftPoint, drift_over
from syntonos.core.matching.places import Places
from syntonos.core.matching.report import colours_to_json
from syntonos.core.matching.scene_check import check_by_scene
from syntonos.server.footage.models import Clip
from syntonos.server.jobs import services as jobs
from syntonos.server.jobs.models import Job
from syntonos.server.jobs.services import Progress
from syntonos.server.matching.from_scene import clip_pairs, places_over
from syntonos.server.matching.models import Match, SceneCheck
from syntonos.server.matching.seen_places import seen_in
from syntonos.server.matching.selectors import of_scene, stage_of
from syntonos.server.matching.steadying import seen_as

KIND: Final = "check-scene"
_POINTS: Final = 13  # of the drift


def start(match: Match, reference: Clip, clip: Clip) -> Job:
    """Queue the check of a match by two scenes of its light, and how the two drift apart in them.

    A match from the scenes themselves is not judged by them; only the drift is looked at.

    Raises
    ------
    FitError
        check.values for a match to a table or published values: that is not to look as the
        reference's scene does.
    """
    if match.facts["kind"] == "values":
        raise FitError(
            f"Match {match.number} is to values, not to the reference camera.",
            hint="Fit to the reference's chart: then they can be compared.", code="check.values",
        )  # fmt: skip
    letter, where = match.camera.letter, match.light.name
    title = (
        f"Follow the drift of {letter} in {where}" if of_scene(match)
        else f"Compare {letter}'s match with the scene in {where}"
    )  # fmt: skip
    arguments = {"match_id": match.pk, "clips": [reference.pk, clip.pk]}
    return jobs.start(match.camera.production, KIND, title, arguments)


def start_unasked(match: Match) -> None:
    """Queue the same for a match to the reference's chart, with the first scenes of its light.

    What a person did not ask for fails without a word, where the scenes show different things.
    """
    pairs = clip_pairs(match.light, match.camera)
    if not pairs or match.facts["kind"] != "chart" or not settings.COMPARES_UNASKED:
        return
    base, own = pairs[0]
    title = f"Compare {match.camera.letter}'s match with the scene in {match.light.name}"
    arguments = {"match_id": match.pk, "clips": [base.pk, own.pk], "unasked": True}
    jobs.start(match.camera.production, KIND, title, arguments, is_asked=False)


def run_job(arguments: dict[str, Any], progress: Progress) -> dict[str, Any]:
    """Check a match; arguments: match_id, clips (reference and angle), unasked."""
    match = Match.objects.get(pk=arguments["match_id"])
    rows = Clip.objects.select_related("camera__production", "light")
    base, own = (rows.get(pk=pk) for pk in arguments["clips"])
    is_asked = not arguments.get("unasked", False)
    try:
        moments = places_over([(base, own)], progress, moments=0 if is_asked else 1)
    except FitError as error:
        if is_asked:
            raise
        return {"agrees": None, "words": error.message}
    progress(0.9, "Following what both show")
    found = check_by_scene(
        stage_of(match), [(frame, places) for places, frame in moments],
        _drift(match, base, own, *moments[0]), by_chart=not of_scene(match),
    )  # fmt: skip
    steadies = found.agrees and not of_scene(match) and are_enough(found.colours)
    data = asdict(found) | seen_as(base, own) | {
        "colours": colours_to_json(found.colours) if steadies else None,
    }  # fmt: skip
    SceneCheck.objects.update_or_create(match=match, defaults={"data": data})
    return {"agrees": found.agrees, "words": found.words}


def _drift(
    match: Match, base: Clip, own: Clip, places: Places, first: int
) -> tuple[DriftPoint, ...]:
    """Return how the two drift apart, from the frame of the places on, in frames over the clip."""
    last = min(base.frame_count, own.frame_count) - 1
    others = sorted({round(f) for f in np.linspace(0, last, _POINTS)} - {first})
    frames = ((f, seen_in(base, f)[0], seen_in(own, f)[0]) for f in (first, *others))
    return tuple(sorted(drift_over(stage_of(match), places, frames), key=lambda p: p.frame))
