"""Identity: which window of a lattice is the chart, and which way up.

Published values explain the log codes of the right window through a model that needs to know
neither curve, levels, exposure nor light:
    code = a + b u + c v + B log2(max(ref, 0) + 0.006)
with u, v the place on the chart (uneven light) and B 3x3 over the channels. A layout without
values is recognised by its neutrals: along the ramp their channels follow one smooth curve. One
without neutrals either is only a grid of the right size: which way up it is must be asked.
"""

from __future__ import annotations

from dataclasses import dataclass
from functools import cache, cached_property

import numpy as np
from numpy.typing import NDArray

from syntonos.core.charts.lattice import Lattice
from syntonos.core.charts.layout import CHART_24, ChartLayout, place_on, places_of, project

_KEEP = 5 / 6  # share of the patches that is looked at: some may be covered
_ROUNDS = 4
_FLOOR = 0.006  # under the fitted spread: a featureless area explains itself perfectly
_MOST_WINDOWS = 6
_ENOUGH_NODES = 0.7  # dark patches hide in a dark border

A = NDArray[np.float64]


@dataclass(frozen=True, slots=True)
class Identity:
    """A window read as the chart: corners in pixels, score 1 - SSR/SST, the next best turn's."""

    corners: A
    score: float
    turned_score: float
    spread: float
    nodes: int


@cache
def _design(layout: ChartLayout) -> tuple[A, A | None]:
    """Return the plane's columns (n, 3) and the colour's columns (n, 3), None without values."""
    place = place_on(layout)
    plane = np.column_stack([np.ones(len(place)), place])
    if layout.nominal is None:
        return plane, None
    return plane, np.log2(np.maximum(np.array(layout.nominal), 0) + 0.006)


def score_patches(code: A, layout: ChartLayout = CHART_24) -> tuple[float, float]:
    """Return (score, fitted spread) of codes (n, 3) in reading order.

    The score is 1 - SSR/SST over the patches that fit best (20 of 24), SST after removing the
    plane, with a floor under SST.
    """
    plane, ref = _design(layout)
    if ref is None:
        return _score_neutrals(code, layout)
    full = np.column_stack([plane, ref])
    count = round(_KEEP * len(code))
    keep = np.arange(len(code))
    for _ in range(_ROUNDS):
        solved = np.linalg.lstsq(full[keep], code[keep], rcond=None)[0]
        miss = ((code - full @ solved) ** 2).sum(axis=1)
        keep = np.sort(np.argsort(miss)[:count])
    solved = np.linalg.lstsq(full[keep], code[keep], rcond=None)[0]
    ssr = ((code[keep] - full[keep] @ solved) ** 2).sum()
    flat = np.linalg.lstsq(plane[keep], code[keep], rcond=None)[0]
    sst = ((code[keep] - plane[keep] @ flat) ** 2).sum()
    spread = float(np.sqrt(max(sst - ssr, 0.0) / (3 * count)))
    return float((sst - ssr) / (sst + 3 * count * _FLOOR**2)), spread


def _score_neutrals(code: A, layout: ChartLayout) -> tuple[float, float]:
    """Return (score, spread) without values: neutrals in a row, and unlike the colours."""
    spread = float(code.std(axis=0).mean())
    greys = list(layout.greys)
    if not greys:
        return (1.0 if spread > 2 * _FLOOR else 0.0), spread
    luma = code.mean(axis=1)
    # From light to dark, as the layout names them: steps that rise speak against the window.
    steps = np.diff(luma[greys])
    falls = float(np.abs(steps[steps < 0]).sum())
    order = falls / (np.abs(steps).sum() + 2 * _FLOOR)
    colours = [i for i in range(len(code)) if i not in greys]
    if len(colours) < 3:
        return float(order), spread
    chroma = np.column_stack([code[:, 0] - code[:, 1], code[:, 2] - code[:, 1]])
    line = np.column_stack([np.ones(len(greys)), luma[greys], luma[greys] ** 2])[
        :, : len(greys) - 1
    ]
    left = chroma[greys] - line @ np.linalg.lstsq(line, chroma[greys], rcond=None)[0]
    own = float((left**2).mean())
    all_of = float(((chroma[colours] - np.median(chroma[greys], axis=0)) ** 2).mean())
    return float(order * (1 - own / (own + all_of + _FLOOR**2))), spread


def sample_cells(
    code: NDArray[np.float32],
    centres: A,
    homography: A,
    half: float = 0.2,
) -> A:
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


@dataclass(frozen=True, slots=True)
class _Turn:
    """One way a layout may lie on a lattice: its patches' places, from 0, and its size."""

    places: A  # (n, 2)
    size: tuple[float, float]


@cache
def _turns(layout: ChartLayout) -> tuple[_Turn, ...]:
    """Return the layout turned by 0, 90, 180 and 270 degrees."""
    out = []
    places = places_of(layout)
    for _ in range(4):
        out.append(_Turn(places, (float(places[:, 0].max()), float(places[:, 1].max()))))
        places = np.column_stack([places[:, 1].max() - places[:, 1], places[:, 0]])
    return tuple(out)


@cache
def _bases(layout: ChartLayout) -> tuple[A, A]:
    """Return orthonormal columns of plane and colour (n, 6), and of the plane alone (n, 3)."""
    plane, ref = _design(layout)
    full = plane if ref is None else np.column_stack([plane, ref])
    return np.linalg.svd(full, full_matrices=False)[0], np.linalg.qr(plane)[0]


class _Windows:
    """A lattice's surroundings, some cells beyond its nodes."""

    def __init__(self, code: NDArray[np.float32], lattice: Lattice, beyond: int) -> None:
        self.code, self.lattice = code, lattice
        self.low = lattice.places.min(axis=0) - beyond
        high = lattice.places.max(axis=0) + beyond
        self.shape = high - self.low + 1
        self.node = np.zeros(self.shape, bool)
        self.node[tuple((lattice.places - self.low).T)] = True

    @cached_property
    def values(self) -> A:
        """Codes at the lattice's cells."""
        grid = np.stack(np.meshgrid(*map(np.arange, self.shape), indexing="ij"), axis=-1)
        return self.sampled(grid.reshape(-1, 2) + self.low).reshape(*self.shape, 3)

    def sampled(self, points: A) -> A:
        """Return codes at places of the lattice; NaN outside, and where it vanishes."""
        points = np.asarray(points, np.float64)
        mat = self.lattice.homography
        values = sample_cells(self.code, points, mat)
        at = np.median(self.lattice.places @ mat[2, :2] + mat[2, 2])
        values[(points @ mat[2, :2] + mat[2, 2]) / at < 0.2] = np.nan
        return values

    def shifts(self, size: tuple[float, float]) -> NDArray[np.intp]:
        """Return where a window of a size may begin, (w, 2), counted from `low`."""
        room = [max(0, int(np.floor(n - 1 - s)) + 1) for n, s in zip(self.shape, size, strict=True)]
        return np.stack(np.meshgrid(*map(np.arange, room), indexing="ij"), axis=-1).reshape(-1, 2)

    def on_nodes(self, places: A, shifts: NDArray[np.intp]) -> A:
        """Return per shift the share of the places that are nodes; places in gaps do not count."""
        cells = np.round(places).astype(int)
        cells = cells[np.abs(places - cells).max(axis=1) < 1e-9]
        at = cells[None] + shifts[:, None]
        return np.asarray(self.node[at[..., 0], at[..., 1]].mean(axis=1), np.float64)


def identify(
    code: NDArray[np.float32], lattice: Lattice, layout: ChartLayout = CHART_24
) -> list[Identity]:
    """Return the best readings of a lattice in (h, w, 3) as the chart, the two best."""
    n = len(layout.names)
    if min(layout.rows, layout.columns) < 2 or len(lattice.places) < min(n / 8, 40):
        return []  # a single row is no lattice: `find_rows` looks for it
    is_even = all(float(v).is_integer() for v in (*layout.columns_at, *layout.rows_at))
    # A lattice ends at a gap: what lies beyond it may be most of the chart.
    around = _Windows(code, lattice, 4 if is_even else max(layout.rows, layout.columns))
    turns = _turns(layout)
    found = [
        (float(score), k, int(i), int(j))
        for k, turn in enumerate(turns)
        for score, (i, j) in _scored(around, turn, layout, is_even)
    ]
    found.sort(reverse=True)
    out: list[Identity] = []
    for _, k, i, j in found[:_MOST_WINDOWS]:
        shift = np.array([[i, j]])
        places = turns[k].places + shift + around.low
        values = around.sampled(places)
        score, spread = score_patches(values, layout)
        nodes = float(around.on_nodes(turns[k].places, shift)[0])
        if layout.nominal is None:
            score *= min(1.0, nodes / _ENOUGH_NODES)
        corners = project(lattice.homography, places[[0, layout.columns - 1, n - 1,
                                                      n - layout.columns]])  # fmt: skip
        other = other_turns(values, layout)
        out.append(Identity(corners, score, other, spread, round(nodes * n)))
    out.sort(key=lambda found: -found.score)
    return out[:2]


def _scored(
    around: _Windows, turn: _Turn, layout: ChartLayout, is_even: bool
) -> list[tuple[float, NDArray[np.intp]]]:
    """Return the windows of one turn with a quick score, as far as they can be the chart."""
    shifts = around.shifts(turn.size)
    if not len(shifts):
        return []
    nodes = around.on_nodes(turn.places, shifts)
    if layout.nominal is None or not is_even:
        shifts, nodes = shifts[nodes > 0.4], nodes[nodes > 0.4]
    if not len(shifts):
        return []
    if is_even:
        cells = turn.places.astype(int)[None] + shifts[:, None]
        seen = around.values[cells[..., 0], cells[..., 1]]
    else:
        # With gaps no cell of the lattice stands for a patch beyond one.
        places = turn.places[None] + shifts[:, None] + around.low
        seen = around.sampled(places.reshape(-1, 2)).reshape(len(shifts), -1, 3)
    whole = ~np.isnan(seen).any(axis=(1, 2))
    seen, shifts, nodes = seen[whole], shifts[whole], nodes[whole]
    if layout.nominal is None:
        score = nodes * [score_patches(values, layout)[0] for values in seen]
    else:
        full, flat = _bases(layout)
        total = (seen**2).sum(axis=(1, 2))
        ssr = total - (np.einsum("wnc,nk->wkc", seen, full) ** 2).sum(axis=(1, 2))
        sst = total - (np.einsum("wnc,nk->wkc", seen, flat) ** 2).sum(axis=(1, 2))
        score = (sst - ssr) / (sst + seen[0].size * _FLOOR**2) if len(seen) else sst
    best = np.argsort(-score)[:_MOST_WINDOWS]
    return [(float(score[i]), shifts[i]) for i in best]


def other_turns(values: A, layout: ChartLayout = CHART_24) -> float:
    """Return the best score of the same patches (rows, columns, 3) read any other way up."""
    grid = values.reshape(layout.rows, layout.columns, 3)
    square = layout.rows == layout.columns and layout.rows_at == layout.columns_at
    turns = (1, 2, 3) if square else (2,)
    return max(score_patches(np.rot90(grid, k).reshape(-1, 3), layout)[0] for k in turns)
