"""From what a page asks for to a subject, what stands in place of its parts, and what is wanted."""

from __future__ import annotations

from django.shortcuts import get_object_or_404

from syntonos.core.chain import Decode, Overrides, read_balance, read_chain
from syntonos.core.scopes.counts import LOWEST, WHOLE
from syntonos.core.viewing import Asked, Subject
from syntonos.server.footage.models import Clip
from syntonos.server.footage.sources import ClipSource
from syntonos.server.looks.services import balance_stage
from syntonos.server.matching import pins
from syntonos.server.matching.models import Match, Pin
from syntonos.server.matching.selectors import stage_of
from syntonos.server.rendering import standing
from syntonos.server.rendering.schemas import OverridesIn, SeenIn


def clip_of(clip_id: int) -> Clip:
    """Return a clip with all that its chain needs; 404 where there is none."""
    rows = Clip.objects.select_related("camera__production", "light")
    return get_object_or_404(rows, pk=clip_id)


def pin_of(pin_id: int) -> Pin:
    """Return a pin, one that was put away too; 404 where there is none."""
    rows = Pin.every.select_related("production", "clip__camera__production", "clip__light")
    return get_object_or_404(rows, pk=pin_id)


def asked_of(body: SeenIn, **changes: object) -> Asked:
    """Return what a page wants of a frame, as the core takes it."""
    return Asked(
        body.frame, body.width, body.region, mark=body.mark, whole=body.whole, scoped=body.scoped,
        span=LOWEST if body.lowest else WHOLE, **changes,  # type: ignore[arg-type]
    )  # fmt: skip


def subject_through(body: SeenIn) -> tuple[Subject, Overrides]:
    """Return the subject that a page looks at, and what stands in place of its parts.

    What is in force for a clip is what the page was told (`stand`), where that is still kept here.
    """
    output = body.overrides.output
    if body.subject.kind == "pin":
        pin = pin_of(body.subject.id)
        subject = pins.subject_of(pin, output)
        return subject, _overrides_of(pin.clip, body.overrides)
    known = standing.recall(body.stand, output) if body.stand else None
    clip, parts = known or standing.gather(clip_of(body.subject.id), output)
    return Subject(ClipSource(clip), parts), _overrides_of(clip, body.overrides)


def _overrides_of(clip: Clip | None, body: OverridesIn) -> Overrides:
    """Return what a page says is looked at, as the core takes it."""
    match = None
    if body.match_id is not None:
        place = {"light_id": clip and clip.light_id, "camera_id": clip and clip.camera_id}
        match = stage_of(get_object_or_404(Match, pk=body.match_id, **place))
    decode = body.decode
    return Overrides(
        off=frozenset(body.off),
        until=body.until,
        decode=Decode(decode.encoding, decode.levels) if decode else None,
        match=match,
        trim=body.trim,
        clip_trim=body.clip_trim,
        balance=read_balance(balance_stage(body.dials.dict())) if body.dials else None,
        look=body.look,
        grey=body.grey,
        pinned=read_chain(body.pinned.dict()) if body.pinned else None,
    )
