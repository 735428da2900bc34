"""Matches where nobody shot a chart: from what both cameras see, as a job and a revision."""

from __future__ import annotations

from dataclasses import asdict
from typing import Any, Final

import numpy as np

from syntonos.core.chain import Decode, Parts, chain_to_json, compose
from syntonos.core.errors import FitError
from syntonos.core.matching.by_places import PlacesFit, fit_places, joined
from syntonos.core.matching.fit import white_distance
from syntonos.core.matching.models import AVERAGED
from syntonos.core.matching.places import Places
from syntonos.server.footage.models import Clip
from syntonos.server.jobs import services as jobs
from syntonos.server.jobs.models import Job
from syntonos.server.jobs.services import Progress
from syntonos.server.matching.models import Match
from syntonos.server.matching.seen_places import places_of
from syntonos.server.matching.services import append
from syntonos.server.productions.models import Camera, Light

KIND: Final = "match-picture"
_PAIRS: Final = 3  # of frames, spread over the clips


def start(light: Light, camera: Camera, clip: Clip, reference: Clip, base_number: int) -> Job:
    """Queue a match of a camera in a light by a pair of its clips."""
    if camera.pk == reference.camera_id:
        raise FitError(
            f"{camera} is the reference camera: the others are matched to it.",
            hint="Choose another camera, or another reference.", code="fit.reference",
        )  # fmt: skip
    title = f"Match {camera.letter} in {light.name} from the picture"
    return jobs.start(camera.production, KIND, title, {
        "light_id": light.pk, "camera_id": camera.pk, "clip_id": clip.pk,
        "reference_clip_id": reference.pk, "base_number": base_number,
    })  # fmt: skip


def run_job(arguments: dict[str, Any], progress: Progress) -> dict[str, Any]:
    """Match by the picture; arguments: light_id, camera_id, clip_id, reference_clip_id."""
    rows = Clip.objects.select_related("camera__production__reference_camera", "light")
    own = rows.get(pk=arguments["clip_id"])
    base = rows.get(pk=arguments["reference_clip_id"])
    found, frames = _places(base, own, progress)
    progress(0.9, "Fitting")
    fit = fit_places(found)
    match = _kept(own, base, frames, found, fit, arguments["base_number"])
    return {"match": match.number, "expected": fit.expected}


def _places(base: Clip, own: Clip, progress: Progress) -> tuple[Places, list[list[int]]]:
    """Return the places of a few pairs of frames, and which pairs showed the same scene.

    Clips that began together are looked at in the same moments.
    """
    count = min(base.frame_count, own.frame_count)
    wanted = sorted({round(f) for f in np.linspace(0, count - 1, min(_PAIRS, count))})
    many, used, refused = [], [], None
    for number, frame in enumerate(wanted):
        progress(0.9 * number / len(wanted), f"What both see in frame {frame + 1}")
        try:
            many.append(places_of(base, own, (frame, frame)))
            used.append([frame, frame])
        except FitError as error:
            refused = error
    if not many:
        assert refused is not None  # noqa: S101 - a clip has a frame
        raise refused
    return joined(many), used


def _kept(
    own: Clip, base: Clip, frames: list[list[int]], places: Places, fit: PlacesFit, base_number: int
) -> Match:  # fmt: skip
    chain = compose(Parts(Decode(own.encoding, own.levels), match=fit.match))
    warmth, tint = white_distance(fit.match)
    evidence = {
        "match": asdict(fit.match), "model": AVERAGED, "asked": AVERAGED,
        "stops": fit.match.stops, "flare_share": 0.0, "warmth": warmth, "tint": tint, "slope": 1.0,
        "before": fit.before, "white_only": fit.white_only, "after": fit.after,
        "left_one_out": fit.left_out, "expected": fit.expected, "residuals": [], "warnings": [],
        "models": [], "advice": [], "areas": [], "weights": [], "pairs": [], "pool": False,
        "limit": "It stands on what the two pictures have in common.",
        "picture": {
            "clips": [str(base.uuid), str(own.uuid)], "names": [base.name, own.name],
            "frames": frames, "taken": [[c.encoding, c.levels] for c in (base, own)],
            "places": len(places.reference), "features": places.features,
            "overlap": places.overlap, "agreement": places.agreement, "clusters": fit.clusters,
            "aside": fit.aside,
        },
    }  # fmt: skip
    match = Match(
        light=own.light, camera=own.camera, reference=base.camera, reference_reading=None,
        angle_reading=None, chain=chain_to_json(chain), evidence=evidence,
    )  # fmt: skip
    return append(match, base_number, "match.picture")
