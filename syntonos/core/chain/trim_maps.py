"""What the parts of a trim do to colours: matrices, curves and tables, packed for the engine."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace
from functools import lru_cache
from typing import TYPE_CHECKING, Any, Final

import numpy as np
from numpy.typing import NDArray
from scipy.interpolate import PchipInterpolator

from syntonos.core.chain import _kernels as k
from syntonos.core.chain.colour_model import AP1_LUMINANCE
from syntonos.core.chain.packing import Node
from syntonos.core.chain.stages._strict import Triple, failure, triple
from syntonos.core.chain.stages.cdl import pack_cdl
from syntonos.core.chain.stages.trim import NEUTRAL, PLAIN, ColourPair, HueTrim, Trim
from syntonos.core.chain.white import white_shift
from syntonos.core.colorimetry import delta_e_2000, xyz_to_lab
from syntonos.core.colorimetry.constants import MIDDLE_GREY
from syntonos.core.encodings import AP1, CURVES, decode, encode

if TYPE_CHECKING:
    from syntonos.core.chain.packing import Packer
    from syntonos.core.chain.stages.trim import Point

A = NDArray[np.float64]
_LOG: Final = CURVES["acescct"]
OF_A_STOP: Final = 1 / 17.52  # ACEScct: code values of a stop above its toe
GREY: Final = float(encode(np.array([MIDDLE_GREY]), _LOG)[0])
# Tables of curves: working log from well under black to above the largest half float.
_LOW, _HIGH, _STEPS = -0.5, 2.0, 1025
_HUE_STEPS: Final = 512
_RATIO_LOW, _RATIO_HIGH, _RATIO_STEPS = -16.0, 16.0, 2049  # log2 of luminance
# The table of pairs: chroma either way, and the mean of the channels, in the working log.
_WIDE, _WIDE_STEPS = 0.36, 65
_MEAN_LOW, _MEAN_HIGH, _MEAN_STEPS = -0.1, 1.1, 33
_WIDE_STEP, _MEAN_STEP = 2 * _WIDE / (_WIDE_STEPS - 1), (_MEAN_HIGH - _MEAN_LOW) / (_MEAN_STEPS - 1)
_OF_MEAN: Final = 3**-0.5  # what the mean counts of a distance: luminance a third of chroma
# Largest slope of Wendland's function (1-t)^4 (4t+1): 20 t (1-t)^3 at t = 1/4.
_STEEPEST: Final = 20 * 0.25 * 0.75**3
_MOST_SLOPE: Final = 0.9
_LEAST_VOLUME: Final = 0.05
# To the plane of hue and chroma, and the mean.
_TO_PLANE: Final = np.array(
    [[2 / 6**0.5, -1 / 6**0.5, -1 / 6**0.5], [0, 2**-0.5, -(2**-0.5)], [1 / 3, 1 / 3, 1 / 3]]
)


def _white(warmth: float, tint: float) -> A:
    return np.array(white_shift(warmth, tint))


def _level_numbers(trim: Trim) -> tuple[float, ...]:
    """Return what the kernel takes: luminance, two steps in the working log, rows of the levels.

    A border is where two levels share evenly; a share goes over within two stops, or as many as
    there are between the borders, by a step of the fifth degree.
    """
    rows = []
    for level in trim.levels:
        gains = _white(level.warmth, level.tint) @ np.ones(3)
        rows.append([*(np.log2(np.maximum(gains, 1e-3)) * OF_A_STOP), level.saturation])
    darks, middle, lights = np.array(rows)
    half = min(1.0, (trim.borders[1] - trim.borders[0]) / 2)
    starts = [GREY + (border - half) * OF_A_STOP for border in trim.borders]
    slope = 1 / (2 * half * OF_A_STOP)
    numbers = (*AP1_LUMINANCE, starts[0], slope, starts[1], slope, *darks, *(middle - darks),
               *(lights - middle))  # fmt: skip
    return tuple(float(v) for v in numbers)


def curve_of(points: Sequence[Point]) -> Any:
    """Return a curve through points: monotone, with a continuous slope, straight beyond its ends.

    Source: Fritsch and Carlson 1980, as scipy's PCHIP has it.
    """
    x, y = np.array(points, np.float64).T
    inner = PchipInterpolator(x, y)
    first, last = (float(v) for v in inner.derivative()(x[[0, -1]]))
    first, last = max(first, 1e-3), max(last, 1e-3)

    def through(value: A) -> A:
        found = np.asarray(inner(np.clip(value, x[0], x[-1])), np.float64)
        return np.asarray(
            found + first * np.minimum(value - x[0], 0) + last * np.maximum(value - x[-1], 0)
        )

    return through


@lru_cache(maxsize=32)
def _curve_table(curves: tuple[tuple[Point, ...], ...]) -> NDArray[np.float32]:
    """Return values (n, 3) of three curves and how far the next ones are, as (n, 3, 2)."""
    code = np.linspace(_LOW, _HIGH, _STEPS)
    columns = [curve_of(points)(code) if points else code for points in curves]
    return _with_steps(np.stack(columns, axis=-1))


def _with_steps(values: A) -> NDArray[np.float32]:
    """Return values along their first axis, each with how far the next one is, which comes last."""
    steps = np.diff(values, axis=0, append=values[-1:])
    return np.asarray(np.stack([values, steps], axis=-1), np.float32)


@lru_cache(maxsize=32)
def _ratio_table(points: tuple[Point, ...]) -> NDArray[np.float32]:
    """Return what luminance is multiplied by, and how far the next is, over log2 of it."""
    light = 2.0 ** np.linspace(_RATIO_LOW, _RATIO_HIGH, _RATIO_STEPS)
    after = decode(curve_of(points)(encode(light, _LOG)), _LOG)
    return _with_steps(np.clip(after / light, 2.0**-20, 2.0**20))


def hue_weights(degrees: A) -> A:
    """Return shares (n, 6) of the bands at hues in degrees from red; they sum to one."""
    off = (degrees[..., None] - 60.0 * np.arange(6) + 180) % 360 - 180
    return np.asarray(
        np.where(np.abs(off) < 60, 0.5 + 0.5 * np.cos(np.pi * off / 60), 0.0), np.float64
    )


@lru_cache(maxsize=32)
def _hue_table(hues: tuple[HueTrim, ...]) -> NDArray[np.float32]:
    """Return (n, 4) over the angle that the kernel counts by: a turn scaled, stops in code, 0."""
    t = np.arange(_HUE_STEPS + 1) * 4 / _HUE_STEPS
    # The kernel's angle: 1 - a / (|a| + |b|) above, 3 + a / (|a| + |b|) below.
    a = np.where(t <= 2, 1 - t, t - 3)
    b = np.where(t <= 2, 1 - np.abs(a), np.abs(a) - 1)
    weight = hue_weights(np.degrees(np.arctan2(b, a)))
    turn = np.radians(weight @ np.array([h.turn for h in hues]))
    scale = weight @ np.array([h.saturation for h in hues])
    stops = weight @ np.array([h.stops for h in hues])
    columns = [scale * np.cos(turn), scale * np.sin(turn), stops * OF_A_STOP, 0 * stops]
    return np.asarray(np.stack(columns, axis=-1), np.float32)


def _bump(t: A) -> A:
    """Return Wendland's function of C2 with compact support. Source: Wendland 1995."""
    inside = np.maximum(1 - t, 0)
    return np.asarray(inside**4 * (4 * t + 1), np.float64)


def _places(log_rgb: A) -> A:
    place = log_rgb @ _TO_PLANE.T
    return np.asarray(place * np.array([1, 1, _OF_MEAN]), np.float64)


def _log(*colours: Triple) -> A:
    return np.asarray(encode(np.array(colours, np.float64), _LOG), np.float64)


def _weights(pairs: tuple[ColourPair, ...]) -> tuple[A, A, A]:
    """Return places and reaches of bumps, and how much each adds (n, 3) to the working log.

    Solved so that each pair's colour goes as far as its strength says, as the table is looked up:
    with the bumps at the four nodes of the tetrahedron that it lies in.
    """
    sources, wanted = _log(*(p.angle for p in pairs)), _log(*(p.reference for p in pairs))
    strength = np.array([p.strength for p in pairs])[:, None]
    reach = np.array([p.reach for p in pairs], np.float64)
    own = _places(sources)
    low = np.array([-_WIDE, -_WIDE, _MEAN_LOW])
    step = np.array([_WIDE_STEP, _WIDE_STEP, _MEAN_STEP])
    at = (sources @ _TO_PLANE.T - low) / step
    first = np.floor(at)
    # From a cell's beginning to its end along the axis of its greatest share first.
    along = np.argsort(first - at, axis=1, kind="stable")
    shares = np.take_along_axis(at - first, along, axis=1)
    between = -np.diff(np.column_stack([np.ones(len(at)), shares, np.zeros(len(at))]), axis=1)
    corner, found = np.zeros_like(at), np.zeros((len(pairs), len(pairs)))
    for turn in range(4):
        node = (low + step * (first + corner)) @ np.linalg.inv(_TO_PLANE).T
        far = np.linalg.norm(_places(node)[:, None] - own[None], axis=-1) / reach
        found += between[:, turn, None] * _bump(far)
        if turn < 3:
            corner[np.arange(len(at)), along[:, turn]] = 1
    weight = np.linalg.lstsq(found, strength * (wanted - sources), rcond=1e-6)[0]
    return own, reach, np.asarray(weight, np.float64)


@lru_cache(maxsize=16)
def _pair_table(pairs: tuple[ColourPair, ...]) -> NDArray[np.float32]:
    """Return how far pairs move colours, over mean and the two axes of chroma, (33, 65, 65, 4).

    The fourth value is nothing: a node is one vector for the lookup.
    """
    axes = (
        np.linspace(_MEAN_LOW, _MEAN_HIGH, _MEAN_STEPS),
        *[np.linspace(-_WIDE, _WIDE, _WIDE_STEPS)] * 2,
    )
    out = np.zeros((_MEAN_STEPS, _WIDE_STEPS, _WIDE_STEPS, 4), np.float32)
    for place, size, weight in zip(*_weights(pairs), strict=True):
        centre = place[[2, 0, 1]] / [_OF_MEAN, 1, 1]
        half = size / np.array([_OF_MEAN, 1, 1])
        near = tuple(
            slice(*np.searchsorted(axis, (c - h, c + h)))
            for axis, c, h in zip(axes, centre, half, strict=True)
        )
        mean, u, v = np.ix_(
            *(axis[part] - c for axis, part, c in zip(axes, near, centre, strict=True))
        )
        t = np.sqrt((mean * _OF_MEAN) ** 2 + u * u + v * v) / size
        out[near][..., :3] += (_bump(t)[..., None] * weight).astype(np.float32)
    return out


def least_reach(pair: ColourPair) -> float:
    """Return the reach that a pair needs at least, so that the map it makes has an inverse."""
    place, goal = _places(_log(pair.angle, pair.reference))
    return pair.strength * float(np.linalg.norm(goal - place)) * _STEEPEST / _MOST_SLOPE


def check_pairs(pairs: tuple[ColourPair, ...]) -> None:
    """Refuse pairs that no smooth map with an inverse can hold, by name.

    Raises
    ------
    ChainError
        trim.pairs.
    """
    if not pairs:
        return
    for i, pair in enumerate(pairs):
        needed = least_reach(pair)
        if needed > pair.reach:
            raise failure(
                f"Pair {i + 1} moves its colour farther than a reach of {pair.reach:.2f} allows.",
                f"Give it a reach of {needed + 0.005:.2f} or more, or less strength.",
                "trim.pairs",
            )  # fmt: skip
    places = _places(_log(*(p.angle for p in pairs)))
    shifts = _places(_log(*(p.reference for p in pairs))) - places
    for i in range(len(pairs)):
        for j in range(i):
            apart = float(np.linalg.norm(places[i] - places[j]))
            differ = float(np.linalg.norm(
                pairs[i].strength * shifts[i] - pairs[j].strength * shifts[j]
            ))  # fmt: skip
            if differ > _MOST_SLOPE * max(apart, 1e-9) and differ > 1e-4:
                raise failure(
                    f"Pairs {j + 1} and {i + 1} contradict each other: nearly the same colour of "
                    f"the angle should become two, {differ / OF_A_STOP:.2f} stop apart. "
                    f"Without pair {j + 1} its colour is ΔE {_cost(pairs, j, i):.1f} off, "
                    f"without pair {i + 1} ΔE {_cost(pairs, i, j):.1f}.",
                    "Take one of them out, or give both less strength.", "trim.pairs",
                )  # fmt: skip
    if least_volume(pairs) < _LEAST_VOLUME:
        raise failure(
            "These pairs together fold colours over each other.",
            "Give them more reach or less strength.", "trim.pairs",
        )  # fmt: skip


def _cost(pairs: tuple[ColourPair, ...], out: int, kept: int) -> float:
    """Return how far a pair's colour is from what it should be when only another one acts."""
    pair, other = pairs[out], pairs[kept]
    log = _log(pair.angle, other.angle, other.reference, pair.reference)
    own, centre = _places(log[:2])
    share = other.strength * float(_bump(np.array(np.linalg.norm(own - centre) / other.reach)))
    got = decode(log[0] + share * (log[2] - log[1]), _LOG)
    lab = xyz_to_lab(np.array([got, pair.reference]) @ AP1.to_xyz.T, AP1.to_xyz @ np.ones(3))
    return float(delta_e_2000(lab[0], lab[1]))


def on_hue_plane(lin_ap1: NDArray[Any]) -> A:
    """Return where colours (n, 3) of scene-linear AP1 lie on the plane of hue and chroma, (n, 2).

    In code values of the working log; red lies to the right, 60 degrees on each of the others.
    """
    log = encode(np.maximum(np.asarray(lin_ap1, np.float64), 1e-5), _LOG)
    return np.asarray(log @ _TO_PLANE[:2].T, np.float64)


def least_volume(pairs: tuple[ColourPair, ...]) -> float:
    """Return the least determinant of the Jacobian over the table's cells: above 0 it inverts."""
    moved = _pair_table(pairs)[..., :3].astype(np.float64) @ _TO_PLANE.T
    steps = (_WIDE_STEP, _WIDE_STEP, _MEAN_STEP)
    # Volumes are the same along the turned axes: mean lies along the first, chroma the others.
    slopes = [np.gradient(moved, step, axis=at) for step, at in zip(steps, (1, 2, 0), strict=True)]
    jac = np.stack(slopes, axis=-1) + np.eye(3)
    return float(np.linalg.det(jac).min())


def pack_trim(pack: Packer, trim: Trim) -> None:
    """Append a trim's pointwise parts in signal order; neutral ones cost nothing."""
    flare = trim.flare + np.array(trim.flare_rgb)
    gains = 2.0 ** (trim.stops + np.array(trim.stops_rgb))
    if flare.any() or (gains != 1).any() or trim.warmth or trim.tint:
        mat = _white(trim.warmth, trim.tint) * gains
        pack.affine(mat, mat @ flare)
    if trim.curve:
        table = _ratio_table(trim.curve)
        pack.add(k.OP_RATIO, (pack.table(table), *_scaled(_RATIO_LOW, _RATIO_HIGH, _RATIO_STEPS),
                              *AP1_LUMINANCE))  # fmt: skip
    log = _log_parts(trim)
    if log:
        pack.curve(_LOG, "full", inverse=False)
        for add in log:
            add(pack)
        pack.curve(_LOG, "full", inverse=True)


def _scaled(low: float, high: float, steps: int) -> tuple[float, float, float]:
    """Return how a table over low..high is looked up: size, low, steps to one."""
    return float(steps), low, (steps - 1) / (high - low)


@lru_cache(maxsize=32)
def _log_parts(trim: Trim) -> tuple[Any, ...]:
    """Return what the working log's parts append, in signal order."""
    out: list[Any] = []
    if trim.levels != NEUTRAL.levels:
        levels = _level_numbers(trim)
        out.append(lambda p: p.add(k.OP_BY_LUMA, levels))
    # Contrast is a line, and so is what a CDL begins with: both are one.
    pivot = GREY + trim.pivot * OF_A_STOP
    slope, offset = np.array(trim.cdl.slope), np.array(trim.cdl.offset)
    both = replace(
        trim.cdl, slope=triple((slope * trim.contrast).tolist(), "slope"),
        offset=triple((slope * pivot * (1 - trim.contrast) + offset).tolist(), "offset"),
    )  # fmt: skip
    if both != PLAIN:
        out.append(lambda p: pack_cdl(p, both))
    if any(trim.curves_rgb):
        curves = _curve_table(trim.curves_rgb)
        out.append(lambda p: p.add(k.OP_CURVES, (p.table(curves), *_scaled(_LOW, _HIGH, _STEPS)),
                                   Node.CUBE))  # fmt: skip
    if trim.hues != NEUTRAL.hues:
        hues = _hue_table(trim.hues)
        out.append(lambda p: p.add(k.OP_HUES, (p.table(hues), float(_HUE_STEPS), *AP1_LUMINANCE)))
    if trim.pairs:
        pairs = _pair_table(trim.pairs)
        out.append(lambda p: p.add(k.OP_SHIFT, (
            p.table(pairs), *_scaled(_MEAN_LOW, _MEAN_HIGH, _MEAN_STEPS),
            *_scaled(-_WIDE, _WIDE, _WIDE_STEPS),
        )))  # fmt: skip
    return tuple(out)
