"""Softening by band of detail: what a sharper camera shows more of than a softer one."""

from __future__ import annotations

from typing import Final

import cv2
import numpy as np
from numpy.typing import NDArray

from syntonos.core.chain.stages._strict import Triple

Picture = NDArray[np.float32]
# Where a band ends: the standard deviation of the Gaussian whose difference to the one before is
# the band, in shares of the frame's width (1.0, 2.5 and 6 pixels of 1920).
_SIGMAS: Final = (1.0 / 1920, 2.5 / 1920, 6.0 / 1920)
_TAILS: Final = 3.0


def reach(amounts: Triple, width: int) -> int:
    """Return how many pixels around a pixel take part, of a frame of a width in pixels."""
    wide = max((s for s, a in zip(_SIGMAS, amounts, strict=True) if a > 0), default=0.0)
    return int(np.ceil(_TAILS * wide * width))


def soften(light: Picture, amounts: Triple, width: int, *, in_place: bool = False) -> Picture:
    """Take a share off each band of detail, in scene-linear light, as a lens would.

    Parameters
    ----------
    light : (h, w, 3) float32
        A frame, or a region of it with its margin.
    amounts : (3,)
        Shares 0..1 of fine, middle and coarse detail that are taken off.
    width : int
        Of the whole frame, in pixels: bands are of the same things at every size.
    in_place : bool
        Whether the frame itself may be written over.

    Returns
    -------
    (h, w, 3) float32
    """
    # What is taken off, a_k (G_k-1 - G_k) over the bands, is a sum of the Gaussians themselves;
    # one that two bands take alike cancels.
    following = (*amounts[1:], 0.0)
    shares = [(k, amounts[k] - following[k]) for k in range(3) if amounts[k] != following[k]]
    out = light if in_place else light.copy()
    if not shares:
        return out
    before, done = light, 0.0
    for number, (k, share) in enumerate(shares):
        # Gaussians of Gaussians: variances add.
        before = _blurred(before, float(np.sqrt(_SIGMAS[k] ** 2 - done**2)) * width)
        done = _SIGMAS[k]
        if number == 0:
            np.multiply(light, np.float32(1 - amounts[0]), out=out)
        cv2.scaleAdd(before, share, out, out)
    return out


def _blurred(picture: Picture, sigma: float) -> Picture:
    half = max(1, int(np.ceil(_TAILS * sigma)))
    return np.asarray(
        cv2.GaussianBlur(
            picture, (2 * half + 1, 2 * half + 1), max(sigma, 1e-3), borderType=cv2.BORDER_REPLICATE
        ),
        np.float32,
    )
