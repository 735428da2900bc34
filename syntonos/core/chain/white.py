"""One scale of white for balance, trim, tuner and casts: warmth and tint.

A neutral whose white is moved by a warmth and a tint is so many mired along the Planckian locus
and so many thousandths of Duv across it from the ACES white: what a dial is turned to is what a
meter of correlated colour temperature says of a grey. White is moved by chromatic adaptation, which
scales Bradford's cone responses. Two shifts one after the other multiply their scalings, so what
takes one back is found by them (`taken_back`) and is not the same numbers with another sign: the
locus is no straight line there.

Source: CIE 15:2018 section 9.5 for mired and Duv, ICC.1:2010 annex E for Bradford's responses.
"""

from __future__ import annotations

from functools import cache, lru_cache
from typing import Any, Final

import numpy as np
from numpy.typing import NDArray

from syntonos.core.chain.colour_model import AP1_LUMINANCE
from syntonos.core.colorimetry import mired_and_duv, white_at, xy_to_xyz
from syntonos.core.colorimetry.adaptation import CONE_MATRICES
from syntonos.core.encodings import AP1
from syntonos.core.encodings.gamuts import ACES_WHITE

A = NDArray[np.float64]
MOST_WARMTH, MOST_TINT = 400.0, 60.0  # that a balance may have, either way
_BRADFORD: Final = CONE_MATRICES["bradford"]
_CONES: Final = _BRADFORD @ AP1.to_xyz  # from AP1
_LEAST: Final = 1e-9  # cone response: below it there is no colour
_LEAST_GAIN: Final = 0.02
Shift = tuple[float, float]  # warmth (mired), tint (Duv x 1000)


@cache
def _neutral() -> tuple[float, float, A]:
    """Return mired and Duv of the ACES white, and its cone responses."""
    white = xy_to_xyz(ACES_WHITE)
    mired, duv = mired_and_duv(white)
    return float(mired), float(duv), np.asarray(_CONES @ np.ones(3), np.float64)


def cone_gains(warmth: float, tint: float) -> A:
    """Return what a shift of white multiplies Bradford's cone responses (3,) by, up to a factor."""
    mired, duv, neutral = _neutral()
    gains = _BRADFORD @ white_at(mired + warmth, duv + tint / 1000) / neutral
    # Far out no light has such a white; a channel is never turned over.
    return np.asarray(np.maximum(gains, _LEAST_GAIN * gains.max()), np.float64)


def shift_of_gains(gains: A) -> Shift:
    """Return the shift of white that multiplies cone responses (3,) so, up to a factor."""
    warmth, tint = shift_of(np.linalg.solve(_CONES, gains * _neutral()[2]))
    return float(warmth), float(tint)


def gains_of_white(lin_ap1: A) -> A:
    """Return the cone responses (3,) of a white over those of the ACES white."""
    return np.asarray(np.maximum(_CONES @ lin_ap1, _LEAST) / _neutral()[2], np.float64)


def matrix_of_gains(gains: A) -> A:
    """Return the matrix (3, 3) of AP1 that multiplies cone responses, the white's light kept."""
    mat = np.linalg.solve(_CONES, gains[:, None] * _CONES)
    return np.asarray(mat / float(AP1_LUMINANCE @ mat @ np.ones(3)), np.float64)


@lru_cache(maxsize=256)
def white_shift(warmth: float, tint: float) -> tuple[tuple[float, ...], ...]:
    """Return the matrix (3, 3) of scene-linear AP1 that moves the white.

    Parameters
    ----------
    warmth : float
        Mired; positive makes the picture warmer.
    tint : float
        Duv x 1000; positive makes it greener.

    Returns
    -------
    tuple of rows
        Applied as ``rgb @ mat.T``. The luminance of the ACES white is kept.
    """
    mat = matrix_of_gains(cone_gains(warmth, tint)) if warmth or tint else np.eye(3)
    return tuple(tuple(float(v) for v in row) for row in mat)


def shift_of(lin_ap1: NDArray[Any]) -> A:
    """Return how far colours are from neutral: the shift that makes a neutral look so.

    Parameters
    ----------
    lin_ap1 : (..., 3)
        Scene-linear AP1; of dark or strong colours it says nothing of use.

    Returns
    -------
    (..., 2) float64
        Warmth and tint, positive is warmer and greener than neutral.
    """
    mired, duv, _ = _neutral()
    xyz = np.maximum(np.asarray(lin_ap1, np.float64) @ AP1.to_xyz.T, _LEAST)
    there, off = mired_and_duv(xyz)
    return np.stack([there - mired, 1000 * (off - duv)], axis=-1)


def then(*shifts: Shift) -> Shift:
    """Return the one shift that does what some do one after the other."""
    return shift_of_gains(np.prod([cone_gains(*shift) for shift in shifts], axis=0))


def taken_back(shift: Shift) -> Shift:
    """Return the shift that takes another one back."""
    return shift_of_gains(1 / cone_gains(*shift))
