"""Colours of a light's scenes that steady the fit of its charts."""

from __future__ import annotations

from typing import Any

from syntonos.core.errors import FitError
from syntonos.core.matching.by_places import scene_colours
from syntonos.core.matching.report import colours_from_json, colours_to_json
from syntonos.core.matching.scene_fit import Clusters
from syntonos.server.footage.models import Clip
from syntonos.server.matching.seen_places import places_of
from syntonos.server.matching.selectors import current_match, scene_check_of
from syntonos.server.productions.models import Camera, Light


def seen_as(base: Clip, own: Clip) -> dict[str, Any]:
    """Return which clips of reference and angle were looked at, and as what they are taken."""
    both = base, own
    return {
        "names": [c.name for c in both], "clips": [str(c.uuid) for c in both],
        "taken": [[c.encoding, c.levels] for c in both],
    }  # fmt: skip


def colours_beside(light: Light, camera: Camera) -> tuple[Clusters, dict[str, Any]]:
    """Return the colours of the light's scenes that steady a chart's fit, and where they are from.

    They are those that were compared with the match in force. Where its clips are taken otherwise
    by now they are looked at again, which takes about three seconds.

    Raises
    ------
    FitError
        fit.no_scene where nothing was compared; fit.scene_against where that spoke against the
        chart; places.scene and places.few as always.
    """
    match = current_match(light.pk, camera)
    check = scene_check_of(match) if match is not None else None
    if check is not None and not check["agrees"]:
        raise against_the_chart()
    kept = check if check and check.get("colours") else None
    if kept is None and match is not None:
        kept = match.facts.get("steadied")
    if kept is None:
        raise FitError(
            "No scene with colours enough was compared with this match.",
            hint="Compare it with the scene first.", code="fit.no_scene",
        )  # fmt: skip
    clips = {str(c.uuid): c for c in Clip.objects.filter(light=light).select_related(
        "camera__production", "light")}  # fmt: skip
    base, own = (clips.get(uuid) for uuid in kept["clips"])
    if base is None or own is None:
        return colours_from_json(kept["colours"]), _source(kept)  # its clips are gone
    now = seen_as(base, own)
    if now["taken"] == kept["taken"]:
        return colours_from_json(kept["colours"]), _source(kept)
    middle = min(base.frame_count, own.frame_count) // 2
    colours = scene_colours(places_of(base, own, (middle, middle)))
    return colours, now | {"colours": colours_to_json(colours)}


def against_the_chart(off: str = "") -> FitError:
    """Return the error of a scene that speaks against the chart, by how much it is `off`."""
    told = f", by {off}" if off else ""
    return FitError(
        f"The scene speaks against the chart{told}: it cannot steady its fit.",
        hint="Fit without the scene, or match from the picture.", code="fit.scene_against",
    )  # fmt: skip


def _source(kept: dict[str, Any]) -> dict[str, Any]:
    return {key: kept[key] for key in ("names", "clips", "taken", "colours")}
