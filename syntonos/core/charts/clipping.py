"""Where a sensor clips: the light at which all channels of a frame pile up at its top."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Final

import numpy as np
from numpy.typing import NDArray

from syntonos.core.encodings import Encoding, decode, take_levels_off

_ABOVE_WHITE: Final = 2.5  # times the chart's white: what is nearer may be a white thing
_PILED: Final = 0.002  # share of a frame's pixels
_NEUTRAL: Final = 0.02  # codes between the channels of a clipped highlight
_STILL: Final = 0.002  # codes about the clip: noise has gone there


def clip_level(
    code: NDArray[np.float32], encoding: Encoding, levels: str, white: float
) -> float | None:
    """Return the light at which all channels pile up at the top of a frame, or None.

    A sensor that clips gives its white in all channels, so the smallest channel is looked at. What
    is not well above the chart's white may be a white thing and is not taken for a clip.

    Parameters
    ----------
    code : (h, w, 3) float32
        Stored code values.
    white : float
        The chart's white in the same light, scene-linear.
    """
    low = code[::2, ::2].min(axis=2).astype(np.float64)
    lin = decode(take_levels_off(low, levels), encoding.curve)
    top = float(np.percentile(lin, 99.95))
    if top < _ABOVE_WHITE * white:
        return None
    piled = float((np.abs(lin - top) < 0.03 * top).mean())
    below = float(((lin < 0.97 * top) & (lin > 0.85 * top)).mean())
    return top if piled > _PILED and piled > 2 * below else None


def clip_of_scenes(
    frames: Sequence[NDArray[np.float32]], encoding: Encoding, levels: str, white: float
) -> float | None:
    """Return where the sensor clips as frames of ordinary clips show it, or None.

    For clips of one camera, set as for its chart, where the chart's own frames show no clip. A sky
    may be nearly as even as a clipped highlight, so what piles up has to be neutral and without
    noise as well; one that is all that loses its tint with this. Of several the brightest counts:
    a sensor clips at one level only.

    Parameters
    ----------
    frames : sequence of (h, w, 3) float32
        Stored code values, not scaled down: that takes noise away.
    white : float
        The chart's white in the same light, scene-linear, smallest channel.
    """
    found = []
    for code in frames:
        top = clip_level(code, encoding, levels, white)
        if top is None:
            continue
        small = code[::2, ::2].reshape(-1, 3)
        lin = decode(take_levels_off(small.min(axis=1).astype(np.float64), levels), encoding.curve)
        there = small[np.abs(lin - top) < 0.03 * top]
        middle = np.median(there, axis=0)
        still = (np.abs(there - middle) < _STILL).all(axis=1)
        if np.ptp(middle) < _NEUTRAL and still.mean() > 0.5:
            found.append(top)
    return max(found, default=None)
