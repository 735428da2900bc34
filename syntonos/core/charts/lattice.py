"""Lattices: blobs that stand in rows and columns, as a grid seen in perspective."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from heapq import heappop, heappush

import cv2
import numpy as np
from numpy.typing import NDArray

from syntonos.core.charts.layout import project

_LEAST_NODES = 6
_SNAP = 0.26
_MOST_NODES, _MOST_STEPS = 400, 16
_STEPS = [(1, 0), (-1, 0), (0, 1), (0, -1)]

Points = NDArray[np.float64]


@dataclass(frozen=True, slots=True)
class Lattice:
    """Grid places (n, 2) int, the blobs' centres (n, 2), and the map from places to pixels."""

    places: NDArray[np.int64]
    points: Points
    homography: NDArray[np.float64]


def _whiten(blob: NDArray[np.float64]) -> NDArray[np.float64]:
    """Return the map under which the blob is a square with an edge of one."""
    cov = 12 * np.array([[blob[3], blob[4]], [blob[4], blob[5]]])
    values, vectors = np.linalg.eigh(cov)
    return np.asarray(vectors @ np.diag(values**-0.5) @ vectors.T, np.float64)


def _basis(blobs: NDArray[np.float64], seed: int, near: NDArray[np.int64]
           ) -> tuple[Points, int] | None:  # fmt: skip
    """Return the two steps (2, 2) of the grid about a seed that most of its neighbours confirm."""
    white = _whiten(blobs[seed])
    delta = blobs[near, :2] - blobs[seed, :2]
    local = delta @ white.T
    reach = np.hypot(*local.T)
    area = blobs[near, 2] / blobs[seed, 2]
    good = (reach > 0.98) & (reach < 1.6) & (area > 0.5) & (area < 2.0)
    steps, local, reach = delta[good], local[good], reach[good]
    if len(steps) < 2:
        return None
    around = local[:, None, :]
    best: tuple[Points, int] | None = None
    for i in range(len(steps)):
        for j in range(len(steps)):
            cross = local[i, 0] * local[j, 1] - local[i, 1] * local[j, 0]
            if cross < 0.85 * reach[i] * reach[j] or not 0.72 < reach[i] / reach[j] < 1.39:
                continue
            want = np.array([a * local[i] + b * local[j]
                             for a in (-1, 0, 1) for b in (-1, 0, 1) if a or b])  # fmt: skip
            hits = (np.hypot(*(around - want).transpose(2, 0, 1)) < 0.25).any(axis=0)
            votes = int(hits.sum())
            all_local = (delta @ white.T)[:, None, :]
            votes += int(
                (np.hypot(*(all_local - want).transpose(2, 0, 1)) < 0.25).any(axis=0).sum()
            )
            if best is None or votes > best[1]:
                best = np.stack([steps[i], steps[j]]), votes
    return best


class _Growth:
    """A lattice while it grows: its nodes, and where it expects the next ones."""

    def __init__(self, blobs: NDArray[np.float64], seed: int, basis: Points) -> None:
        self.blobs, self.basis = blobs, basis
        self.places: dict[tuple[int, int], int] = {(0, 0): seed}
        self.taken = {seed}
        self._known = np.zeros((1, 2))
        self._points = blobs[[seed], :2]
        self._mat: NDArray[np.float64] | None = None
        self._fitted = 0

    def add(self, at: tuple[int, int], blob: int) -> None:
        self.places[at] = blob
        self.taken.add(blob)
        self._known = np.concatenate([self._known, [at]])
        self._points = np.concatenate([self._points, self.blobs[[blob], :2]])

    def expect(self, at: tuple[int, int]) -> tuple[Points, Points]:
        """Return where a grid place should be and the local steps, from what is known."""
        count = len(self._known)
        if count >= 7:
            # With every few nodes anew, and while there are few, with every one.
            if self._mat is None or count >= max(self._fitted + 1, 1.12 * self._fitted):
                self._mat, _ = cv2.findHomography(self._known, self._points, 0)
                self._fitted = count
            if self._mat is not None:
                near = [at, (at[0] + 1, at[1]), (at[0], at[1] + 1)]
                three = project(self._mat, np.array(near, float))
                return three[0], three[1:] - three[0]
        order = np.argsort(((self._known - at) ** 2).sum(axis=1))[:4]
        guess = self._points[order] + (np.array(at) - self._known[order]) @ self.basis
        return np.asarray(guess.mean(axis=0), np.float64), self.basis


def grow(blobs: NDArray[np.float64], seed: int, tree: object) -> Lattice | None:
    """Grow a lattice from one of blobs (n, 6); None where its surroundings are no grid."""
    edge = float(np.sqrt(blobs[seed, 2]))
    stretch = 12 * (blobs[seed, 3] + blobs[seed, 5]) / blobs[seed, 2]
    radius = 2.2 * edge * np.sqrt(max(stretch / 2, 1.0))
    near = np.array([i for i in tree.query_ball_point(blobs[seed, :2], radius) if i != seed])  # type: ignore[attr-defined]
    if len(near) < 2 or len(near) > 160:
        return None
    found = _basis(blobs, seed, near)
    if found is None:
        return None
    growth = _Growth(blobs, seed, found[0])
    places = growth.places
    # Open places about the seed, the nearest first; one that a new node touches is tried again.
    heap: list[tuple[int, tuple[int, int]]] = []
    waiting: set[tuple[int, int]] = set()

    def touch(at: tuple[int, int]) -> None:
        for a, b in _STEPS:
            place = (at[0] + a, at[1] + b)
            fits = max(abs(place[0]), abs(place[1])) <= _MOST_STEPS
            if fits and place not in places and place not in waiting:
                waiting.add(place)
                heappush(heap, (place[0] ** 2 + place[1] ** 2, place))

    touch((0, 0))
    while heap and len(places) <= _MOST_NODES:
        at = heappop(heap)[1]
        waiting.discard(at)
        want, steps = growth.expect(at)
        pitch = float(np.sqrt(abs(np.linalg.det(steps))))
        if not 3 < pitch < 1e4:
            break
        candidates = [
            i for i in tree.query_ball_point(want, _SNAP * pitch)  # type: ignore[attr-defined]
            if i not in growth.taken and 0.4 < np.sqrt(blobs[i, 2]) / pitch < 1.15
        ]  # fmt: skip
        if candidates:
            distance = np.hypot(*(blobs[candidates, :2] - want).T)
            growth.add(at, int(candidates[int(np.argmin(distance))]))
            touch(at)
    if len(places) < _LEAST_NODES:
        return None
    grid, points = np.array(list(places)), blobs[list(places.values()), :2]
    if np.ptp(grid[:, 0]) < 1 or np.ptp(grid[:, 1]) < 1:
        return None
    mat, _ = cv2.findHomography(grid.astype(np.float64), points, cv2.RANSAC, 0.12 * edge + 0.5)
    if mat is None or not np.isfinite(mat).all() or abs(np.linalg.det(mat)) < 1e-12:
        return None
    return Lattice(grid, points, np.asarray(mat, np.float64))


def find_lattices(blobs: NDArray[np.float64], *, most: int = 60) -> Iterator[Lattice]:
    """Yield lattices of blobs (n, 6); one seeds only where no large lattice has it yet."""
    if len(blobs) < 12:
        return
    from scipy.spatial import cKDTree

    tree = cKDTree(blobs[:, :2])
    used = np.zeros(len(blobs), bool)
    count = 0
    for seed in range(len(blobs)):
        if used[seed] or count >= most:
            continue
        lattice = grow(blobs, seed, tree)
        if lattice is None:
            continue
        count += 1
        yield lattice
        if len(lattice.places) >= 10:
            index = tree.query(lattice.points)[1]
            used[np.asarray(index)] = True
