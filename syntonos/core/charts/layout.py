"""Chart layouts: where patches are and what they are called."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Final

import cv2
import numpy as np
from numpy.typing import ArrayLike, NDArray

from syntonos.core.colorimetry import adaptation_matrix, lab_to_xyz, xy_to_xyz
from syntonos.core.encodings import AP1

# The 24-patch chart as made since November 2014, CIE L*a*b* under D50, 2 degree observer; the
# maker's published table as cited in docs/references.md. Used to recognise the chart and to draw
# it, never as the target of a match.
_LAB_D50: Final = (
    (37.54, 14.37, 14.92), (64.66, 19.27, 17.50), (49.32, -3.82, -22.54), (43.46, -12.74, 22.72),
    (54.94, 9.61, -24.79), (70.48, -32.26, -0.37), (62.73, 35.83, 56.50), (39.43, 10.75, -45.17),
    (50.57, 48.64, 16.67), (30.10, 22.54, -20.87), (71.77, -24.13, 58.19), (71.51, 18.24, 67.37),
    (28.37, 15.42, -49.80), (54.38, -39.72, 32.27), (42.43, 51.05, 28.62), (81.80, 2.67, 80.41),
    (50.63, 51.28, -14.12), (49.57, -29.71, -28.32), (95.19, -1.03, 2.93), (81.29, -0.57, 0.44),
    (66.89, -0.75, -0.06), (50.76, -0.13, 0.14), (35.63, -0.46, -0.48), (20.64, 0.07, -0.46),
)  # fmt: skip
D50: Final = (0.34570, 0.35854)

_NAMES: Final = (
    "dark skin", "light skin", "blue sky", "foliage", "blue flower", "bluish green", "orange",
    "purplish blue", "moderate red", "purple", "yellow green", "orange yellow", "blue", "green",
    "red", "yellow", "magenta", "cyan", "white", "neutral 8", "neutral 6.5", "neutral 5",
    "neutral 3.5", "black",
)  # fmt: skip


@dataclass(frozen=True, slots=True)
class ChartLayout:
    """Rows, columns, names and roles of a chart's patches, in reading order, counted from 0."""

    rows: int
    columns: int
    names: tuple[str, ...]
    greys: tuple[int, ...]  # from white to black
    mid_greys: tuple[int, ...]  # these anchor exposure and white
    skins: tuple[int, ...]
    # Half a patch's side as a share of the pitch: what is sampled stays well inside.
    sample_half: float = 0.26


CHART_24: Final = ChartLayout(
    4, 6, _NAMES, greys=(18, 19, 20, 21, 22, 23), mid_greys=(19, 20, 21, 22), skins=(0, 1)
)


def reference_lin() -> NDArray[np.float64]:
    """Return the chart's nominal values, (24, 3) scene-linear AP1, for recognising it."""
    xyz = lab_to_xyz(_LAB_D50, xy_to_xyz(D50))
    to_ap1 = np.linalg.inv(AP1.to_xyz) @ adaptation_matrix(D50, AP1.white, method="bradford")
    return np.asarray(xyz @ to_ap1.T, np.float64)


def chart_homography(corners: ArrayLike, layout: ChartLayout = CHART_24) -> NDArray[np.float64]:
    """Return the (3, 3) map from (column, row) to pixels, from the centres of four patches.

    Parameters
    ----------
    corners : (4, 2) float
        x, y in pixels of the centres of patches 1, 6, 24, 19: first, last of the first row, last,
        first of the last row.
    """
    c, r = layout.columns - 1, layout.rows - 1
    grid = np.array([[0, 0], [c, 0], [c, r], [0, r]], np.float32)
    return np.asarray(
        cv2.getPerspectiveTransform(grid, np.asarray(corners, np.float32)), np.float64
    )


def project(homography: NDArray[np.float64], points: ArrayLike) -> NDArray[np.float64]:
    """Map points (..., 2) by a homography."""
    p = np.asarray(points, np.float64)
    q = p @ homography[:, :2].T + homography[:, 2]
    return np.asarray(q[..., :2] / q[..., 2:], np.float64)


def patch_centres(corners: ArrayLike, layout: ChartLayout = CHART_24) -> NDArray[np.float64]:
    """Return the centres (n, 2) in pixels of all patches, in reading order."""
    grid = np.array([(i % layout.columns, i // layout.columns) for i in range(len(layout.names))])
    return project(chart_homography(corners, layout), grid)


def turned(corners: ArrayLike, quarter_turns: int = 2) -> NDArray[np.float64]:
    """Return the corners with the chart's reading turned by quarter turns, clockwise."""
    return np.roll(np.asarray(corners, np.float64), quarter_turns, axis=0)
