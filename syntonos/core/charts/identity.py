"""Identity: which window of a lattice is the chart, and which way up.

The nominal chart values explain the log codes of the right window through a model that needs to
know neither curve, levels, exposure nor light:
    code = a + b u + c v + B log2(max(ref, 0) + 0.006)
with u, v the place on the chart (uneven light) and B 3x3 over the channels.
"""

from __future__ import annotations

from dataclasses import dataclass
from functools import cache

import numpy as np
from numpy.typing import NDArray

from syntonos.core.charts.lattice import Lattice
from syntonos.core.charts.layout import project, reference_lin

_KEEP = 20
_ROUNDS = 4
_FLOOR = 0.006  # under the fitted spread: a featureless area explains itself perfectly


@dataclass(frozen=True, slots=True)
class Identity:
    """A window read as the chart: corners in pixels, score 1 - SSR/SST, the score turned by 180."""

    corners: NDArray[np.float64]
    score: float
    turned_score: float
    spread: float
    nodes: int


@cache
def _design() -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    """Return the plane's columns (24, 3) and the colour's columns (24, 3)."""
    ref = np.log2(np.maximum(reference_lin(), 0) + 0.006)
    place = np.array([(i % 6 / 5 - 0.5, i // 6 / 3 - 0.5) for i in range(24)])
    return np.column_stack([np.ones(24), place]), ref


def score_patches(code: NDArray[np.float64]) -> tuple[float, float]:
    """Return (score, fitted spread) of codes (24, 3) in reading order.

    The score is 1 - SSR/SST over the 20 patches that fit best, SST after removing the plane,
    with a floor under SST.
    """
    plane, ref = _design()
    full = np.column_stack([plane, ref])
    keep = np.arange(24)
    for _ in range(_ROUNDS):
        solved = np.linalg.lstsq(full[keep], code[keep], rcond=None)[0]
        miss = ((code - full @ solved) ** 2).sum(axis=1)
        keep = np.sort(np.argsort(miss)[:_KEEP])
    solved = np.linalg.lstsq(full[keep], code[keep], rcond=None)[0]
    ssr = ((code[keep] - full[keep] @ solved) ** 2).sum()
    flat = np.linalg.lstsq(plane[keep], code[keep], rcond=None)[0]
    sst = ((code[keep] - plane[keep] @ flat) ** 2).sum()
    spread = float(np.sqrt(max(sst - ssr, 0.0) / (3 * _KEEP)))
    return float((sst - ssr) / (sst + 3 * _KEEP * _FLOOR**2)), spread


def sample_cells(
    code: NDArray[np.float32],
    centres: NDArray[np.float64],
    homography: NDArray[np.float64],
    half: float = 0.2,
) -> NDArray[np.float64]:
    """Return the median code (n, 3) of grid cells at places (n, 2); NaN outside."""
    ticks = np.linspace(-half, half, 5)
    offsets = np.stack(np.meshgrid(ticks, ticks), axis=-1).reshape(-1, 2)
    points = project(homography, centres[:, None, :] + offsets)
    x, y = np.rint(points[..., 0]), np.rint(points[..., 1])
    height, width = code.shape[:2]
    inside = ((x >= 0) & (x < width) & (y >= 0) & (y < height)).all(axis=1)
    xi = np.clip(np.nan_to_num(x), 0, width - 1).astype(int)
    yi = np.clip(np.nan_to_num(y), 0, height - 1).astype(int)
    out = np.median(code[yi, xi], axis=1).astype(np.float64)
    out[~inside] = np.nan
    return np.asarray(out, np.float64)


def identify(code: NDArray[np.float32], lattice: Lattice) -> list[Identity]:
    """Return the best readings of a lattice as the chart, the best first (at most 2)."""
    low, high = lattice.places.min(axis=0) - 4, lattice.places.max(axis=0) + 4
    columns, rows = np.arange(low[0], high[0] + 1), np.arange(low[1], high[1] + 1)
    grid = np.stack(np.meshgrid(columns, rows), axis=-1)
    depth = grid.reshape(-1, 2) @ lattice.homography[2, :2] + lattice.homography[2, 2]
    at = np.median(lattice.places @ lattice.homography[2, :2] + lattice.homography[2, 2])
    values = sample_cells(code, grid.reshape(-1, 2).astype(float), lattice.homography)
    values[depth / at < 0.2] = np.nan
    table = values.reshape(*grid.shape[:2], 3)
    known = {tuple(p) for p in lattice.places.tolist()}
    plane, ref = _design()
    full = np.column_stack([plane, ref])
    hat = full @ np.linalg.pinv(full)
    flat = plane @ np.linalg.pinv(plane)
    found: list[tuple[float, int, int, bool, bool]] = []
    for tall in (False, True):
        w, h = (4, 6) if tall else (6, 4)
        for i in range(table.shape[0] - h + 1):
            for j in range(table.shape[1] - w + 1):
                window = table[i : i + h, j : j + w]
                if np.isnan(window).any():
                    continue
                for turn in (False, True):
                    seen = _oriented(window, tall, turn)
                    ssr = ((seen - hat @ seen) ** 2).sum()
                    sst = ((seen - flat @ seen) ** 2).sum()
                    found.append((float((sst - ssr) / (sst + 72 * _FLOOR**2)), i, j, tall, turn))
    found.sort(reverse=True)
    out: list[Identity] = []
    for _, i, j, tall, turn in found[:6]:
        w, h = (4, 6) if tall else (6, 4)
        window = table[i : i + h, j : j + w]
        score, spread = score_patches(_oriented(window, tall, turn))
        other, _ = score_patches(_oriented(window, tall, not turn))
        places = _oriented(grid[i : i + h, j : j + w].astype(float), tall, turn)
        corners = project(lattice.homography, places[[0, 5, 23, 18]])
        nodes = sum((x, y) in known for x, y in places.astype(int).tolist())
        out.append(Identity(corners, score, other, spread, nodes))
    out.sort(key=lambda found: -found.score)
    return out[:2]


def _oriented(window: NDArray[np.float64], tall: bool, turn: bool) -> NDArray[np.float64]:
    """Return a window's 24 cells in the chart's reading order."""
    cells = np.rot90(window) if tall else window
    cells = cells[::-1, ::-1] if turn else cells
    return cells.reshape(24, -1)
