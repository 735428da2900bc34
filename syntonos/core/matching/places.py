"""Places that two cameras both see: found by features, geometry and dense agreement.

The pictures are scene-linear and of one scene; nothing is known of where the cameras stand. What
both see is found in three steps: features that agree up to a plane's view, a dense flow from there
that takes parallax up, and places that agree on their surroundings both ways.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any, Final

import cv2
import numpy as np
from numpy.typing import NDArray

from syntonos.core.chain.colour_model import AP1_LUMINANCE
from syntonos.core.errors import FitError

A = NDArray[np.float64]
F = NDArray[np.float32]
WIDTH: Final = 960  # that pictures are looked at
_FEATURES = 2500
_RATIO, _LOOSE_RATIO = 0.85, 0.92
_ENOUGH = 25  # features that agree, below which they are looked for more loosely
_LEAST_FEATURES, _LEAST_APART = 8, 7
_FAR = 3.0  # pixels
_FINE, _COLOUR, _WIDE = 0.8, 1.2, 35.0  # standard deviations of what is looked at, in pixels
_BACK = 1.5  # pixels that the way there and back may end apart
_ALIKE = 0.6  # correlation of surroundings
_WINDOW = 25
_STEP = 4
_AREAS = 0.08, 12.0  # how much larger one picture may show what both see
_DARKEST = -6.5  # stops about middle grey: below it is noise
_SMOOTH = 0.06  # spread of a place's logarithm of light


@dataclass(frozen=True, slots=True)
class Place:
    """Where both pictures show the same: x, y in shares of each."""

    reference: tuple[float, float]
    angle: tuple[float, float]


@dataclass(frozen=True, slots=True)
class Places:
    """Places that both cameras see, and how sure that is.

    reference, angle : (n, 3)
        Scene-linear AP1 there, each the mean of five pixels by five.
    at_reference, at_angle : (n, 2)
        x, y in shares of the pictures.
    features : int
        How many features agreed on the geometry.
    agreement : float
        Median correlation of the places' surroundings, 0 to 1.
    overlap : float
        Share of the reference's picture that the angle's was found to show.
    """

    reference: A
    angle: A
    at_reference: A
    at_angle: A
    features: int
    agreement: float
    overlap: float


def find_places(
    reference: NDArray[Any], angle: NDArray[Any], *, usable: tuple[Any, Any] = (None, None)
) -> Places:
    """Find what two pictures both show.

    Parameters
    ----------
    reference, angle : (h, w, 3)
        Scene-linear AP1, of one scene.
    usable : pair of (h, w) bool, optional
        Which pixels of each say what the camera saw: not clipped.

    Returns
    -------
    Places

    Raises
    ------
    FitError
        places.scene where the pictures do not show the same scene, or too little of it.

    Source: Lowe 2004 for the features, Arandjelovic and Zisserman 2012 for their comparison, Barath
    et al. 2020 for the robust geometry (OpenCV's USAC_MAGSAC), Kroeger et al. 2016 for the flow.
    """
    pictures = [_sized(p) for p in (reference, angle)]
    good = [
        np.ones(p.shape[:2], bool) if mask is None else _sized_mask(mask, p.shape)
        for p, mask in zip(pictures, usable, strict=True)
    ]
    views = [_views(p) for p in pictures]
    pairs = _pairs(views, _RATIO)
    mat, count = _geometry(pairs)
    if count < _ENOUGH:
        looser = _geometry(_pairs(views, _LOOSE_RATIO))
        mat, count = looser if looser[1] > count else (mat, count)
    if mat is None or not _is_plausible(mat, pictures):
        raise _another_scene(count)
    return _dense(pictures, good, views, mat, count)


def _another_scene(count: int) -> FitError:
    return FitError(
        f"The two pictures do not show the same scene: {count} features agree on where the cameras "
        "stand, too few to be sure.",
        hint="Choose frames of the same moment that show more in common, or mark areas in both.",
        code="places.scene",
    )  # fmt: skip


def _sized(picture: NDArray[Any]) -> F:
    """Return a picture 960 wide at most, in float32."""
    lin = np.asarray(picture, np.float32)
    if lin.shape[1] <= WIDTH:
        return lin
    size = WIDTH, round(lin.shape[0] * WIDTH / lin.shape[1])
    return np.asarray(cv2.resize(lin, size, interpolation=cv2.INTER_AREA), np.float32)


def _sized_mask(mask: NDArray[np.bool_], shape: tuple[int, ...]) -> NDArray[np.bool_]:
    small = cv2.resize(np.asarray(mask, np.float32), shape[1::-1], interpolation=cv2.INTER_AREA)
    return np.asarray(small > 0.999, np.bool_)


def _views(lin: F) -> list[NDArray[np.uint8]]:
    """Return luminance and two ratios of channels, each by its surroundings, as bytes."""
    luma = np.maximum(lin @ AP1_LUMINANCE.astype(np.float32), 0)
    middle = max(float(np.median(luma)), 1e-6)
    floor = 0.03 * middle
    r, g, b = (np.log(np.maximum(lin[..., c], 0) + floor) for c in range(3))
    light = np.log(luma / middle + 0.06)
    return [_by_surroundings(v, s) for v, s in ((light, _FINE), (r - g, _COLOUR), (b - g, _COLOUR))]


def _by_surroundings(values: F, fine: float) -> NDArray[np.uint8]:
    soft = cv2.GaussianBlur(values, (0, 0), fine)
    apart = soft - cv2.GaussianBlur(soft, (0, 0), _WIDE)
    spread = np.sqrt(cv2.GaussianBlur(apart * apart, (0, 0), _WIDE)) + 0.02
    return np.asarray(np.clip(128 + 42 * apart / spread, 0, 255), np.uint8)


def _pairs(views: list[list[NDArray[np.uint8]]], ratio: float) -> A:
    """Return features that are each other's nearest, (n, 6): x, y of both, scale, turn."""
    found: list[A] = []
    sift = cv2.SIFT_create(_FEATURES)  # type: ignore[attr-defined]
    for first, second in zip(*views, strict=True):
        one, two = (sift.detectAndCompute(v, None) for v in (first, second))
        if one[1] is None or two[1] is None or len(one[0]) < 2 or len(two[0]) < 2:
            continue
        roots = [np.sqrt(d / np.maximum(d.sum(axis=1, keepdims=True), 1e-6)) for _, d in (one, two)]
        matcher = cv2.BFMatcher(cv2.NORM_L2)
        there = matcher.knnMatch(roots[0], roots[1], k=2)
        back = {m.queryIdx: m.trainIdx for m in matcher.match(roots[1], roots[0])}
        for best, other in there:
            if best.distance > ratio * other.distance or back.get(best.trainIdx) != best.queryIdx:
                continue
            p, q = one[0][best.queryIdx], two[0][best.trainIdx]
            found.append(np.array([*p.pt, *q.pt, np.log(q.size / p.size), q.angle - p.angle]))
    return np.array(found).reshape(-1, 6)


def _geometry(pairs: A) -> tuple[A | None, int]:
    """Return the view (3, 3) from the reference's pixels to the angle's, and how many agree."""
    if len(pairs) < _LEAST_FEATURES:
        return None, len(pairs)
    # Scale and turn of most pairs: a vote over both.
    scale, turn = pairs[:, 4], (pairs[:, 5] + 180) % 360 - 180
    votes, edges, turns = np.histogram2d(
        scale, turn, bins=(np.arange(-1.6, 1.61, 0.2), np.arange(-180, 181, 20))
    )
    votes = cv2.GaussianBlur(votes, (3, 3), 0)
    i, j = np.unravel_index(int(np.argmax(votes)), votes.shape)
    near = (np.abs(scale - (edges[i] + 0.1)) < 0.35) & (np.abs(turn - (turns[j] + 10)) < 30)
    some = pairs[near] if near.sum() >= _LEAST_FEATURES else pairs
    mat, inside = cv2.findHomography(
        some[:, :2], some[:, 2:4], cv2.USAC_MAGSAC, _FAR, maxIters=10_000, confidence=0.9999
    )
    if mat is None:
        return None, 0
    kept = some[inside.ravel().astype(bool)]
    apart = len(np.unique(np.round(kept[:, :2] / 12), axis=0)) if len(kept) else 0
    return (mat, len(kept)) if len(kept) >= _LEAST_FEATURES and apart >= _LEAST_APART else (
        None, len(kept))  # fmt: skip


def _is_plausible(mat: A, pictures: list[F]) -> bool:
    """Say whether a view keeps the picture's shape: convex, and neither tiny nor huge."""
    h, w = pictures[0].shape[:2]
    corners = np.array([[0, 0], [w, 0], [w, h], [0, h]], np.float64)
    seen = np.column_stack([corners, np.ones(4)]) @ mat.T
    if seen[:, 2].min() <= 0:
        return False
    quad = seen[:, :2] / seen[:, 2:]
    sides = np.roll(quad, -1, axis=0) - quad
    after = np.roll(sides, -1, axis=0)
    turns = sides[:, 0] * after[:, 1] - sides[:, 1] * after[:, 0]
    x, y = quad.T
    shown = abs(float(x @ np.roll(y, -1) - y @ np.roll(x, -1))) / 2
    area = shown / (w * h) * (w / pictures[1].shape[1]) ** 2
    return bool(turns.min() > 0) and _AREAS[0] < area < _AREAS[1]


def _dense(
    pictures: list[F], good: list[NDArray[np.bool_]], views: list[list[NDArray[np.uint8]]], mat: A,
    count: int,
) -> Places:  # fmt: skip
    h, w = pictures[0].shape[:2]
    y, x = np.mgrid[:h, :w].astype(np.float32)
    base = np.stack([x, y, np.ones_like(x)], axis=-1) @ mat.T.astype(np.float32)
    base = base[..., :2] / base[..., 2:]
    inside = _within(base, pictures[1].shape)
    # Three channels in one picture of bytes: flow sees light and, where that is even, colour.
    one, two = (np.dstack(v) for v in views)
    warped = _fetch(two, base)
    grey = [_for_flow(v) for v in (one, warped)]
    flow = cv2.DISOpticalFlow_create(  # type: ignore[attr-defined]
        cv2.DISOPTICAL_FLOW_PRESET_MEDIUM
    )
    there, back = flow.calc(*grey, None), flow.calc(*grey[::-1], None)
    to = np.dstack([x, y]) + there
    # Where the way there and back ends.
    ends = there + _fetch(back, to)
    returns = np.hypot(ends[..., 0], ends[..., 1]) < _BACK
    at = _fetch(np.asarray(base, np.float32), to)
    agree = _correlation(grey[0], _fetch(grey[1], to))
    mean = [cv2.blur(p, (5, 5)) for p in pictures]
    seen = _fetch(mean[1], at)
    clear = good[0] & (_fetch(good[1].astype(np.float32), at) > 0.999)
    taken = inside & _within(at, pictures[1].shape) & returns & (agree > _ALIKE) & clear
    taken &= _is_even(pictures[0]) & (_fetch(_is_even(pictures[1]).astype(np.float32), at) > 0.5)
    for light in (mean[0], seen):
        taken &= np.log2(np.maximum(light @ AP1_LUMINANCE, 1e-6) / 0.18) > _DARKEST
    rows, columns = np.nonzero(taken[2::_STEP, 2::_STEP])
    rows, columns = rows * _STEP + 2, columns * _STEP + 2
    overlap = float((inside & (agree > _ALIKE) & returns).mean())
    if len(rows) < 60:
        raise _another_scene(count)
    place = at[rows, columns].astype(np.float64)
    shape = pictures[1].shape
    return Places(
        mean[0][rows, columns].astype(np.float64), seen[rows, columns].astype(np.float64),
        np.column_stack([(columns + 0.5) / w, (rows + 0.5) / h]),
        (place + 0.5) / [shape[1], shape[0]], count, float(np.median(agree[rows, columns])),
        overlap,
    )  # fmt: skip


def _for_flow(three: NDArray[np.uint8]) -> NDArray[np.uint8]:
    weights = np.array([0.5, 0.25, 0.25], np.float32)
    return np.asarray(np.clip(three.astype(np.float32) @ weights, 0, 255), np.uint8)


def _within(at: F, shape: tuple[int, ...], edge: int = 8) -> NDArray[np.bool_]:
    x, y = at[..., 0], at[..., 1]
    return (x > edge) & (x < shape[1] - edge) & (y > edge) & (y < shape[0] - edge)


def _fetch(picture: NDArray[Any], at: F) -> Any:
    """Return a picture at places (h, w, 2) of it, by linear interpolation."""
    return cv2.remap(picture, np.asarray(at, np.float32), None, cv2.INTER_LINEAR,
                     borderMode=cv2.BORDER_REPLICATE)  # fmt: skip


def _correlation(one: NDArray[np.uint8], two: NDArray[np.uint8]) -> F:
    """Return how alike the surroundings of each pixel are, -1 to 1."""
    a, b = one.astype(np.float32), two.astype(np.float32)
    mean = [cv2.blur(v, (_WINDOW, _WINDOW)) for v in (a, b, a * a, b * b, a * b)]
    spread = [np.maximum(mean[2 + i] - mean[i] ** 2, 1.0) for i in (0, 1)]
    return np.asarray((mean[4] - mean[0] * mean[1]) / np.sqrt(spread[0] * spread[1]), np.float32)


def _is_even(lin: F) -> NDArray[np.bool_]:
    """Say where light hardly changes over five pixels by five, so that a shift does no harm."""
    log = np.log(np.maximum(lin @ AP1_LUMINANCE.astype(np.float32), 1e-5))
    spread = cv2.blur(log * log, (7, 7)) - cv2.blur(log, (7, 7)) ** 2
    return np.asarray(spread < _SMOOTH**2, np.bool_)
