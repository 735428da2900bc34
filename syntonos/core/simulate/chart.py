"""Charts as pictures: flat renderings of the 24-patch chart for tests and evaluation."""

from __future__ import annotations

import cv2
import numpy as np
from numpy.typing import ArrayLike, NDArray

GAP = 0.11  # of the pitch, on each side of a patch
BORDER = 0.55  # of the pitch, around the patches
BLACK = 0.035


def chart_image(patches: ArrayLike, pitch: int) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    """Draw the chart face on.

    Parameters
    ----------
    patches : (24, 3) float
        Linear values of the patches, in reading order.
    pitch : int
        Distance of neighbouring patches in pixels.

    Returns
    -------
    picture : (h, w, 3) float64, linear; the border is black.
    centres : (24, 2) float64, x and y of the patches' centres in pixels.
    """
    values = np.asarray(patches, np.float64)
    border = round(BORDER * pitch)
    picture = np.full((4 * pitch + 2 * border, 6 * pitch + 2 * border, 3), 1.0)
    picture *= values[18].mean() * BLACK
    inset = round(GAP * pitch)
    centres = np.empty((24, 2))
    for i, value in enumerate(values):
        x, y = border + i % 6 * pitch, border + i // 6 * pitch
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
    centres : (24, 2) float64, the patches' centres in it
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
