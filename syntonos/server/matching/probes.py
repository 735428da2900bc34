"""Probes: things that cameras see in a light, each with a place in every clip that shows it."""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import asdict, dataclass
from typing import Any, Final

from django.db.models import Max

from syntonos.core.errors import MediaError
from syntonos.server.footage.models import Clip
from syntonos.server.history.services import step
from syntonos.server.matching.models import Probe
from syntonos.server.productions.models import Light

USUAL_SIZE: Final = 0.015  # of the picture's width
MOST_PIXELS: Final = 101
MOST_PROBES: Final = 64  # of a light


@dataclass(frozen=True, slots=True)
class ProbePlace:
    """Where a clip shows a thing.

    x, y : its middle, in shares of the picture
    size : its diameter, in shares of the picture's width
    """

    frame: int
    x: float
    y: float
    size: float = USUAL_SIZE


def checked(clip: Clip, place: ProbePlace) -> ProbePlace:
    """Return a place as it can be read: 1 to 101 pixels wide.

    Raises
    ------
    MediaError
        media.frame, area.outside.
    """
    if not 0 <= place.frame < clip.frame_count:
        raise MediaError(f"{clip} has no frame {place.frame + 1}.", code="media.frame",
                         hint="Choose one that it has.")  # fmt: skip
    if not (0 <= place.x <= 1 and 0 <= place.y <= 1 and math.isfinite(place.size)):
        raise MediaError("An area lies outside of its picture.", hint="Mark it inside.",
                         code="area.outside")  # fmt: skip
    size = min(max(place.size, 1 / clip.width), MOST_PIXELS / clip.width)
    return ProbePlace(place.frame, round(place.x, 6), round(place.y, 6), round(size, 8))


def probes_of(light: Light) -> list[Probe]:
    """Return a light's probes in the order in which they were made."""
    return list(Probe.objects.filter(light=light))


def place_in(probe: Probe, clip: Clip) -> ProbePlace | None:
    """Return where a clip shows a probe's thing."""
    found = probe.places.get(str(clip.uuid))
    return ProbePlace(**found) if found else None


def make(light: Light, places: Sequence[tuple[Clip, ProbePlace]], name: str = "") -> Probe:
    """Keep a new probe.

    Raises
    ------
    MediaError
        As of `checked`; probe.many.
    """
    if Probe.objects.filter(light=light).count() >= MOST_PROBES:
        raise MediaError(f"{light} has {MOST_PROBES} probes already.", code="probe.many",
                         hint="Take one out.")  # fmt: skip
    last = Probe.every.filter(light=light).aggregate(Max("number"))["number__max"] or 0
    plain = {str(clip.uuid): asdict(checked(clip, place)) for clip, place in places}
    row = Probe(light=light, number=last + 1, name=name.strip(), places=plain)
    where = " and ".join(str(clip) for clip, _ in places)
    with step(light.production_id, "probe.make", f"{row} kept on {where}") as made:
        row.save()
        made.created(row)
    return row


def change(
    probe: Probe, values: Mapping[str, Any], places: Sequence[tuple[Clip, ProbePlace | None]] = ()
) -> Probe:  # fmt: skip
    """Change name or kind, put it away, or set its place in clips (None takes it out)."""
    wanted = dict(values)
    for clip, place in places:
        plain = asdict(checked(clip, place)) if place else None
        wanted[f"places.{clip.uuid}"] = plain
    before = str(probe)
    words = f"{before} changed"
    if values.get("is_put_away"):
        words = f"{before} taken out"
    elif values.get("name"):
        words = f"{before} named {values['name']}"
    elif "is_skin" in values:
        words = f"{before} is {'the' if values['is_skin'] else 'not the'} skin"
    elif places:
        where = " and ".join(str(clip) for clip, _ in places)
        words = f"{before} {'placed on' if places[0][1] else 'taken out of'} {where}"
    with step(probe.light.production_id, "probe.change", words) as made:
        made.change(probe, wanted)
    return probe
