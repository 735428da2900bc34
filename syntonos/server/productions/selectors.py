"""Reading productions and cameras."""

from __future__ import annotations

from django.db.models import Count, Q, QuerySet

from syntonos.core.encodings import Encoding
from syntonos.core.media.usual import Usual, usual_combination
from syntonos.server.productions.models import Camera, Production


def productions() -> QuerySet[Production]:
    """Return all productions, the newest first."""
    return Production.objects.select_related("reference_camera").order_by("-id")


def usual(camera: Camera, encoding: Encoding) -> list[Usual]:
    """Return what range and curve levels the kinds of files of a camera usually go with."""
    kinds = camera.clips.values_list("media", "format").distinct().order_by("media", "format")
    found = (usual_combination(kind, form, encoding) for kind, form in kinds)
    return [one for one in found if one is not None]


def counts(production: Production) -> dict[int, dict[str, int]]:
    """Return how many clips and readings each light has."""
    in_use = Q(clips__is_put_away=False, clips__camera__is_put_away=False)
    rows = production.lights.values("pk").annotate(
        clip_count=Count("clips", distinct=True, filter=in_use),
        # Readings of a clip are versions of one: a clip with any counts once.
        reading_count=Count(
            "clips", distinct=True, filter=in_use & Q(clips__readings__is_withdrawn=False)
        ),
    )
    return {
        row["pk"]: {"clips": row["clip_count"], "readings": row["reading_count"]} for row in rows
    }
