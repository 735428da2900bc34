"""Places that frames of two clips both show, found once for a pair of frames and kept."""

from __future__ import annotations

import threading
from collections import OrderedDict
from typing import Any, Final

import numpy as np
from numpy.typing import NDArray

from syntonos.core.chain import Decode, EncodingOutput, Parts
from syntonos.core.matching.places import Places, find_places
from syntonos.core.viewing import Subject
from syntonos.server.footage.models import Clip
from syntonos.server.footage.sources import ClipSource
from syntonos.server.matching.pins import Target, clear_light

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
    subject = Subject(ClipSource(clip), Parts(Decode(clip.encoding, clip.levels)))
    return clear_light(subject, frame, "input")
