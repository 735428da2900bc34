"""Charts of a single row or column: blobs that follow each other in a line, from light to dark."""

from __future__ import annotations

from collections.abc import Iterator
from itertools import pairwise
from typing import Any

import numpy as np
from numpy.typing import NDArray

from syntonos.core.charts.identity import Identity, other_turns, sample_cells, score_patches
from syntonos.core.charts.layout import ChartLayout, chart_homography, places_of

A = NDArray[np.float64]
_NEXT = (0.95, 1.8)  # distance of neighbours, in edges of a blob
_ALIKE = 0.5  # log ratio of areas
_SNAP = 0.22  # of a step
_LEAST_SHARE, _LEAST_NODES = 0.6, 5
_MOST_CHAINS = 400
_OFF = 0.08  # of the pitch: a blob farther off is another thing
_BENT = 0.6  # how far steps may shrink over the row, in perspective
_MONOTONE = 0.97  # share of the steps that fall as they should
_TINT = 0.012  # stored code: how far greys may be from one line of tint over level


def find_rows(
    code: NDArray[np.float32], blobs: A, layout: ChartLayout, *, most: int = 6
) -> list[Identity]:
    """Return places where a chart of one row or column may be, the best first.

    Parameters
    ----------
    code : (h, w, 3) float32
        Log code values.
    blobs : (n, 6) float64
        As `find_blobs` gives them.
    layout : ChartLayout
        Of evenly spaced patches in one row or column; for others nothing is found.
    """
    at = np.array(layout.columns_at if layout.rows == 1 else layout.rows_at)
    if len(blobs) < _LEAST_NODES or np.abs(np.diff(at) - 1).max() > 0.05:
        return []
    found: list[Identity] = []
    seen: set[frozenset[int]] = set()
    for nodes in _chains(blobs, len(at)):
        key = frozenset(nodes.values())
        if key in seen:
            continue
        seen.add(key)
        for corners in _windows(blobs, nodes, len(at)):
            identity = _identity(code, corners, layout, len(nodes))
            if identity is not None:
                found.append(identity)
        if len(seen) >= _MOST_CHAINS:
            break
    return sorted(found, key=lambda i: (-i.nodes, -i.score))[:most]


def _chains(blobs: A, count: int) -> Iterator[dict[int, int]]:
    """Yield rows of blobs: place along the row to blob."""
    from scipy.spatial import cKDTree

    tree = cKDTree(blobs[:, :2])
    least = max(_LEAST_NODES, int(np.ceil(_LEAST_SHARE * count)))
    done: set[tuple[int, int]] = set()
    for seed in range(len(blobs)):
        edge = float(np.sqrt(12 * (blobs[seed, 3] + blobs[seed, 5])))
        for other in tree.query_ball_point(blobs[seed, :2], _NEXT[1] * edge):
            if other == seed or (seed, other) in done or not _follows(blobs, seed, other):
                continue
            nodes = {0: seed, 1: other}
            for sign in (1, -1):
                _extend(blobs, tree, nodes, sign, count)
            order = sorted(nodes)
            for a, b in pairwise(order):
                done |= {(nodes[a], nodes[b]), (nodes[b], nodes[a])}
            if len(nodes) >= least:
                yield nodes


def _follows(blobs: A, first: int, second: int) -> bool:
    """Say whether a blob may be the neighbour of another: as large, and a step of its width off."""
    if abs(np.log(blobs[second, 2] / blobs[first, 2])) > _ALIKE:
        return False
    step = blobs[second, :2] - blobs[first, :2]
    if not step.any():
        return False
    width = _width(blobs[first], step)
    return bool(_NEXT[0] * width < np.hypot(*step) < _NEXT[1] * width)


def _covariance(blob: A) -> A:
    return 12 * np.array([[blob[3], blob[4]], [blob[4], blob[5]]])


def _width(blob: A, along: A) -> float:
    """Return a parallelogram's side along a direction, from its moments: C = a a^T + b b^T."""
    u = along / np.hypot(*along)
    return float(1 / np.sqrt(max(u @ np.linalg.inv(_covariance(blob)) @ u, 1e-12)))


def _extend(blobs: A, tree: Any, nodes: dict[int, int], sign: int, count: int) -> None:
    """Go on from one end of a row, over one missing blob at a time."""
    end = max(nodes) if sign > 0 else min(nodes)
    while len(nodes) < count + 4:
        last = blobs[nodes[end]]
        before = next(k for k in range(end - sign, end - 4 * sign, -sign) if k in nodes)
        step = (last[:2] - blobs[nodes[before], :2]) / abs(end - before)
        hit = None
        for skip in (1, 2):
            want = last[:2] + skip * step
            near = [
                i for i in tree.query_ball_point(want, skip * _SNAP * np.hypot(*step))
                if i not in nodes.values() and abs(np.log(blobs[i, 2] / last[2])) < _ALIKE
            ]  # fmt: skip
            if near:
                hit = min(near, key=lambda i: float(np.hypot(*(blobs[i, :2] - want))))
                end += skip * sign
                break
        if hit is None:
            return
        nodes[end] = hit


def _windows(blobs: A, nodes: dict[int, int], count: int) -> list[A]:
    """Return corners (4, 2) for each stretch of `count` places that the row may be."""
    low, high = min(nodes), max(nodes)
    starts = range(min(low, high - count + 1), max(low, high - count + 1) + 1)
    out = []
    for start in starts:
        inside = {k - start: i for k, i in nodes.items() if 0 <= k - start < count}
        if len(inside) < _LEAST_NODES:
            continue
        places = np.array(sorted(inside), np.float64)
        corners = _laid(places, blobs[[inside[int(k)] for k in places]], count)
        if corners is not None:
            out.append(corners)
    return out


def _laid(places: A, own: A, count: int) -> A | None:
    """Lay a row of `count` places through blobs at some of them; None where they are no row."""
    for _ in range(3):
        middle = own[:, :2].mean(axis=0)
        u = np.linalg.svd(own[:, :2] - middle)[2][0]
        if u @ (own[-1, :2] - own[0, :2]) < 0:
            u = -u
        t = (own[:, :2] - middle) @ u
        off = np.abs((own[:, :2] - middle) @ np.array([-u[1], u[0]]))
        pitch = (t[-1] - t[0]) / (places[-1] - places[0])
        # A row in perspective: t = (a k + b) / (c k + 1). Blobs are a twentieth of a pitch off; a
        # row seen slantwise changes its step by a few tenths.
        k = places - places.mean()
        rows = np.column_stack([k, np.ones_like(k), -k * t])
        held = [0.0, 0.0, 0.05 * pitch * count / 0.15]
        (a, b, c), *_ = np.linalg.lstsq(np.vstack([rows, held]), np.append(t, 0.0), rcond=None)
        if pitch <= 0 or abs(c) * count > _BENT:
            return None
        miss = np.hypot(t - (a * k + b) / (c * k + 1), off)
        fits = miss < max(_OFF * pitch, 2 * float(np.median(miss)))
        if fits.all():
            break
        places, own = places[fits], own[fits]
        if len(places) < _LEAST_NODES:
            return None
    # The other side of each blob, turned to the row's right hand.
    sides, shares = [], []
    for blob in own:
        width = _width(blob, u)
        values, vectors = np.linalg.eigh(_covariance(blob) - width**2 * np.outer(u, u))
        side = vectors[:, 1] * np.sqrt(max(values[1], 0.0))
        sides.append(side if u[0] * side[1] - u[1] * side[0] > 0 else -side)
        shares.append(width)
    fit = np.polyfit(k, np.array(sides) * pitch / float(np.median(shares)), 1)
    ends = []
    for place in (0, count - 1):
        x = place - places.mean()
        if abs(c * x + 1) < 0.3:
            return None
        centre = middle + u * (a * x + b) / (c * x + 1)
        side = fit[0] * x + fit[1]
        ends.append((centre - side / 2, centre + side / 2))
    return np.array([ends[0][0], ends[1][0], ends[1][1], ends[0][1]])


def _identity(
    code: NDArray[np.float32], corners: A, layout: ChartLayout, nodes: int
) -> Identity | None:
    """Return a window as the chart, light end first, or None where it is no ramp of one tint."""
    if layout.columns == 1:
        corners = np.roll(corners, 1, axis=0)
    best: Identity | None = None
    for quad in (corners, np.roll(corners, 2, axis=0)):
        values = sample_cells(code, places_of(layout), chart_homography(quad, layout))
        if np.isnan(values).any():
            return None
        score, spread = score_patches(values, layout)
        if layout.nominal is None and not _is_ramp(values[list(layout.greys)]):
            continue
        if best is None or score > best.score:
            best = Identity(quad, score, other_turns(values, layout), spread, nodes)
    return best


def _is_ramp(greys: A) -> bool:
    """Say whether values (n, 3) fall from step to step, with one tint that changes smoothly."""
    if len(greys) < _LEAST_NODES:
        return True
    luma = greys.mean(axis=1)
    steps = -np.diff(luma)
    if (steps > 0.1 * steps.mean()).mean() < _MONOTONE or luma[0] - luma[-1] < 0.08:
        return False
    design = np.column_stack([np.ones_like(luma), luma, luma**2])
    tint = np.column_stack([greys[:, 0] - greys[:, 1], greys[:, 2] - greys[:, 1]])
    left = tint - design @ np.linalg.lstsq(design, tint, rcond=None)[0]
    return float(np.abs(left).max()) < _TINT
