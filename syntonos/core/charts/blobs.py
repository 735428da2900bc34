"""Blobs: regions of one brightness whose outline is a parallelogram, the candidates for patches."""

from __future__ import annotations

from typing import Final

import cv2
import numpy as np
from numpy.typing import NDArray

_THRESHOLDS: Final = 20
_MOST: Final = 1500

Gray = NDArray[np.uint8]


def planes(code: NDArray[np.float32]) -> list[Gray]:
    """Return luma and channels of (h, w, 3), stretched from the 3rd to the 99.7th percentile."""
    stack = [code.mean(axis=2), code[..., 0], code[..., 1], code[..., 2]]
    out = []
    for plane in stack:
        low, high = np.percentile(plane[::2, ::2], [3, 99.7])
        span = max(float(high - low), 1e-6)
        out.append(np.clip((plane - low) / span * 255, 0, 255).astype(np.uint8))
    return out


def _thresholds(plane: Gray) -> NDArray[np.float64]:
    uniform = np.linspace(12, 243, _THRESHOLDS // 2)
    quantiles = np.quantile(plane[::2, ::2], np.linspace(0.08, 0.97, _THRESHOLDS // 2))
    return np.unique(np.round(np.concatenate([uniform, quantiles])))


def find_blobs(code: NDArray[np.float32]) -> NDArray[np.float64]:
    """Find regions that look like patches.

    Parameters
    ----------
    code : (h, w, 3) float32
        Log code values.

    Returns
    -------
    (n, 6) float64
        Centre x, y, area, and the second central moments per area xx, xy, yy. Duplicates from
        neighbouring thresholds are merged.
    """
    height, width = code.shape[:2]
    least = max(14.0, 1.2e-5 * width * height)
    most = 0.03 * width * height
    rows: list[tuple[float, ...]] = []
    for plane in planes(code):
        for level in _thresholds(plane):
            _, binary = cv2.threshold(plane, float(level), 255, cv2.THRESH_BINARY)
            contours, _ = cv2.findContours(binary, cv2.RETR_LIST, cv2.CHAIN_APPROX_SIMPLE)
            rows.extend(row for c in contours if (row := _shape(c, least, most)) is not None)
    return _merge(np.array(rows, np.float64).reshape(-1, 6))


def _shape(contour: NDArray[np.int32], least: float, most: float) -> tuple[float, ...] | None:
    if len(contour) < 4:
        return None
    area = cv2.contourArea(contour)
    if not least < area < most or cv2.arcLength(contour, True) ** 2 > 30 * area:
        return None
    m = cv2.moments(contour)
    a = m["m00"]
    xx, xy, yy = m["mu20"] / a, m["mu11"] / a, m["mu02"] / a
    det, trace = xx * yy - xy * xy, xx + yy
    if det <= 0:
        return None
    # A parallelogram's area is 12 times the root of its moments' determinant.
    ratio = a / (12 * np.sqrt(det))
    root = np.sqrt(max(trace * trace / 4 - det, 0.0))
    if not 0.86 < ratio < 1.10 or (trace / 2 + root) > 13 * (trace / 2 - root):
        return None
    if area < 0.8 * cv2.contourArea(cv2.convexHull(contour)):
        return None
    # The contour runs through pixel centres: half a pixel is added on each side.
    grow = 1 + 1 / np.sqrt(a)
    return m["m10"] / a, m["m01"] / a, a * grow**2, xx * grow**2, xy * grow**2, yy * grow**2


def _merge(blobs: NDArray[np.float64]) -> NDArray[np.float64]:
    """Keep one blob (the median in area) of those with the same centre and a similar area."""
    if not len(blobs):
        return blobs
    from scipy.spatial import cKDTree

    tree = cKDTree(blobs[:, :2])
    size = np.sqrt(blobs[:, 2])
    taken = np.zeros(len(blobs), bool)
    groups: list[NDArray[np.intp]] = []
    for i in np.argsort(-blobs[:, 2]):
        if taken[i]:
            continue
        near = np.array(tree.query_ball_point(blobs[i, :2], 0.18 * size[i]))
        same = near[(np.abs(np.log(blobs[near, 2] / blobs[i, 2])) < 0.45) & ~taken[near]]
        taken[same] = True
        groups.append(same)
    order = np.argsort([-len(group) for group in groups], kind="stable")[:_MOST]
    return np.array([np.median(blobs[groups[i]], axis=0) for i in order])
