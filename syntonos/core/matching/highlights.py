"""Clipped highlights of a recording: how much of it, and what its own bright things say of them.

A channel is clipped where it lies at the top of the code values, or where the sensor is known to
clip. What bright things of the same scene look like just below tells what a clipped red or blue
would have been: `fill_of` finds the exponents of `chain.Highlights`.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import Final

import numpy as np
from numpy.typing import NDArray

from syntonos.core.chain import Highlights, Match
from syntonos.core.chain.marks import any_channel
from syntonos.core.charts.clipping import clip_of_scenes
from syntonos.core.encodings import Encoding, decode, encode, take_levels_off
from syntonos.core.encodings.scalar import LINEAR
from syntonos.core.matching.verdict import LEAST_TOLD

_NEAR_TOP: Final = 0.985  # of the code values' top
_NEAR_SENSOR: Final = 0.97  # of the light at which the sensor clips
_BRIGHT: Final = (0.25, 0.85)  # of the top: what a scene's bright things are learned from
_COLOURED: Final = 0.15  # natural logarithm between two channels: less is neutral
_LEAST: Final = 100  # pixels
_USUAL_EXPONENT, _MOST_EXPONENT = 0.5, 1.5


@dataclass(frozen=True, slots=True)
class Clipped:
    """Shares of a picture's pixels that are clipped: in red, green, blue, and in any of them."""

    red: float
    green: float
    blue: float
    any: float


def top_of(encoding: Encoding, codes: Sequence[NDArray[np.float32]]) -> float | None:
    """Return the code value at which recordings (h, w, 3) end, levels off; None for linear.

    One, but where more of a clip lies well above one than about it: then its headroom was used,
    and it ends at the top of what is there.
    """
    if encoding.curve.family == LINEAR:
        return None
    high = np.concatenate([code[code >= _NEAR_TOP].ravel() for code in codes])
    if len(high) and (high > 1.02).mean() > 0.5:
        return float(np.percentile(high, 90))
    return 1.0


def clipped_channels(
    code: NDArray[np.float32], encoding: Encoding, levels: str, *,
    top: float | None = 1.0, sensor: float | None = None,
) -> NDArray[np.bool_]:  # fmt: skip
    """Say of every channel of every pixel whether it is clipped.

    Parameters
    ----------
    code : (h, w, 3) float32
        Stored code values.
    top : float, optional
        From `top_of`.
    sensor : float, optional
        Scene-linear level at which the sensor clips, in the camera's gamut, where it is known.

    Returns
    -------
    (h, w, 3) bool
    """
    plain = take_levels_off(code, levels)
    out = np.zeros(code.shape, np.bool_)
    if top is not None:
        out |= plain >= _NEAR_TOP * top
    if sensor is not None:
        # Curves rise, so code values can be compared: one number is coded, not a frame decoded.
        out |= plain >= encode(np.array([_NEAR_SENSOR * sensor]), encoding.curve)[0]
    return out


def shares_of(masks: Sequence[NDArray[np.bool_]]) -> Clipped:
    """Return the clipped shares of a clip's frames, of (h, w, 3) masks."""
    red, green, blue = np.mean([mask.mean(axis=(0, 1)) for mask in masks], axis=0)
    return Clipped(
        float(red), float(green), float(blue),
        float(np.mean([any_channel(mask).mean() for mask in masks])),
    )  # fmt: skip


def fill_of(
    codes: Sequence[NDArray[np.float32]], encoding: Encoding, levels: str
) -> Highlights | None:
    """Return how a camera's clipped highlights are filled towards the light, or None.

    None where next to nothing lies at the top of the code values, or where they have none.

    Parameters
    ----------
    codes : sequence of (h, w, 3) float32
        Stored code values of scenes in one light.
    """
    plain = [take_levels_off(code, levels) for code in codes]
    top = top_of(encoding, plain)
    if top is None:
        return None
    if not any((code >= _NEAR_TOP * top).any(axis=2).mean() > LEAST_TOLD for code in plain):
        return None
    light_top = float(decode(np.array([top]), encoding.curve)[0])
    light = decode(np.concatenate([c[::2, ::2].reshape(-1, 3) for c in plain]).astype(np.float64),
                   encoding.curve)  # fmt: skip
    most = light.max(axis=1) / light_top
    low, high = _BRIGHT
    seen = light[(most > low) & (most < high) & (light.min(axis=1) > 0.01 * light_top)]
    red, green, blue = np.log(seen).T
    return Highlights(
        light_top, _exponent(red - green, green - blue), _exponent(blue - green, green - red)
    )


def clipped_as_in_scenes(
    match: Match, codes: Sequence[NDArray[np.float32]], encoding: Encoding, levels: str
) -> Match:
    """Return a match with where the angle's sensor clips, and how that is filled, by its scenes.

    For matches that stand on scenes alone: no chart's white says how bright they are.

    Parameters
    ----------
    codes : sequence of (h, w, 3) float32
        Stored code values of the angle's scenes, not scaled down.
    encoding, levels
        How they are taken.
    """
    return replace(
        match, clip=clip_of_scenes(codes, encoding, levels, 1.0),
        highlights=fill_of(codes, encoding, levels),
    )  # fmt: skip


def _exponent(end: NDArray[np.float64], other: NDArray[np.float64]) -> float:
    coloured = other > _COLOURED
    if coloured.sum() < _LEAST:
        return _USUAL_EXPONENT
    return float(np.clip(np.median(end[coloured] / other[coloured]), 0.0, _MOST_EXPONENT))
