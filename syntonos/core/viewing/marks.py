"""Marks that are hatched over a picture, each with its shares."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Final, Literal, get_args

import numpy as np
from numpy.typing import NDArray

from syntonos.core.chain import Chain
from syntonos.core.chain.executor import Region
from syntonos.core.chain.marks import any_channel, beyond_display
from syntonos.core.matching.unseen import hatch, unseen

Mark = Literal["", "unseen", "gamut", "clipped"]
MARKS: Final[tuple[Mark, ...]] = get_args(Mark)
Clipped = Callable[[NDArray[np.float32], str, str], NDArray[np.bool_]]


@dataclass(frozen=True, slots=True)
class Marked:
    """A picture with its mark, and shares of the pixels; those of other marks are None.

    unseen : outside of what the match has seen
    outside, clipped : what the display cannot show: outside of its primaries, above its white
    recorded : what the recording has clipped, by channel
    """

    picture: NDArray[np.uint8]
    unseen: float | None = None
    outside: float | None = None
    clipped: float | None = None
    recorded: tuple[float, ...] | None = None


def marked(
    picture: NDArray[np.uint8], mark: Mark, chain: Chain, frame_rgb: NDArray[np.float32], *,
    frame: int, region: Region | None, clipped: Clipped, threads: int = 1,
) -> Marked:  # fmt: skip
    """Hatch a picture (h, w, 3) of a region of a frame (code values) with one of the marks."""
    if mark == "gamut":
        outside, above = beyond_display(
            chain, frame_rgb, frame=frame, region=region, threads=threads
        )
        drawn = hatch(hatch(picture, outside), above, falling=True)
        return Marked(drawn, outside=float(outside.mean()), clipped=float(above.mean()))
    if not mark:
        return Marked(picture)
    code = frame_rgb
    if region is not None:
        left, top, wide, high = region
        code = np.ascontiguousarray(frame_rgb[top : top + high, left : left + wide])
    if mark == "unseen":
        away = unseen(chain, code, threads=threads)
        return Marked(hatch(picture, away), unseen=float(away.mean()))
    channels = clipped(code, chain.decode.encoding, chain.decode.levels)
    shares = tuple(float(v) for v in channels.mean(axis=(0, 1)))
    return Marked(hatch(picture, any_channel(channels)), recorded=shares)
