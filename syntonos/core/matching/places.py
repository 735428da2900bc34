"""Places that two cameras both see: found by features, geometry and dense agreement.

The pictures are scene-linear and of one scene; nothing is known of where the cameras stand. What
both see is found in three steps: features that agree up to a plane's view, a dense flow from there
that takes parallax up, and places that agree on their surroundings both ways.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import Any, Final

import cv2
import numpy as np
from numpy.typing import NDArray

from syntonos.core.chain.colour_model import AP1_LUMINANCE
from syntonos.core.colorimetry.constants import MIDDLE_GREY
from syntonos.core.errors import FitError

Box = tuple[float, float, float, float]
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
_ALIKE = 0.5  # correlation of surroundings
_WINDOW = 25
_STEP = 4
_LEAST_PLACES = 60
_LEAST_OF_AREA = 12
_LEAST_REACH = 28  # pixels about an area's middle
_AGREEING = 0.5  # share of an area
_ZOOMS = 0.8, 1.0, 1.25  # that an area may be off by
_AREAS = 0.08, 12.0  # how much larger one picture may show what both see
_DARKEST = -6.5  # stops about middle grey: below it is noise
_SMOOTH = 0.09  # spread of a place's light, as a share of it, beyond noise
_EVENEST = 15  # per cent of places that are taken for even


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
    heights : (2,)
        Of the pictures, in their widths.
    """

    reference: A
    angle: A
    at_reference: A
    at_angle: A
    features: int
    agreement: float
    overlap: float
    heights: tuple[float, float] = (9 / 16, 9 / 16)


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
    pictures = [sized(p) for p in (reference, angle)]
    good = [
        np.ones(p.shape[:2], bool) if mask is None else sized_mask(mask, p.shape)
        for p, mask in zip(pictures, usable, strict=True)
    ]
    views = [_views(p) for p in pictures]
    features = _features(views)
    mat, count = _geometry(_pairs(features, _RATIO))
    if count < _ENOUGH:
        looser = _geometry(_pairs(features, _LOOSE_RATIO))
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


def sized(picture: NDArray[Any]) -> F:
    """Return a picture (h, w, 3) 960 wide at most, in float32."""
    lin = np.asarray(picture, np.float32)
    if lin.shape[1] <= WIDTH:
        return lin
    size = WIDTH, round(lin.shape[0] * WIDTH / lin.shape[1])
    return np.asarray(cv2.resize(lin, size, interpolation=cv2.INTER_AREA), np.float32)


def sized_mask(mask: NDArray[np.bool_], shape: tuple[int, ...]) -> NDArray[np.bool_]:
    """Return a mask at a picture's size (h, w, ...): true where all of it was."""
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


def _features(views: list[list[NDArray[np.uint8]]]) -> list[tuple[Any, Any]]:
    """Return both pictures' features by what is looked at: key points and descriptions."""
    sift = cv2.SIFT_create(_FEATURES)  # type: ignore[attr-defined]
    return [
        (sift.detectAndCompute(first, None), sift.detectAndCompute(second, None))
        for first, second in zip(*views, strict=True)
    ]


def _pairs(features: list[tuple[Any, Any]], ratio: float) -> A:
    """Return features that are each other's nearest, (n, 6): x, y of both, scale, turn."""
    found: list[A] = []
    for one, two in features:
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
    scene = _Scene(pictures, good, views)
    seen = scene.agreeing(mat, (0, 0, w, h))
    rows, columns = np.nonzero(seen.taken[2::_STEP, 2::_STEP])
    rows, columns = rows * _STEP + 2, columns * _STEP + 2
    if len(rows) < _LEAST_PLACES:
        raise _another_scene(count)
    return scene.places(seen, rows, columns, count)


@dataclass(frozen=True, slots=True)
class _Agreeing:
    """Over a region of the reference: where the angle shows the same, and whether it does."""

    corner: tuple[int, int]  # x, y
    at: F  # (h, w, 2) pixels of the angle
    agree: F
    same: NDArray[np.bool_]  # geometry and surroundings agree
    taken: NDArray[np.bool_]  # and light is even, clear and not too dark


class _Scene:
    """Two pictures and what is worked out of them once."""

    def __init__(
        self, pictures: list[F], good: list[NDArray[np.bool_]], views: list[list[NDArray[np.uint8]]]
    ) -> None:
        self.pictures, self.good, self.views = pictures, good, views
        self.mean = [cv2.blur(p, (5, 5)) for p in pictures]
        fit = [
            _is_even(p)
            & g
            & (np.log2(np.maximum(m @ AP1_LUMINANCE, 1e-6) / MIDDLE_GREY) > _DARKEST)
            for p, g, m in zip(pictures, good, self.mean, strict=True)
        ]
        self.fit = fit[0], fit[1].astype(np.float32)
        # Three channels in one picture of bytes: flow sees light and, where that is even, colour.
        self.flat = [_for_flow(np.dstack(v)) for v in views]

    def agreeing(self, mat: A, box: tuple[int, int, int, int]) -> _Agreeing:
        """Follow a region (left, top, right, bottom) of the reference from a plane's view."""
        left, top, right, bottom = box
        y, x = np.mgrid[top:bottom, left:right].astype(np.float32)
        base = np.stack([x, y, np.ones_like(x)], axis=-1) @ mat.T.astype(np.float32)
        base = np.asarray(base[..., :2] / base[..., 2:], np.float32)
        one = np.ascontiguousarray(self.flat[0][top:bottom, left:right])
        warped = _fetch(self.flat[1], base)
        flow = cv2.DISOpticalFlow_create(  # type: ignore[attr-defined]
            cv2.DISOPTICAL_FLOW_PRESET_MEDIUM
        )
        there, back = flow.calc(one, warped, None), flow.calc(warped, one, None)
        to = np.dstack([x - left, y - top]) + there
        # Where the way there and back ends.
        ends = there + _fetch(back, to)
        agree = _correlation(one, _fetch(warped, to))
        at = np.asarray(_fetch(base, to), np.float32)
        same = _within(base, self.pictures[1].shape) & (agree > _ALIKE)
        same &= np.hypot(ends[..., 0], ends[..., 1]) < _BACK
        taken = same & _within(at, self.pictures[1].shape)
        taken &= self.fit[0][top:bottom, left:right] & (_fetch(self.fit[1], at) > 0.999)
        return _Agreeing((left, top), at, agree, same, taken)

    def places(
        self, seen: _Agreeing, rows: NDArray[np.intp], columns: NDArray[np.intp], count: int
    ) -> Places:
        """Return places at rows and columns of a region."""
        first, second = (p.shape for p in self.pictures)
        at = seen.at[rows, columns].astype(np.float64)
        x, y = columns + seen.corner[0], rows + seen.corner[1]
        spots = seen.at[rows, columns][:, None]
        angle = cv2.remap(self.mean[1], spots, None, cv2.INTER_LINEAR)[:, 0]
        return Places(
            self.mean[0][y, x].astype(np.float64), angle.astype(np.float64),
            np.column_stack([(x + 0.5) / first[1], (y + 0.5) / first[0]]),
            (at + 0.5) / [second[1], second[0]], count,
            float(np.median(seen.agree[rows, columns])), float(seen.same.mean()),
            (first[0] / first[1], second[0] / second[1]),
        )  # fmt: skip


def places_of_areas(
    reference: NDArray[Any], angle: NDArray[Any], boxes: Sequence[tuple[Box, Box]], *,
    usable: tuple[Any, Any] = (None, None),
) -> list[Places | None]:  # fmt: skip
    """Find matching places inside of areas that were marked roughly alike in two pictures.

    Parameters
    ----------
    reference, angle : (h, w, 3)
        Scene-linear AP1, 960 wide at most.
    boxes : sequence of pairs
        Left, top, width, height in each, in pixels.
    usable : as `find_places` takes it

    Returns
    -------
    list
        For each area its places, or None where the two do not agree place by place.
    """
    pictures = [np.asarray(p, np.float32) for p in (reference, angle)]
    good = [np.ones(p.shape[:2], bool) if mask is None else mask
            for p, mask in zip(pictures, usable, strict=True)]  # fmt: skip
    scene = _Scene(pictures, good, [_views(p) for p in pictures])
    return [_of_area(scene, *pair) for pair in boxes]


def within_areas(
    places: Places, boxes: Sequence[tuple[Box, Box]], out: Sequence[tuple[Box, Box]] = ()
) -> Places:
    """Return the places that lie inside of one of the areas in both pictures, and in none of `out`.

    Boxes are left, top, width, height in shares of the pictures; without any the whole pictures
    count.

    Raises
    ------
    FitError
        places.few where no place is left.
    """
    kept = np.full(len(places.reference), not boxes)
    for one, other in boxes:
        kept |= _inside(places.at_reference, one) & _inside(places.at_angle, other)
    for one, other in out:
        kept &= ~(_inside(places.at_reference, one) | _inside(places.at_angle, other))
    if not kept.any():
        raise FitError(
            "No place that both pictures show is left by the areas.",
            hint="Mark larger areas, or the same things in both.", code="places.few",
        )  # fmt: skip
    return only(places, kept)


def pixels_within(
    shape: tuple[int, ...], boxes: Sequence[Box], out: Sequence[Box] = ()
) -> NDArray[np.bool_]:  # fmt: skip
    """Say which pixels (h, w) lie inside of one of some boxes, in shares, and in none of `out`.

    Without any boxes the whole picture counts.
    """
    height, width = shape[:2]
    down, across = np.mgrid[0:height, 0:width]
    at = np.column_stack([(across.ravel() + 0.5) / width, (down.ravel() + 0.5) / height])
    kept = np.full(len(at), not boxes)
    for box in boxes:
        kept |= _inside(at, box)
    for box in out:
        kept &= ~_inside(at, box)
    return kept.reshape(height, width)


def only(places: Places, kept: NDArray[np.bool_]) -> Places:
    """Return some of the places, those of a mask (n,)."""
    return replace(
        places, reference=places.reference[kept], angle=places.angle[kept],
        at_reference=places.at_reference[kept], at_angle=places.at_angle[kept],
    )  # fmt: skip


def _inside(at: A, box: Box) -> NDArray[np.bool_]:
    x, y, w, h = box
    inside = (at[:, 0] >= x) & (at[:, 0] < x + w) & (at[:, 1] >= y) & (at[:, 1] < y + h)
    return np.asarray(inside, np.bool_)


def _of_area(scene: _Scene, one: Box, other: Box) -> Places | None:
    h, w = scene.pictures[0].shape[:2]
    scale = np.array([other[2] / one[2], other[3] / one[3]])
    # Nobody marks both alike: the zoom between them is one, and the area is looked for around.
    zoom = float(np.sqrt(scale.prod()))
    middle = np.array([one[0] + one[2] / 2, one[1] + one[3] / 2]) - 0.5
    goal = np.array([other[0] + other[2] / 2, other[1] + other[3] / 2]) - 0.5
    reach = np.maximum(np.array(one[2:]) * 0.9, _LEAST_REACH)
    left, top = np.maximum(np.floor(middle - reach), 0).astype(int)
    right, bottom = np.minimum(np.ceil(middle + reach), [w, h]).astype(int)
    if min(right - left, bottom - top) < _LEAST_REACH:
        return None
    best = None
    for factor in _ZOOMS:
        mat = np.diag([zoom * factor, zoom * factor, 1.0])
        mat[:2, 2] = goal - zoom * factor * middle
        seen = scene.agreeing(mat, (int(left), int(top), int(right), int(bottom)))
        inside = np.zeros_like(seen.taken)
        x, y = round(one[0]) - left, round(one[1]) - top
        inside[max(0, y) : y + round(one[3]), max(0, x) : x + round(one[2])] = True
        score = float((seen.same & inside).sum()) / max(1.0, float(inside.sum()))
        if best is None or score > best[0]:
            best = score, seen, inside
    if best is None or best[0] < _AGREEING:
        return None
    _, seen, inside = best
    rows, columns = np.nonzero((seen.taken & inside)[::2, ::2])
    return None if len(rows) < _LEAST_OF_AREA else scene.places(seen, rows * 2, columns * 2, 0)


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
    """Say where light hardly changes over seven pixels by seven, so that a shift does no harm.

    What noise alone would change is taken off: it grows in the dark, and is what the evenest
    places of a level of light have.
    """
    light = lin @ AP1_LUMINANCE.astype(np.float32)
    mean = cv2.blur(light, (7, 7))
    spread = np.maximum(cv2.blur(light * light, (7, 7)) - mean * mean, 0)
    level = np.clip(np.log2(np.maximum(mean, 1e-5)) * 2, -24, 8).astype(np.intp) + 24
    noise = _noise_of_levels(spread, level)
    return np.asarray(spread - noise[level] < (_SMOOTH * np.maximum(mean, 1e-5)) ** 2, np.bool_)


def _noise_of_levels(spread: F, level: NDArray[np.intp]) -> F:
    """Return the variance that the evenest places of each half stop have, (33,)."""
    some, at = spread[::3, ::3].ravel(), level[::3, ::3].ravel()
    out = np.full(33, np.nan, np.float32)
    for k in range(33):
        own = some[at == k]
        if len(own) > 50:
            # The middle of what is left of noise alone when a third of the places is even.
            out[k] = np.percentile(own, _EVENEST)
    known = np.flatnonzero(np.isfinite(out))
    if not len(known):
        return np.zeros(33, np.float32)
    return np.asarray(np.interp(np.arange(33), known, out[known]), np.float32)
