"""How much of a clip is clipped, kept with the clip for the Board and the verdicts."""

from __future__ import annotations

from dataclasses import asdict

import numpy as np
from numpy.typing import NDArray

from syntonos.core.encodings import find_encoding, take_levels_off
from syntonos.core.errors import ColourError
from syntonos.core.matching.highlights import clipped_channels, shares_of, top_of
from syntonos.server.footage.frames import frame_of
from syntonos.server.footage.models import Clip

_MOST_KEPT = 4  # measures of a clip, the newest


def frames_looked_at(clip: Clip) -> list[NDArray[np.float32]]:
    """Return the first frame and the middle one, as stored code values."""
    return [frame_of(clip, i) for i in sorted({0, clip.frame_count // 2})]


def measure(clip: Clip, sensor: float | None = None) -> None:
    """Measure how much of a clip is clipped and keep it; a clip that cannot be read is left.

    `sensor` is the scene-linear level at which its sensor clips, where that is known.
    """
    try:
        frames = frames_looked_at(clip)
    except ColourError:  # missing or broken: said elsewhere
        return
    encoding = find_encoding(clip.encoding)
    top = top_of(encoding, [take_levels_off(code, clip.levels) for code in frames])
    masks = [
        clipped_channels(code, encoding, clip.levels, top=top, sensor=sensor) for code in frames
    ]
    found = {"top": top, "sensor": sensor, **asdict(shares_of(masks))}
    earlier = {k: v for k, v in clip.clipped.items() if k != clip.taken_as}
    clip.clipped = dict([*earlier.items(), (clip.taken_as, found)][-_MOST_KEPT:])
    Clip.objects.filter(pk=clip.pk).update(clipped=clip.clipped)


def mask_of(clip: Clip, code: NDArray[np.float32], encoding: str, levels: str
            ) -> NDArray[np.bool_]:  # fmt: skip
    """Return which channels (h, w, 3) of a frame are clipped, for a mark over the picture."""
    found, space = clip.clipped.get(clip.taken_as), find_encoding(encoding)
    # A candidate encoding that is only looked at has other levels and another sensor clip.
    if found is None or (encoding, levels) != (clip.encoding, clip.levels):
        found = {"top": top_of(space, [take_levels_off(code, levels)]), "sensor": None}
    return clipped_channels(code, space, levels, top=found["top"], sensor=found["sensor"])
