"""Whether scenes agree with a match from charts: a job that is asked for, kept with the match."""

from __future__ import annotations

from dataclasses import asdict
from typing import Any, Final

from syntonos.core.errors import FitError
from syntonos.core.matching.scene_check import check_by_scene
from syntonos.server.footage.models import Clip
from syntonos.server.jobs import services as jobs
from syntonos.server.jobs.models import Job
from syntonos.server.jobs.services import Progress
from syntonos.server.matching.from_scene import places_over
from syntonos.server.matching.models import Match, SceneCheck
from syntonos.server.matching.selectors import of_scene, stage_of

KIND: Final = "check-scene"


def start(match: Match, reference: Clip, clip: Clip) -> Job:
    """Queue the check of a match by two scenes of its light.

    Raises
    ------
    FitError
        check.no_chart where the match itself is from the scene.
    """
    if of_scene(match):
        raise FitError(
            f"Match {match.number} is from the scene itself.", code="check.no_chart",
            hint="Read a chart and fit: then they can be compared.",
        )  # fmt: skip
    title = f"Compare {match.camera.letter}'s match with the scene in {match.light.name}"
    arguments = {"match_id": match.pk, "clips": [reference.pk, clip.pk]}
    return jobs.start(match.camera.production, KIND, title, arguments)


def run_job(arguments: dict[str, Any], progress: Progress) -> dict[str, Any]:
    """Check a match; arguments: match_id, clips (reference and angle)."""
    match = Match.objects.get(pk=arguments["match_id"])
    rows = Clip.objects.select_related("camera__production", "light")
    base, own = (rows.get(pk=pk) for pk in arguments["clips"])
    moments = places_over([(base, own)], progress)
    found = check_by_scene(stage_of(match), [(frame, places) for places, frame in moments])
    data = asdict(found) | {"names": [base.name, own.name]}
    SceneCheck.objects.update_or_create(match=match, defaults={"data": data})
    return {"agrees": found.agrees, "words": found.words}
