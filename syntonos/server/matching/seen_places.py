"""Places that frames of two clips both show, found once for a pair of frames and kept."""

from __future__ import annotations

import threading
from collections import OrderedDict
from typing import Any, Final

import numpy as np
from numpy.typing import NDArray

from syntonos.core.chain import Chain, Decode, EncodingOutput
from syntonos.core.chain.executor import execute
from syntonos.core.matching.places import WIDTH, Places, find_places
from syntonos.server.footage.clipping import mask_of
from syntonos.server.footage.frames import frame_of
from syntonos.server.footage.models import Clip
from syntonos.server.matching.pins import Target

_MOST_KEPT: Final = 32
_LIGHT: Final = EncodingOutput("linear/ap1")
_kept: OrderedDict[tuple[Any, ...], Places] = OrderedDict()
_lock = threading.Lock()


def places_of(reference: Clip | Target, angle: Clip, frames: tuple[int, int]) -> Places:
    """Return what two frames both show, as their clips are taken now; of a pin, what it shows.

    It takes about three seconds the first time; one pair is looked at at once.

    Raises
    ------
    FitError
        places.scene where they do not show the same scene.
    """
    seen = tuple(zip((reference, angle), frames, strict=True))
    key = tuple((*_key(side), frame) for side, frame in seen)
    with _lock:
        found = _kept.pop(key, None)
        if found is None:
            found = _found(seen)
        _kept[key] = found
        while len(_kept) > _MOST_KEPT:
            _kept.popitem(last=False)
    return found


def _key(side: Clip | Target) -> tuple[str, ...]:
    if isinstance(side, Target):
        return side.key
    return side.checksum, side.development_key, side.taken_as


def _found(seen: tuple[tuple[Clip | Target, int], ...]) -> Places:
    (one, clear), (other, plain) = (side_in(side, frame) for side, frame in seen)
    return find_places(one, other, usable=(clear, plain))


def side_in(
    side: Clip | Target, frame: int
) -> tuple[NDArray[np.float32], NDArray[np.bool_]]:  # fmt: skip
    """Return one side of a match, scene-linear AP1 960 wide at most, and what is clear in it."""
    return side.seen if isinstance(side, Target) else seen_in(side, frame)


def seen_in(clip: Clip, frame: int) -> tuple[NDArray[np.float32], NDArray[np.bool_]]:
    """Return a frame as its clip is taken, scene-linear AP1 960 wide at most, and what is clear."""
    code = frame_of(clip, frame, WIDTH)
    light = execute(Chain(Decode(clip.encoding, clip.levels), _LIGHT), code, number=frame)
    clipped = mask_of(clip, code, clip.encoding, clip.levels).any(axis=-1)
    return light, np.asarray(~clipped, np.bool_)
