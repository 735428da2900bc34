"""Clips as sources of frames."""

from __future__ import annotations

from dataclasses import dataclass
from fractions import Fraction

import numpy as np
from numpy.typing import NDArray

from syntonos.core.media.source import About
from syntonos.server.footage.clipping import mask_of
from syntonos.server.footage.frames import frame_of
from syntonos.server.footage.models import Clip


def source_key(clip: Clip) -> str:
    """Return the key of a clip's code values: its checksum, and how its files are read."""
    return f"{clip.checksum}-{clip.development_key}"


@dataclass(frozen=True, slots=True)
class ClipSource:
    """The frames of a clip."""

    clip: Clip

    @property
    def about(self) -> About:
        """What is known of it."""
        clip = self.clip
        return About(
            source_key(clip), clip.name, clip.width, clip.height, clip.frame_count,
            Fraction(clip.rate) if clip.rate else None, clip.timecode,
        )  # fmt: skip

    def read(self, frame: int, width: int) -> NDArray[np.float32]:
        """Return stored code values (h, w, 3), not wider than asked."""
        return frame_of(self.clip, frame, width)

    def clipped(
        self, code_rgb: NDArray[np.float32], encoding: str, levels: str
    ) -> NDArray[np.bool_]:
        """Return which channels (h, w, 3) the recording has clipped."""
        return mask_of(self.clip, code_rgb, encoding, levels)
