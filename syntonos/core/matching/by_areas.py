"""A match from areas that a person marked in both pictures: the same thing, roughly outlined."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import Any, Final

import cv2
import numpy as np
from numpy.typing import NDArray

from syntonos.core.chain import Match
from syntonos.core.chain.stages.match import through_match
from syntonos.core.errors import FitError
from syntonos.core.matching.bayes import Setting
from syntonos.core.matching.by_places import joined, lens_fall_off
from syntonos.core.matching.metric import scene_delta_e
from syntonos.core.matching.models import AVERAGED, plain_of, settings_for
from syntonos.core.matching.places import (
    WIDTH,
    Places,
    places_of_areas,
    sized,
    sized_mask,
    within_areas,
)
from syntonos.core.matching.prior import Prior
from syntonos.core.matching.scene_fit import (
    PAPER,
    Clusters,
    Lenses,
    SceneFit,
    colour_place,
    fit_clusters,
    gain_match,
    grouped,
    judged,
    luminance,
    mixed,
)

A = NDArray[np.float64]
F = NDArray[np.float32]
_Usable = tuple[NDArray[np.bool_] | None, NDArray[np.bool_] | None]
Rectangle = tuple[float, float, float, float]
LEAST_FOR_COLOUR: Final = 4
_MODES = 3
_LEAST_SHARE = 0.15  # of an area, that counts as a colour of it
_ALIKE = 0.2  # in what counts as far: modes nearer than this are one
_MOST_PIXELS = 4000
_SPREAD: Final = 0.025  # of light: nobody outlines the same thing exactly twice
_NEAR: Final = 8.0  # delta E, within which a further colour of an area is taken too
_MOST_COUNTED: Final = 30.0
_TURNS: Final = 5
_LEAST_INSIDE: Final = 8  # places, a pixel in four each way
_APART: Final = 6.0  # delta E, beyond which an area is told to disagree
_FEW: Final = 3.0
_WIDER: Final = 1.05  # what is stated, for areas by hand


@dataclass(frozen=True, slots=True)
class Area:
    """The same thing in both pictures: x, y, width, height of each, in pixels.

    One that `leaves_out` says what takes no part, where places are limited by areas.
    """

    reference: Rectangle
    angle: Rectangle
    leaves_out: bool = False


@dataclass(frozen=True, slots=True)
class _Mode:
    """A colour of an area: mean, share of the area, spread of its logarithm, pixels."""

    lin: A
    share: float
    spread: A
    count: int


def areas_from_json(data: Any) -> list[Area]:
    """Read areas: a list of objects with `reference` and `angle`, each [x, y, width, height].

    One with `leave_out` true says what takes no part.

    Raises
    ------
    FitError
        areas.form, with which entry is wrong and how.
    """
    hint = 'Write a list of {"reference": [x, y, w, h], "angle": [x, y, w, h]}, in pixels.'
    if not isinstance(data, list) or not data:
        raise FitError("There are no areas in the list.", hint=hint, code="areas.form")
    out = []
    for number, entry in enumerate(data, start=1):
        sides = []
        for side in ("reference", "angle"):
            four = entry.get(side) if isinstance(entry, dict) else None
            if four is None or not _is_rectangle(four):
                raise FitError(
                    f"Area {number} has no rectangle for the {side}: four numbers, the last two "
                    "above 0.",
                    hint=hint, code="areas.form",
                )  # fmt: skip
            sides.append((float(four[0]), float(four[1]), float(four[2]), float(four[3])))
        leaves_out = entry.get("leave_out", False)
        if not isinstance(leaves_out, bool):
            raise FitError(
                f"Area {number}: leave_out is true or false.", hint=hint, code="areas.form"
            )
        out.append(Area(sides[0], sides[1], leaves_out))
    return out


def _is_rectangle(four: Any) -> bool:
    return (
        isinstance(four, list)
        and len(four) == 4
        and all(isinstance(v, int | float) and not isinstance(v, bool) and math.isfinite(v)
                for v in four)
        and min(four[2:]) > 0
    )  # fmt: skip


@dataclass(frozen=True, slots=True)
class _Colours:
    """An area's colours in both pictures; met where each has its like at the same index."""

    reference: list[_Mode]
    angle: list[_Mode]
    is_met: bool = False


_Modes = list[_Colours]


@dataclass(frozen=True, slots=True)
class Shot:
    """A pair of frames, scene-linear AP1 (h, w, 3), and the areas that were marked in them.

    `usable` (h, w) of each says which pixels are not clipped. `places` are what both pictures show
    as a whole, where that is known: they tell what the lenses lose at the sides, which a few areas
    hardly do, and what belongs together inside of an area.
    """

    reference: F
    angle: F
    areas: list[Area]
    usable: _Usable = (None, None)
    places: Places | None = None


def fit_areas(shots: Sequence[Shot], *, pool: Prior | None = None) -> SceneFit:
    """Fit a match to areas that show the same things.

    Where the pictures agree place by place inside of an area, those places count. Else it is
    split into its colours (up to three), since an area seldom holds one and nobody outlines the
    same thing twice; which of them belong together is decided together with the fit.

    Parameters
    ----------
    shots : sequence of Shot
        With at least one area. Four are rough; two give white and exposure, since colour is then
        what cameras usually differ by (the learned prior).
    pool : Prior, optional
        What charts of other lights say of this pair (`pooled_prior`).

    Returns
    -------
    SceneFit
        `misses` and `used` are by area, in the order of the shots.

    Raises
    ------
    FitError
        areas.outside for an area that lies outside of its picture, areas.dark for one in which
        nothing can be used.
    """
    modes, lenses = _of_shots(shots)
    known = [shot.places for shot in shots if shot.places is not None]
    match, fall = _first(modes), lens_fall_off(joined(known)) if known else np.zeros(2)
    pairs: list[list[tuple[int, int]]] = []
    for turn in range(_TURNS):
        pairs = [_paired(colours, match) for colours in modes]
        groups, of_area = _clusters(modes, pairs)
        groups = _evened(groups, lenses, of_area, fall)
        is_last = turn == _TURNS - 1
        model = AVERAGED if is_last else "matrix"
        settings = _settings(groups, is_last)
        match, answer = fit_clusters(groups, model, settings, pool if is_last else None)
        if is_last:
            break
        if not known and len(modes) >= LEAST_FOR_COLOUR:
            side = lenses.of(of_area)
            seen = through_match(match, groups.angle)
            fall = side.fall_off(seen, groups.reference, np.ones(len(seen), bool), fall)
    misses = _misses(modes, pairs, match)
    # What one or two colours leave out of each other says little.
    widen = _WIDER * max(1.0, _FEW / len(groups.count))
    fit = judged("areas", match, answer, groups, misses, np.ones(len(modes), bool),
                 (float(fall[0]), float(fall[1])), widen)  # fmt: skip
    few: tuple[str, ...] = ()
    if len(modes) < LEAST_FOR_COLOUR:
        few = (f"{_count(len(modes))} white and exposure: mark {LEAST_FOR_COLOUR} or more of "
               "different colours.",)  # fmt: skip
    return replace(fit, advice=(*_apart(misses), *few, *fit.advice))


def _count(areas: int) -> str:
    return "One area gives" if areas == 1 else f"{areas} areas give"


def _apart(misses: A) -> list[str]:
    return [
        f"Area {number} disagrees with the others by {miss:.1f} delta E: see whether it is the "
        "same thing in both pictures."
        for number, miss in enumerate(misses.tolist(), start=1) if miss > _APART
    ]  # fmt: skip


def colours_of_areas(shots: Sequence[Shot], match: Match, fall_off: A) -> Clusters:
    """Return the colours of areas that belong together by a match, to count beside places.

    `fall_off` (2,) is what both lenses lose at the sides; the colours are without it.
    """
    modes, lenses = _of_shots(shots)
    groups, of_area = _clusters(modes, [_paired(colours, match) for colours in modes])
    return _evened(groups, lenses, of_area, fall_off)


def _of_shots(shots: Sequence[Shot]) -> tuple[_Modes, Lenses]:
    modes: _Modes = []
    middles: list[tuple[A, A]] = []
    heights = (9 / 16, 9 / 16)
    for shot in shots:
        reference, angle, areas, usable = _at_size(shot)
        rough = [
            _Colours(_modes(reference, usable[0], a.reference, n, "reference"),
                     _modes(angle, usable[1], a.angle, n, "angle"))
            for n, a in enumerate(areas, start=len(modes) + 1)
        ]  # fmt: skip
        found = places_of_areas(
            reference, angle, [(a.reference, a.angle) for a in areas], usable=usable
        )
        if shot.places is not None:
            found = [
                own or _inside(shot.places, area, (reference.shape, angle.shape))
                for own, area in zip(found, areas, strict=True)
            ]
        modes += [_met(places) or own for places, own in zip(found, rough, strict=True)]
        middles.append(_middles(areas, reference.shape, angle.shape))
        heights = reference.shape[0] / reference.shape[1], angle.shape[0] / angle.shape[1]
    at = tuple(np.concatenate([m[k] for m in middles]) for k in (0, 1))
    return modes, Lenses.at((at[0], at[1]), heights)


def _inside(places: Places, area: Area, shapes: tuple[tuple[int, ...], ...]) -> Places | None:
    """Return the places of the whole that lie inside of an area in both pictures, if enough."""
    one, other = (
        (x / w, y / h, wide / w, high / h)
        for (x, y, wide, high), (h, w, _) in zip((area.reference, area.angle), shapes, strict=True)
    )
    try:
        found = within_areas(places, [(one, other)])
    except FitError:
        return None
    return found if len(found.reference) >= _LEAST_INSIDE else None


def _met(places: Places | None) -> _Colours | None:
    """Return the colours of an area whose places were found one by one, each with its like."""
    if places is None:
        return None
    logs = np.log(mixed(places.reference))
    ratio = np.log(mixed(places.angle)) - logs
    off = np.abs(ratio - np.median(ratio, axis=0)).max(axis=1)
    calm = off <= max(0.05, 2.5 * float(np.median(off)))
    label = _labels(mixed(places.reference))
    sides: tuple[list[_Mode], list[_Mode]] = [], []
    for i in np.unique(label[calm]):
        mine = np.flatnonzero((label == i) & calm)
        if len(mine) < max(6, _LEAST_SHARE * calm.sum()):
            continue
        spread = np.cov(ratio[mine].T) / 2
        for side, lin in zip(sides, (places.reference, places.angle), strict=True):
            side.append(_Mode(lin[mine].mean(axis=0), len(mine) / len(label), spread, len(mine)))
    return _Colours(*sides, is_met=True) if sides[0] else None


def _middles(
    areas: list[Area], first: tuple[int, ...], second: tuple[int, ...]
) -> tuple[A, A]:  # fmt: skip
    """Return where the areas' middles lie, in shares of the pictures."""
    out = []
    for side, shape in (("reference", first), ("angle", second)):
        four = np.array([getattr(a, side) for a in areas])
        out.append((four[:, :2] + four[:, 2:] / 2) / [shape[1], shape[0]])
    return out[0], out[1]


def _evened(groups: Clusters, lenses: Lenses, of_area: NDArray[np.intp], fall: A) -> Clusters:
    want, got = lenses.of(of_area).evened(groups.reference, groups.angle, fall)
    return replace(groups, reference=want, angle=got)


def _first(modes: _Modes) -> Match:
    """Return the white and exposure under which most areas have a colour in common."""
    options = [np.log(mixed(r.lin) / mixed(a.lin)) for c in modes
               for r in c.reference for a in c.angle]  # fmt: skip
    owner = [n for n, c in enumerate(modes) for _ in c.reference for _ in c.angle]
    gains, of = np.array(options), np.array(owner)
    apart = np.linalg.norm(gains[:, None] - gains[None], axis=2)
    cost = np.zeros(len(gains))
    for n in range(len(modes)):
        cost += np.minimum(apart[:, of == n].min(axis=1), 0.7)
    near = apart[int(np.argmin(cost))] < 0.35
    return gain_match(np.exp(np.median(gains[near], axis=0)))


def _at_size(shot: Shot) -> tuple[F, F, list[Area], _Usable]:
    """Return pictures 960 wide at most, and areas and masks to go with them."""
    ratio = [min(1.0, WIDTH / p.shape[1]) for p in (shot.reference, shot.angle)]
    scaled = [
        Area(_times(a.reference, ratio[0]), _times(a.angle, ratio[1]))
        for a in shot.areas if not a.leaves_out
    ]  # fmt: skip
    small = sized(shot.reference), sized(shot.angle)
    masks = [
        None if m is None else sized_mask(m, p.shape)
        for m, p in zip(shot.usable, small, strict=True)
    ]
    return small[0], small[1], scaled, (masks[0], masks[1])


def _times(box: Rectangle, factor: float) -> Rectangle:
    x, y, w, h = (v * factor for v in box)
    return x, y, w, h


def _settings(groups: Clusters, is_last: bool) -> list[Setting]:
    if not is_last:
        return [Setting(family, 1.2, 0.0005, 0.0) for family in ("ordinary", "odd")]
    count = len(groups.count)
    found = settings_for(AVERAGED, count)
    # So few colours cannot decide between many models.
    return plain_of(found) if count < 12 else found


def _modes(
    picture: F, usable: NDArray[np.bool_] | None, rectangle: Rectangle, number: int, side: str
) -> list[_Mode]:
    """Return the colours of a rectangle, the largest first."""
    x, y, w, h = rectangle
    left, top = max(0, round(x)), max(0, round(y))
    right, bottom = min(picture.shape[1], round(x + w)), min(picture.shape[0], round(y + h))
    if right - left < 1 or bottom - top < 1:
        raise FitError(
            f"Area {number} lies outside of the {side}'s picture of {picture.shape[1]} x "
            f"{picture.shape[0]} pixels.",
            hint="Mark it again.", code="areas.outside",
        )  # fmt: skip
    cut = np.asarray(picture[top:bottom, left:right], np.float64)
    if min(cut.shape[:2]) >= 12:
        cut = cv2.blur(cut, (3, 3))  # noise would widen every colour
    lin = cut.reshape(-1, 3)
    good = np.isfinite(lin).all(axis=1) & (luminance(lin) > 1e-4)
    if usable is not None:
        good &= usable[top:bottom, left:right].reshape(-1)
    lin = lin[good]
    if not len(lin):
        raise FitError(
            f"Nothing in area {number} of the {side} can be used: it is clipped or black.",
            hint="Mark another part.", code="areas.dark",
        )  # fmt: skip
    lin = lin[:: max(1, len(lin) // _MOST_PIXELS)]
    return _split(lin)


def _split(lin: A) -> list[_Mode]:
    label = _labels(mixed(lin))
    out = []
    for i in np.unique(label):
        mine = lin[label == i]
        if len(mine) < _LEAST_SHARE * len(lin):
            continue
        logs = np.log(mixed(mine))
        middle = np.median(logs, axis=0)
        calm = np.abs(logs - middle).max(axis=1) < 0.5 if len(mine) > 20 else slice(None)
        spread = np.cov(logs.T) if len(mine) > 3 else np.eye(3) * 0.01
        out.append(_Mode(mine[calm].mean(axis=0), len(mine) / len(lin), spread, len(mine)))
    return sorted(out, key=lambda m: -m.share)


def _labels(light: A) -> NDArray[np.intp]:
    """Return which of up to three colours each row of mixed light is of."""
    if len(light) < 10 * _MODES:
        return np.zeros(len(light), np.intp)
    label, middle = grouped(colour_place(light), _MODES)
    for i in range(_MODES):
        for j in range(i):
            if np.linalg.norm(middle[i] - middle[j]) < _ALIKE:
                label[label == i] = j
    return label


def _paired(colours: _Colours, match: Match) -> list[tuple[int, int]]:
    """Return which colours of an area belong together: the nearest, and further near ones."""
    one, other = colours.reference, colours.angle
    if colours.is_met:
        return [(i, i) for i in range(len(one))]
    want = np.stack([m.lin for m in one])
    got = through_match(match, np.stack([m.lin for m in other]))
    apart = np.stack([scene_delta_e(got, np.repeat(w[None], len(got), 0), PAPER) for w in want])
    # A colour that fills an area in one picture fills it in the other, too.
    shares = np.array([[abs(math.log(r.share / a.share)) for a in other] for r in one])
    cost = apart + 1.5 * shares
    out: list[tuple[int, int]] = []
    while len(out) < min(cost.shape) and np.isfinite(cost).any():
        i, j = np.unravel_index(int(np.argmin(cost)), cost.shape)
        if out and cost[i, j] > _NEAR:
            break
        out.append((int(i), int(j)))
        cost[i, :] = cost[:, j] = np.inf
    return sorted(out)


def _clusters(
    modes: _Modes, pairs: list[list[tuple[int, int]]]
) -> tuple[Clusters, NDArray[np.intp]]:
    """Return the colours that belong together, and of which area each is."""
    rows: list[list[Any]] = [[], [], [], []]
    for colours, chosen in zip(modes, pairs, strict=True):
        for i, j in chosen:
            r, a = colours.reference[i], colours.angle[j]
            count = min(r.count, a.count)
            rough = 0.15 if colours.is_met else 1.0
            rows[0].append(r.lin)
            rows[1].append(a.lin)
            rows[2].append((r.spread + a.spread) / max(1.0, min(count / 9, _MOST_COUNTED))
                           + rough * (np.eye(3) * (0.3 * _SPREAD) ** 2 + _SPREAD**2))  # fmt: skip
            rows[3].append(count)
    of_area = np.repeat(np.arange(len(pairs)), [len(p) for p in pairs])
    return Clusters(*(np.array(v, np.float64) for v in rows)), of_area


def _misses(modes: _Modes, pairs: list[list[tuple[int, int]]], match: Match) -> A:
    out = []
    for colours, chosen in zip(modes, pairs, strict=True):
        i, j = chosen[0]
        got = through_match(match, colours.angle[j].lin[None])
        out.append(float(scene_delta_e(got, colours.reference[i].lin[None], PAPER)[0]))
    return np.array(out)
