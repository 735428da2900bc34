"""From what a page asks for to a clip, its chain, and how it is looked at."""

from __future__ import annotations

from django.shortcuts import get_object_or_404

from syntonos.core.chain import Chain, Decode, Overrides, Parts, compose, read_balance, read_chain
from syntonos.server.footage.models import Clip
from syntonos.server.looks.services import balance_stage
from syntonos.server.matching.models import Match
from syntonos.server.matching.selectors import stage_of
from syntonos.server.rendering import standing
from syntonos.server.rendering.keys import Seen
from syntonos.server.rendering.schemas import OverridesIn, SeenIn


def clip_of(clip_id: int) -> Clip:
    """Return a clip with all that its chain needs; 404 where there is none."""
    rows = Clip.objects.select_related("camera__production", "light")
    return get_object_or_404(rows, pk=clip_id)


def overrides_of(clip: Clip, body: OverridesIn) -> Overrides:
    """Return what a page says is looked at, as the core takes it."""
    match = None
    if body.match_id is not None:
        row = get_object_or_404(
            Match, pk=body.match_id, light_id=clip.light_id, camera_id=clip.camera_id
        )
        match = stage_of(row)
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


def parts_through(body: SeenIn) -> tuple[Clip, Parts, Overrides, Seen]:
    """Return the clip that a page looks at, what is in force for it, and what stands instead."""
    output = body.overrides.output
    known = standing.recall(body.stand, output) if body.stand else None
    clip, parts = known or standing.gather(clip_of(body.clip_id), output)
    return (
        clip,
        parts,
        overrides_of(clip, body.overrides),
        Seen(body.frame, body.width, body.region),
    )


def seen_through(body: SeenIn) -> tuple[Clip, Chain, Seen]:
    """Return the clip that a page looks at, its chain, and how it is looked at.

    What is in force is what the page was told (`stand`), where that is still kept here.
    """
    clip, parts, overrides, _ = parts_through(body)
    chain = compose(parts, overrides)
    return clip, chain, Seen(
        body.frame, body.width, body.region, body.mark, body.whole, scoped=body.scoped,
        lowest=body.lowest,
    )  # fmt: skip
