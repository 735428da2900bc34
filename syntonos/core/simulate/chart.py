"""Charts as pictures: flat renderings for tests and evaluation."""

from __future__ import annotations

import cv2
import numpy as np
from numpy.typing import ArrayLike, NDArray

from syntonos.core.charts.layout import CHART_24, ChartLayout, places_of
from syntonos.core.colorimetry import adaptation_matrix
from syntonos.core.encodings import AP1
from syntonos.core.simulate.spectra import (
    CMF,
    Spectrum,
    chart_reflectances,
    daylight,
    random_reflectances,
)

GAP = 0.11  # of the pitch, on each side of a patch
BORDER = 0.55  # of the pitch, around the patches
BLACK = 0.035


def reflectances_of(layout: ChartLayout, rng: np.random.Generator) -> Spectrum:
    """Return reflectances (n, 36) for a layout: about its published colours, or any.

    For published colours the nearest of many random reflectances; neutrals are flat. A chart
    without values has neutrals where it names them (or in its last row), random colours elsewhere.
    """
    if layout.names == CHART_24.names:
        return chart_reflectances()
    n = len(layout.names)
    pool = random_reflectances(rng, 6000 if layout.nominal is not None else n)
    if layout.nominal is not None:
        wanted, seen = np.cbrt(np.array(layout.nominal)), np.cbrt(np.maximum(_seen(pool), 0))
        near = ((seen[None] - wanted[:, None]) ** 2).sum(axis=2)
        pool = pool[near.argmin(axis=1)]
    rows = pool
    greys = layout.greys or tuple(range(n - layout.columns, n))
    steps = np.geomspace(0.9, 0.035, len(greys))
    for k, i in enumerate(greys):
        level = float(np.array(layout.nominal)[i].mean()) if layout.nominal else steps[k]
        rows[i] = level * (1 + 0.01 * rng.normal())
    return np.asarray(rows, np.float64)


def _seen(reflectances: Spectrum) -> NDArray[np.float64]:
    lamp = daylight(5003)
    xyz = reflectances * lamp @ CMF / float(lamp @ CMF[:, 1])
    white = lamp @ CMF / float(lamp @ CMF[:, 1])
    xy = (float(white[0] / white.sum()), float(white[1] / white.sum()))
    back = np.linalg.inv(AP1.to_xyz) @ adaptation_matrix(xy, AP1.white, method="bradford")
    return np.asarray(xyz @ back.T, np.float64)


def chart_image(
    patches: ArrayLike, pitch: int, layout: ChartLayout = CHART_24
) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    """Draw the chart face on.

    Parameters
    ----------
    patches : (n, 3) float
        Linear values of the patches, in reading order.
    pitch : int
        Distance of neighbouring patches in pixels.

    Returns
    -------
    picture : (h, w, 3) float64, linear; the border is black.
    centres : (n, 2) float64, x and y of the patches' centres in pixels.
    """
    values = np.asarray(patches, np.float64)
    border = round(BORDER * pitch)
    places = np.round(places_of(layout) * pitch).astype(int)
    size = places.max(axis=0) + pitch + 2 * border
    picture = np.full((size[1], size[0], 3), 1.0)
    picture *= (values[layout.greys[0]] if layout.greys else values.max(axis=0)).mean() * BLACK
    inset = round(GAP * pitch)
    centres = np.empty((len(values), 2))
    for i, value in enumerate(values):
        x, y = border + places[i]
        picture[y + inset : y + pitch - inset, x + inset : x + pitch - inset] = value
        centres[i] = x + pitch / 2 - 0.5, y + pitch / 2 - 0.5
    return picture, centres


def place_chart(
    picture: NDArray[np.float64],
    chart: NDArray[np.float64],
    centres: NDArray[np.float64],
    corners: ArrayLike,
) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    """Warp a chart into a linear picture, antialiased.

    Parameters
    ----------
    picture : (h, w, 3) float64, linear
    chart, centres : as `chart_image` returns them
    corners : (4, 2) float
        Where the chart's outer corners go: x, y in pixels, clockwise from its top left.

    Returns
    -------
    picture : (h, w, 3) float64, a new array
    centres : (n, 2) float64, the patches' centres in it
    """
    height, width = chart.shape[:2]
    source = np.array(
        [[-0.5, -0.5], [width - 0.5, -0.5], [width - 0.5, height - 0.5], [-0.5, height - 0.5]]
    )
    over = 4  # samples per pixel and axis
    target = (np.asarray(corners, np.float64) + 0.5) * over - 0.5
    mat = cv2.getPerspectiveTransform(source.astype(np.float32), target.astype(np.float32))
    size = (picture.shape[1] * over, picture.shape[0] * over)
    warped = cv2.warpPerspective(chart.astype(np.float32), mat, size, flags=cv2.INTER_LINEAR)
    mask = cv2.warpPerspective(np.ones((height, width), np.float32), mat, size)
    small = (picture.shape[1], picture.shape[0])
    warped = cv2.resize(warped, small, interpolation=cv2.INTER_AREA)
    mask = cv2.resize(mask, small, interpolation=cv2.INTER_AREA)[..., None]
    placed = cv2.perspectiveTransform(centres[None].astype(np.float64), mat.astype(np.float64))[0]
    return picture * (1 - mask) + warped, (placed + 0.5) / over - 0.5
