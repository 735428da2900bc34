"""Refinement: the chart's place to a fraction of a pixel, by fitting a template to the picture."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cache

import cv2
import numpy as np
from numpy.typing import NDArray

from syntonos.core.charts.identity import sample_cells
from syntonos.core.charts.layout import (
    CHART_24,
    ChartLayout,
    chart_homography,
    places_of,
    project,
)

_PER_CELL = 14
_MOST_POINTS = 6000
_HALVES, _BLURS = (0.36, 0.385, 0.41, 0.44), (0.03, 0.055, 0.08, 0.13)
_ROUNDS, _STEPS = 3, 6
_DAMPING, _ROW_DAMPING = 1e-3, 3e-2


def _bilinear(code: NDArray[np.float32], points: NDArray[np.float64]) -> NDArray[np.float32]:
    x, y = points[:, 0].astype(np.float32), points[:, 1].astype(np.float32)
    out = [
        cv2.remap(code, xs[None], ys[None], cv2.INTER_LINEAR, borderMode=cv2.BORDER_REPLICATE)[0]
        for xs, ys in zip(np.array_split(x, 2), np.array_split(y, 2), strict=True)
    ]
    return np.concatenate(out)


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


@dataclass(frozen=True, slots=True)
class _Template:
    """What does not depend on the picture: sample points, their patches, and shapes of patches."""

    points: NDArray[np.float64]  # (m, 2) in pitches
    distance: float  # of neighbouring points, in pitches
    patch: NDArray[np.intp]  # (m,) the nearest patch
    shares: tuple[NDArray[np.float32], ...]  # (m,) how much of its patch a point sees, per shape


@cache
def _template(layout: ChartLayout) -> _Template:
    width, height = layout.columns_at[-1] + 1.17, layout.rows_at[-1] + 1.17
    step = max(1 / _PER_CELL, float(np.sqrt(width * height / _MOST_POINTS)))
    x = np.arange(-0.58, layout.columns_at[-1] + 0.59, step)
    y = np.arange(-0.58, layout.rows_at[-1] + 0.59, step)
    points = np.stack(np.meshgrid(x, y), axis=-1).reshape(-1, 2)
    columns, rows = (_nearest(points[:, k], at)
                     for k, at in enumerate((layout.columns_at, layout.rows_at)))  # fmt: skip
    patch = rows * layout.columns + columns
    off = points - places_of(layout)[patch]
    shares = tuple(
        (_box(off[:, 0], half, blur) * _box(off[:, 1], half, blur)).astype(np.float32)
        for half in _HALVES for blur in _BLURS
    )  # fmt: skip
    return _Template(points, step, patch, shares)


def _nearest(values: NDArray[np.float64], places: tuple[float, ...]) -> NDArray[np.intp]:
    at = np.array(places)
    edges = (at[1:] + at[:-1]) / 2
    return np.searchsorted(edges, values)


def refine_corners(
    code: NDArray[np.float32], corners: NDArray[np.float64], layout: ChartLayout = CHART_24,
    *, least: float = 0.0,
) -> tuple[NDArray[np.float64], float]:  # fmt: skip
    """Fit a template of blurred patches to a picture.

    Parameters
    ----------
    code : (h, w, 3) float32
        Log code values.
    corners : (4, 2) float64
        Centres of the layout's corner patches, within about a third of the pitch.
    least : float
        Where picture and template agree less than this before anything is fitted, nothing is.

    Returns
    -------
    corners : (4, 2) float64
    agreement : float
        Correlation of picture and template after removing each cell's level, 0..1; the frame of
        gaps must be there for it to be high.
    """
    template = _template(layout)
    grid, patch = places_of(layout), template.patch
    current = corners.astype(np.float64).copy()
    along, places = (0, layout.columns_at) if layout.columns > 1 else (1, layout.rows_at)
    pitch = float(np.hypot(*(corners[along + 1] - corners[along])) / places[-1])
    # Edges must be wider than the distance of the samples, or they fall between them.
    spacing = pitch * template.distance
    if spacing > 1.0:
        code = _blurred(code, corners, pitch, 0.7 * spacing)

    def seen_at(quad: NDArray[np.float64]) -> NDArray[np.float32]:
        return _bilinear(code, project(chart_homography(quad, layout), template.points))

    def levels_at(quad: NDArray[np.float64]) -> NDArray[np.float32]:
        cells = sample_cells(code, grid, chart_homography(quad, layout))
        return np.nan_to_num(cells).astype(np.float32)

    def wanted(levels: NDArray[np.float32], seen: NDArray[np.float32], shape: int
               ) -> NDArray[np.float32]:  # fmt: skip
        share = template.shares[shape]
        # The gap's level: what is seen where no patch is.
        open_gap = share < 0.15
        gap = np.median(seen[open_gap], axis=0) if open_gap.any() else levels.min(axis=0)
        return np.asarray(gap + share[:, None] * (levels[patch] - gap), np.float32)

    def agrees() -> float:
        seen = seen_at(current)
        return _agreement(seen, wanted(levels_at(current), seen, shape), patch)

    # One row says little of its dark end's place, whose edges hardly show: there the best is kept.
    is_row = min(layout.rows, layout.columns) == 1
    damping = _ROW_DAMPING if is_row else _DAMPING
    best: tuple[float, NDArray[np.float64]] | None = None
    shape = 0
    if least > 0 and (before := agrees()) < least:
        return current, before
    for round_ in range(_ROUNDS):
        seen, levels = seen_at(current), levels_at(current)
        costs = [
            float(np.minimum(np.abs(seen - wanted(levels, seen, k)), 0.1).mean())
            for k in range(len(template.shares))
        ]
        shape = int(np.argmin(costs))
        if is_row:
            before = agrees()
            best = max(best or (before, current.copy()), (before, current.copy()),
                       key=lambda row: row[0])  # fmt: skip
        step = max(0.06 * pitch * 0.5**round_, 0.15)
        for _ in range(_STEPS):
            seen = seen_at(current)
            base = (seen - wanted(levels_at(current), seen, shape)).ravel()
            weight = 1 / (1 + (base / 0.04) ** 2)
            # The patches' own levels stay: inside a patch, a small move changes nothing.
            jac = np.empty((len(base), 8), np.float32)
            for i in range(8):
                moved = current.copy()
                moved[i // 2, i % 2] += step
                jac[:, i] = ((seen_at(moved) - seen) / step).ravel()
            weighted = jac * weight[:, None]
            normal = (weighted.T @ jac).astype(np.float64)
            # The last part is for a picture without any edge, where nothing moves.
            normal += np.eye(8) * (damping * np.trace(normal) / 8 + 1e-9)
            pull = (weighted.T @ base).astype(np.float64)
            move = -np.linalg.solve(normal, pull).reshape(4, 2)
            length = float(np.abs(move).max())
            current += move * min(1.0, 0.15 * pitch / max(length, 1e-9))
            if length < 0.01:
                break
    agreement = agrees()
    if best is not None and best[0] > agreement:
        return best[1], best[0]
    return current, agreement


def _agreement(
    seen: NDArray[np.float32], want: NDArray[np.float32], patch: NDArray[np.intp]
) -> float:
    """Correlate what varies inside the cells: the edges, not the patches' own levels."""
    n = int(patch.max()) + 1
    count = np.bincount(patch, minlength=n)[:, None]

    def edges(values: NDArray[np.float32]) -> NDArray[np.float64]:
        means = np.stack([np.bincount(patch, values[:, c], n) for c in range(3)], axis=1) / count
        return np.asarray(values - means[patch])

    a, b = edges(seen), edges(want)
    return float((a * b).sum() / np.sqrt((a * a).sum() * (b * b).sum() + 1e-12))
