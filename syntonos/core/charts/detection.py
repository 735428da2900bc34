"""Finding a chart in log footage, without knowing curve, levels, exposure or light.

Blobs that are parallelograms, lattices of blobs, windows of a lattice that the nominal chart
explains, and a template fitted to the picture. Everything works on the stored code values.
"""

from __future__ import annotations

from dataclasses import dataclass, replace

import cv2
import numpy as np
from numpy.typing import NDArray

from syntonos.core.charts.blobs import find_blobs
from syntonos.core.charts.identity import (
    Identity,
    identify,
    other_turns,
    sample_cells,
    score_patches,
)
from syntonos.core.charts.lattice import Lattice, find_lattices
from syntonos.core.charts.layout import CHART_24, ChartLayout, chart_homography, places_of
from syntonos.core.charts.refine import refine_corners
from syntonos.core.charts.rows import find_rows
from syntonos.core.errors import ChartError

_WIDTHS = (480, 960, 1920)  # most charts are found in the small one, in half the time
_SURE, _LIKELY = 0.90, 0.85
_AGREEMENT = 0.6
# Before it is refined: 189 charts had 0.60 and more, half of 250 other things 0.20 and less.
_AT_FIRST = 0.4
_WORTH = 0.75  # candidates below are not looked at
_CLEAR = 0.97  # score of a window beside which no other need be looked for


@dataclass(frozen=True, slots=True)
class Detection:
    """A chart that was found."""

    corners: NDArray[np.float64]  # (4, 2) centres of the layout's corner patches in pixels
    score: float  # share of the codes' variance that the chart explains
    turned_score: float  # the best of the other ways up
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


def _candidates(
    small: NDArray[np.float32], layout: ChartLayout, *, enough: float = 2.0
) -> list[Identity]:
    """Return windows that could be the chart, the best first; stop at a score that is enough."""
    if min(layout.rows, layout.columns) == 1:
        return find_rows(small, find_blobs(small), layout)
    found: list[Identity] = []
    # Large ones are looked at once they are found, small ones only when there is nothing else.
    waiting: list[Lattice] = []
    for lattice in find_lattices(find_blobs(small)):
        if len(lattice.places) < 0.7 * len(layout.names):
            waiting.append(lattice)
            continue
        found += identify(small, lattice, layout)
        if any(i.score >= enough for i in found[-2:]):
            return sorted(found, key=lambda identity: -identity.score)
    found += [identity for lattice in waiting for identity in identify(small, lattice, layout)]
    return sorted(found, key=lambda identity: -identity.score)


def _judge(code: NDArray[np.float32], found: Identity, layout: ChartLayout) -> Detection | None:
    corners, agreement = refine_corners(code, found.corners, layout, least=_AT_FIRST)
    values = sample_cells(code, places_of(layout), chart_homography(corners, layout))
    if np.isnan(values).any() or agreement < _AGREEMENT:
        return None
    score, spread = score_patches(values, layout)
    half = score_patches(values[::-1], layout)[0]
    if half > score:
        corners, score, values = np.roll(corners, 2, axis=0), half, values[::-1]
    other = other_turns(values, layout)
    if spread < 0.02:
        return None
    sure = score >= _SURE or (
        score >= _LIKELY and score - other >= 0.30 and found.nodes >= 13 / 24 * len(values)
    )
    if not sure and score < _LIKELY:
        return None
    return Detection(corners, score, other, agreement, sure and score - other >= 0.15)


def _in_full(
    code: NDArray[np.float32], found: Detection, factor: float, layout: ChartLayout
) -> Detection:
    """Return a detection of a resized picture in the picture's own pixels."""
    # Pixel centres: (x + 1/2) scales, not x.
    corners = (found.corners + 0.5) / factor - 0.5
    if factor < 1:
        corners, _ = refine_corners(_clean(code), corners, layout)
    return replace(found, corners=corners)


def find_chart(code_rgb: NDArray[np.float32], layout: ChartLayout = CHART_24) -> Detection:
    """Find a chart.

    Parameters
    ----------
    code_rgb : (h, w, 3) float32
        Stored code values of one frame, or the mean of several. Any log curve and levels.
    layout : ChartLayout
        The chart that is looked for.

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
        enough = _CLEAR if layout.nominal is not None else 2.0
        worth = [i for i in _candidates(small, layout, enough=enough)[:6] if i.score >= _WORTH]
        if not layout.greys:
            # Nothing but the grid itself tells which window is the chart.
            judged = [d for d in (_judge(small, i, layout) for i in worth) if d is not None]
            if judged:
                return _in_full(code, max(judged, key=lambda d: d.agreement), factor, layout)
            continue
        for identity in worth[:4]:
            detection = _judge(small, identity, layout)
            if detection is None:
                continue
            found = _in_full(code, detection, factor, layout)
            if found.orientation_certain:
                return found
            unsure = unsure if unsure and unsure.score >= found.score else found
    if unsure is not None:
        return unsure
    raise _not_found(layout)


def find_charts(
    code_rgb: NDArray[np.float32], layout: ChartLayout = CHART_24, *, most: int = 6
) -> list[Detection]:
    """Find all charts of one layout in a frame (h, w, 3), the largest first.

    Parameters and errors as in `find_chart`; at all scales, so it takes a few times as long.
    """
    code = np.ascontiguousarray(code_rgb, np.float32)
    found: list[Detection] = []
    for width in _WIDTHS:
        small, factor = _at_width(code, width)
        for identity in _candidates(small, layout)[: 4 * most]:
            middle = (identity.corners.mean(axis=0) + 0.5) / factor - 0.5
            if identity.score < _WORTH or len(found) >= most:
                break
            if any(_holds(other, middle) for other in found):
                continue
            detection = _judge(small, identity, layout)
            if detection is not None:
                found.append(_in_full(code, detection, factor, layout))
    if not found:
        raise _not_found(layout)
    return sorted(found, key=lambda d: -cv2.contourArea(d.corners.astype(np.float32)))


def _holds(found: Detection, point: NDArray[np.float64]) -> bool:
    quad = found.corners.astype(np.float32)
    return cv2.pointPolygonTest(quad, (float(point[0]), float(point[1])), False) >= 0


def _not_found(layout: ChartLayout) -> ChartError:
    kind = "24-patch chart" if layout.name == CHART_24.name else f"chart of {layout.name}"
    return ChartError(
        f"No {kind} was found.",
        hint="Use a frame that shows the whole chart, sharp and without glare, or place its four "
        "corners by hand.",
    )
