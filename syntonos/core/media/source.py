"""A source: where frames come from, whatever it is."""

from __future__ import annotations

from dataclasses import dataclass
from fractions import Fraction
from typing import Protocol

import numpy as np
from numpy.typing import NDArray


@dataclass(frozen=True, slots=True)
class About:
    """What is known of a source.

    key
        Of what is read and how: the same key and frame give the same code values. A live one has
        its session in it, and its frames their serial numbers.
    name
        What it is called on screen.
    width, height
        In pixels, as it is shown.
    frame_count
        None for a live source, which has no end yet.
    rate
        Frames a second, where it is known.
    timecode
        Of the first frame, "" where there is none.
    """

    key: str
    name: str
    width: int
    height: int
    frame_count: int | None = 1
    rate: Fraction | None = None
    timecode: str = ""


class Source(Protocol):
    """Frames by number: of a clip, a pin, an imported still, an arrival, or a feed."""

    @property
    def about(self) -> About:
        """What is known of it."""

    def read(self, frame: int, width: int) -> NDArray[np.float32]:
        """Return stored code values (h, w, 3) of a frame, not wider than asked.

        Raises
        ------
        MediaError
            media.frame for a frame that is not there; media.missing, media.unreadable.
        """

    def clipped(
        self, code_rgb: NDArray[np.float32], encoding: str, levels: str
    ) -> NDArray[np.bool_]:
        """Return which channels (h, w, 3) of code values the recording itself has clipped."""
