"""What the grey patches say: stray light, exposure and white, and the slope of the ramp."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from syntonos.core.chain.colour_model import AP1_LUMINANCE

A = NDArray[np.float64]
_FLARE_BOUND = 0.03  # of chart white; more is no flare, and is left to be seen in the residuals
_FLARE_SIGNIFICANT = 3.0  # standard errors
_FLARE_LEAST = 0.0006  # of chart white
_MODEL_ERROR = 0.012  # greys of two sensors agree to about one per cent


@dataclass(frozen=True, slots=True)
class GreyFit:
    """Flare of each side, whites of luminance one, exposure, ramp slope; in mixed AP1."""

    angle_flare: A
    reference_flare: A
    angle_white: A
    reference_white: A
    stops: float
    slope: float


def _flare(x: A, y: A, error: A) -> tuple[A, A]:
    """Return (angle flare, reference flare), each (3,), zero unless beyond noise.

    y = k x + o per channel; a negative o is light that the angle has too much.
    """
    angle, reference = np.zeros(3), np.zeros(3)
    if len(x) < 4 or y.max(axis=0).min() <= 0:
        return angle, reference
    white = float((y @ AP1_LUMINANCE).max())
    offsets, errors, gains = np.zeros(3), np.zeros(3), np.ones(3)
    for c in range(3):
        sigma = np.hypot(_MODEL_ERROR * np.abs(y[:, c]), error * white) + 1e-5 * white
        design = np.column_stack([x[:, c], np.ones(len(x))]) / sigma[:, None]
        solved, *_ = np.linalg.lstsq(design, y[:, c] / sigma, rcond=None)
        cov = np.linalg.inv(design.T @ design)
        gains[c], offsets[c] = solved
        errors[c] = np.sqrt(cov[1, 1])
    mean = float(offsets @ AP1_LUMINANCE)
    sure = abs(mean) > _FLARE_SIGNIFICANT * float(np.sqrt((AP1_LUMINANCE * errors) @ errors))
    if not sure or abs(mean) < _FLARE_LEAST * white:
        return angle, reference
    bound = _FLARE_BOUND * white
    reference = np.clip(offsets, 0, bound)
    angle = np.clip(-offsets, 0, bound) / gains
    return angle, reference


def fit_greys(x: A, y: A, error: A, mids: list[int]) -> GreyFit:
    """Fit flare, white and exposure on grey patches.

    Parameters
    ----------
    x, y : (n, 3)
        The angle's and the reference's usable greys in mixed AP1, from light to dark.
    error : (n,)
        Standard error of each patch, both sides together, as a share of chart white.
    mids : list of int
        Which of them are mid greys; exposure and white stand on these, since the white patch
        absorbs near UV and the black is mostly stray light.
    """
    angle_flare, reference_flare = _flare(x, y, error)
    clean_x, clean_y = x - angle_flare, y - reference_flare
    a, b = np.maximum(clean_x[mids], 1e-9), np.maximum(clean_y[mids], 1e-9)
    ratio = np.exp(np.median(np.log(b / a), axis=0))
    white_y = np.median(b / (b @ AP1_LUMINANCE)[:, None], axis=0)
    reference_white = white_y / (white_y @ AP1_LUMINANCE)
    white_x = reference_white / ratio
    luminance = float(white_x @ AP1_LUMINANCE)
    bright_x, bright_y = clean_x @ AP1_LUMINANCE, clean_y @ AP1_LUMINANCE
    good = (bright_x > 1e-4) & (bright_y > 1e-4)
    slope = 1.0
    if good.sum() >= 3:
        slope = float(np.polyfit(np.log2(bright_x[good]), np.log2(bright_y[good]), 1)[0])
    return GreyFit(
        angle_flare, reference_flare, white_x / luminance, reference_white,
        float(-np.log2(luminance)), slope,
    )  # fmt: skip
