"""Finding a 24-patch chart in log footage, without knowing curve, levels, exposure or light.

Blobs that are parallelograms, lattices of blobs, windows of a lattice that the nominal chart
explains, and a template fitted to the picture. Everything works on the stored code values.
"""

from __future__ import annotations

from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

from syntonos.core.charts.blobs import find_blobs
from syntonos.core.charts.identity import Identity, identify, sample_cells, score_patches
from syntonos.core.charts.lattice import find_lattices
from syntonos.core.charts.layout import chart_homography
from syntonos.core.charts.refine import refine_corners
from syntonos.core.errors import ChartError

_WIDTHS = (480, 960, 1920)  # most charts are found in the small one, in half the time
_SURE, _LIKELY = 0.90, 0.85
_AGREEMENT = 0.6


@dataclass(frozen=True, slots=True)
class Detection:
    """A chart that was found."""

    corners: NDArray[np.float64]  # (4, 2) centres of patches 1, 6, 24, 19 in pixels
    score: float  # share of the codes' variance that the nominal chart explains
    turned_score: float  # the same for the chart turned by 180 degrees
    agreement: float  # of picture and template, edges only
    orientation_certain: bool


def _noise(code: NDArray[np.float32]) -> float:
    """Return the noise as a share of the picture's range, from a second difference."""
    luma = code.mean(axis=2)
    kernel = np.array([1, -2, 1], np.float32)
    response = cv2.sepFilter2D(luma, -1, kernel, kernel)
    sigma = float(np.median(np.abs(response))) / (0.6745 * 6)
    low, high = np.percentile(luma[::3, ::3], [2, 98])
    return sigma / max(float(high - low), 1e-6)


def _at_width(code: NDArray[np.float32], width: int) -> tuple[NDArray[np.float32], float]:
    """Return the picture near a width, cleaned of noise, and the factor."""
    factor = width / code.shape[1]
    small = code
    if factor < 1:
        size = (width, round(code.shape[0] * factor))
        small = cv2.resize(code, size, interpolation=cv2.INTER_AREA).astype(np.float32)
        factor = size[0] / code.shape[1]
    elif factor > 1:
        small = cv2.resize(code, None, fx=factor, fy=factor, interpolation=cv2.INTER_CUBIC)
        small = np.asarray(small + 0.8 * (small - cv2.GaussianBlur(small, (0, 0), 2)), np.float32)
    return _clean(small), factor


def _clean(code: NDArray[np.float32]) -> NDArray[np.float32]:
    level = _noise(code)
    if level < 0.004:
        return code
    small = cv2.medianBlur(np.ascontiguousarray(code), 3)
    return np.asarray(cv2.GaussianBlur(small, (0, 0), 0.7 if level < 0.02 else 1.3), np.float32)


def _candidates(small: NDArray[np.float32]) -> list[Identity]:
    lattices = find_lattices(find_blobs(small))
    found = [identity for lattice in lattices for identity in identify(small, lattice)]
    return sorted(found, key=lambda identity: -identity.score)


def _judge(code: NDArray[np.float32], found: Identity) -> Detection | None:
    corners, agreement = refine_corners(code, found.corners)
    values = sample_cells(code, _CELLS, chart_homography(corners))
    if np.isnan(values).any() or agreement < _AGREEMENT:
        return None
    score, spread = score_patches(values)
    other, _ = score_patches(values[::-1])
    if other > score:
        corners, score, other = np.roll(corners, 2, axis=0), other, score
    if spread < 0.02:
        return None
    sure = score >= _SURE or (score >= _LIKELY and score - other >= 0.30 and found.nodes >= 13)
    if not sure and score < _LIKELY:
        return None
    return Detection(corners, score, other, agreement, sure and score - other >= 0.15)


_CELLS = np.array([(i % 6, i // 6) for i in range(24)], float)


def find_chart(code_rgb: NDArray[np.float32]) -> Detection:
    """Find a 24-patch chart.

    Parameters
    ----------
    code_rgb : (h, w, 3) float32
        Stored code values of one frame, or the mean of several. Any log curve and levels.

    Returns
    -------
    Detection
        With `orientation_certain` false where it should be asked which way up the chart is.

    Raises
    ------
    ChartError
        chart.not_found, when there is none or too little of it is seen.
    """
    code = np.ascontiguousarray(code_rgb, np.float32)
    unsure: Detection | None = None
    for width in _WIDTHS:
        small, factor = _at_width(code, width)
        for identity in _candidates(small)[:4]:
            if identity.score < 0.75:
                break
            detection = _judge(small, identity)
            if detection is None:
                continue
            # Pixel centres: (x + 1/2) scales, not x.
            corners = (detection.corners + 0.5) / factor - 0.5
            if factor < 1:
                corners, _ = refine_corners(_clean(code), corners)
            found = Detection(
                corners, detection.score, detection.turned_score, detection.agreement,
                detection.orientation_certain,
            )  # fmt: skip
            if found.orientation_certain:
                return found
            unsure = unsure if unsure and unsure.score >= found.score else found
    if unsure is not None:
        return unsure
    raise ChartError(
        "No 24-patch chart was found.",
        hint="Use a frame that shows the whole chart, sharp and without glare, or place its four "
        "corners by hand.",
    )
