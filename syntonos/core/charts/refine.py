"""Refinement: the chart's place to a fraction of a pixel, by fitting a template to the picture."""

from __future__ import annotations

import cv2
import numpy as np
from numpy.typing import NDArray

from syntonos.core.charts.identity import sample_cells
from syntonos.core.charts.layout import chart_homography, project

_GRID = np.array([(i % 6, i // 6) for i in range(24)], float)
_PER_CELL = 14
_BLURS = (0.03, 0.055, 0.08, 0.13)


def _bilinear(code: NDArray[np.float32], points: NDArray[np.float64]) -> NDArray[np.float64]:
    x, y = points[:, 0].astype(np.float32), points[:, 1].astype(np.float32)
    out = [
        cv2.remap(code, xs[None], ys[None], cv2.INTER_LINEAR, borderMode=cv2.BORDER_REPLICATE)[0]
        for xs, ys in zip(np.array_split(x, 2), np.array_split(y, 2), strict=True)
    ]
    return np.concatenate(out).astype(np.float64)


def _blurred(
    code: NDArray[np.float32], corners: NDArray[np.float64], pitch: float, sigma: float
) -> NDArray[np.float32]:
    """Return the picture, blurred around the chart."""
    low = np.maximum(corners.min(axis=0) - 2 * pitch, 0).astype(int)
    high = (corners.max(axis=0) + 2 * pitch).astype(int)
    part = np.s_[low[1] : high[1], low[0] : high[0]]
    out = code.copy()
    out[part] = cv2.GaussianBlur(code[part], (0, 0), sigma)
    return out


def _box(distance: NDArray[np.float64], half: float, blur: float) -> NDArray[np.float64]:
    """Return a box of half width `half` about 0, blurred; logistic edges are close to Gaussian."""
    scale = 1.7 / max(blur, 1e-3)
    return np.asarray(
        1 / (1 + np.exp(-np.clip(scale * (distance + half), -40, 40)))
        - 1 / (1 + np.exp(-np.clip(scale * (distance - half), -40, 40)))
    )


def _template(points: NDArray[np.float64], half: float, blur: float) -> NDArray[np.float64]:
    """Return how much of its patch each point (n, 2) in grid units sees, 0 in the gaps."""
    off = points - np.clip(np.rint(points), 0, [5, 3])
    return _box(off[:, 0], half, blur) * _box(off[:, 1], half, blur)


def _sample_points() -> NDArray[np.float64]:
    x = np.arange(-0.58, 5.59, 1 / _PER_CELL)
    y = np.arange(-0.58, 3.59, 1 / _PER_CELL)
    return np.stack(np.meshgrid(x, y), axis=-1).reshape(-1, 2)


def refine_corners(
    code: NDArray[np.float32], corners: NDArray[np.float64]
) -> tuple[NDArray[np.float64], float]:
    """Fit a template of blurred patches to a picture.

    Parameters
    ----------
    code : (h, w, 3) float32
        Log code values.
    corners : (4, 2) float64
        Centres of patches 1, 6, 24, 19, within about a third of the pitch.

    Returns
    -------
    corners : (4, 2) float64
    agreement : float
        Correlation of picture and template after removing each cell's level, 0..1; the frame of
        gaps must be there for it to be high.
    """
    points = _sample_points()
    cell = np.clip(np.rint(points), 0, [5, 3]).astype(int)
    patch = cell[:, 1] * 6 + cell[:, 0]
    current = corners.astype(np.float64).copy()
    pitch = float(np.hypot(*(corners[1] - corners[0])) / 5)
    # Edges must be wider than the distance of the samples, or they fall between them.
    spacing = pitch / _PER_CELL
    if spacing > 1.0:
        code = _blurred(code, corners, pitch, 0.7 * spacing)
    shapes = [(h, b) for h in (0.36, 0.385, 0.41, 0.44) for b in _BLURS]

    def model(quad: NDArray[np.float64], shape: tuple[float, float]
              ) -> tuple[NDArray[np.float64], NDArray[np.float64]]:  # fmt: skip
        mat = chart_homography(quad)
        seen = _bilinear(code, project(mat, points))
        levels = sample_cells(code, _GRID, mat)
        levels = np.where(np.isnan(levels), 0.0, levels)
        share = _template(points, *shape)
        # The gap's level: what is seen where no patch is.
        open_gap = share < 0.15
        gap = np.median(seen[open_gap], axis=0) if open_gap.any() else levels.min(axis=0)
        return seen, gap + share[:, None] * (levels[patch] - gap)

    shape = shapes[6]
    for round_ in range(3):
        costs = []
        for candidate in shapes:
            seen, want = model(current, candidate)
            costs.append(float(np.minimum(np.abs(seen - want), 0.1).mean()))
        shape = shapes[int(np.argmin(costs))]
        step = max(0.06 * pitch * 0.5**round_, 0.15)
        for _ in range(6):
            seen, want = model(current, shape)
            base = (seen - want).ravel()
            weight = 1 / (1 + (base / 0.04) ** 2)
            columns = []
            for i in range(8):
                moved = current.copy()
                moved[i // 2, i % 2] += step
                s, w = model(moved, shape)
                columns.append(((s - w).ravel() - base) / step)
            jac = np.stack(columns, axis=1)
            normal = (jac * weight[:, None]).T @ jac
            normal += np.eye(8) * 1e-3 * np.trace(normal) / 8
            move = -np.linalg.solve(normal, (jac * weight[:, None]).T @ base).reshape(4, 2)
            length = float(np.abs(move).max())
            current += move * min(1.0, 0.15 * pitch / max(length, 1e-9))
            if length < 0.01:
                break
    seen, want = model(current, shape)
    return current, _agreement(seen, want, patch)


def _agreement(
    seen: NDArray[np.float64], want: NDArray[np.float64], patch: NDArray[np.intp]
) -> float:
    """Correlate what varies inside the cells: the edges, not the patches' own levels."""
    count = np.bincount(patch, minlength=24)[:, None]

    def edges(values: NDArray[np.float64]) -> NDArray[np.float64]:
        means = np.stack([np.bincount(patch, values[:, c], 24) for c in range(3)], axis=1) / count
        return np.asarray(values - means[patch])

    a, b = edges(seen), edges(want)
    return float((a * b).sum() / np.sqrt((a * a).sum() * (b * b).sum() + 1e-12))
