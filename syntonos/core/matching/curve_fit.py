"""A curve for a camera that has no known one, from a bracket of its chart.

The same patch at another exposure is so many stops brighter, whatever the code says of it: that
gives the curve's shape between all codes that the bracket reaches. The reference's greys give its
anchor, and its shape again.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Final

import numpy as np
from numpy.typing import NDArray
from scipy.optimize import lsq_linear

from syntonos.core.chain.colour_model import AP1_LUMINANCE
from syntonos.core.charts import ChartReading
from syntonos.core.encodings import Definition
from syntonos.core.errors import FitError
from syntonos.core.matching.readings import working

A = NDArray[np.float64]
_KNOTS: Final = 33
_POINTS: Final = 1024
_SMOOTH = 0.08  # weight of the curve's second difference, against stops
_GREY = 0.6  # weight of the reference's greys against the bracket's steps
_LEAST_SLOPE = 0.25  # stops over the whole code range between two knots: the curve rises
_LEAST_PATCHES = 12  # times channels
_FAINT_CODE = 0.004  # of full scale: codes nearer to an end say nothing
_ROBUST, _ROUNDS = 0.05, 4  # stops: beyond it a patch counts for less


@dataclass(frozen=True, slots=True)
class FittedCurve:
    """A curve as an encoding of one's own, and how far it can be trusted."""

    definition: Definition
    error: float  # stops that the bracket's patches are left with (from their median deviation)
    low: float  # stored codes between which the bracket speaks; beyond it goes straight on
    high: float
    stops: tuple[float, ...]  # of each exposure above the first, as the fit has them


def fit_curve(
    reference: ChartReading,
    angle: ChartReading,
    bracket: Sequence[tuple[ChartReading, float]],
    *,
    name: str,
    gamut: str = "bt709",
) -> FittedCurve:
    """Fit one monotone curve, the same for the three channels, through a bracket.

    Parameters
    ----------
    reference : ChartReading
        Of the same chart under the same light; its greys anchor the curve.
    angle : ChartReading
        The camera's own, at the exposure that matches are for; only its stored codes are used.
    bracket : sequence of (ChartReading, float)
        The same chart at other exposures, with their stops above `angle`'s as they were set. An
        error of the shutter is found: exposures may be off by up to a third of a stop.
    name : str
        Of the encoding.
    gamut : str
        What its primaries are taken for; a match corrects what they are not.

    Raises
    ------
    FitError
        curve.few when the bracket has no other exposure or too few patches in common with it;
        curve.falls when brighter patches have lower codes.

    Notes
    -----
    log2 of light is piecewise linear over 33 knots of the code; its rises are bounded from below,
    its second difference is held small; bounded least squares (scipy lsq_linear), reweighted
    against patches that disagree.
    """
    if not bracket:
        raise FitError(
            "A curve needs the chart at more than one exposure.", code="curve.few",
            hint="Shoot it again two stops over and two under, and read the three as a bracket.",
        )  # fmt: skip
    base = _codes(angle)
    others = [_codes(r) for r, _ in bracket]
    both = [np.isfinite(base) & np.isfinite(other) for other in others]
    counts = [int(good.sum()) for good in both]
    if min(counts) < _LEAST_PATCHES:
        raise FitError(
            f"An exposure of the bracket has only {min(counts) // 3} patches in common with the "
            "first.",
            hint="Shoot it in smaller steps, two stops at most.", code="curve.few",
        )  # fmt: skip
    seen = np.concatenate([base, *others])
    low, high = float(np.nanmin(seen)), float(np.nanmax(seen))
    knots = np.linspace(low, high, _KNOTS)
    rows = [
        _row(other[good], knots) - _row(base[good], knots)
        for other, good in zip(others, both, strict=True)
    ]
    wants = [stops for _, stops in bracket]
    greys, grey_wants, channels = _greys(reference, angle, base, knots)
    x, exposures = _solve(rows, wants, counts, greys, grey_wants, channels)
    curve = np.concatenate([[x[0]], x[0] + np.cumsum(x[1:_KNOTS])])
    left = np.concatenate([r @ curve for r in rows]) - np.concatenate(
        [np.full(n, e) for n, e in zip(counts, exposures, strict=True)]
    )
    codes = np.linspace(0, 1, _POINTS)
    light = _extended(codes, knots, curve)
    if (np.diff(light) <= 0).any():
        raise FitError(
            "Brighter patches have lower codes somewhere.", code="curve.falls",
            hint="See whether the exposures are in the order that they are said to be.",
        )  # fmt: skip
    definition = Definition(name, gamut, table=tuple(float(v) for v in light))
    error = 1.4826 * float(np.median(np.abs(left)))
    return FittedCurve(definition, error, low, high, tuple(exposures))


def _codes(reading: ChartReading) -> A:
    """Return stored codes (n, 3); NaN where a patch does not speak."""
    code = np.array([p.code_rgb for p in reading.patches])
    good = np.array([p.is_usable for p in reading.patches])[:, None]
    inside = (code > _FAINT_CODE) & (code < 1 - _FAINT_CODE)
    return np.where(good & inside, code, np.nan)


def _row(codes: A, knots: A) -> A:
    """Return the interpolation (n, knots) of a piecewise linear curve at codes (n,)."""
    at = np.clip((codes - knots[0]) / (knots[1] - knots[0]), 0, len(knots) - 1 - 1e-9)
    i = at.astype(int)
    out = np.zeros((len(codes), len(knots)))
    out[np.arange(len(codes)), i] = 1 - (at - i)
    out[np.arange(len(codes)), i + 1] = at - i
    return out


def _greys(
    reference: ChartReading, angle: ChartReading, base: A, knots: A
) -> tuple[A, A, NDArray[np.intp]]:
    """Return rows, log2 of the reference's light and the channel of each grey."""
    light = working(reference) @ AP1_LUMINANCE
    usable = [
        i for i in angle.layout.greys
        if reference.patches[i].is_usable and light[i] > 1e-4 and np.isfinite(base[i]).all()
    ]  # fmt: skip
    if len(usable) < 3:
        raise FitError(
            f"Only {len(usable)} greys are good in both cameras.", code="curve.few",
            hint="Shoot the chart again, unclipped, with its grey row free.",
        )  # fmt: skip
    codes = base[usable]
    rows = np.concatenate([_row(codes[:, c], knots) for c in range(3)])
    wants = np.tile(np.log2(light[usable]), 3)
    return rows, wants, np.repeat(np.arange(3), len(usable))


def _solve(
    rows: list[A], wants: list[float], counts: list[int], greys: A, grey_wants: A,
    channels: NDArray[np.intp],
) -> tuple[A, list[float]]:  # fmt: skip
    """Return the first value and the rises of the curve, and the exposures.

    Unknowns: value at the first knot, rises, each exposure's error, and each channel's white.
    """
    summed = np.tril(np.ones((_KNOTS, _KNOTS)))
    count = len(rows)
    size = _KNOTS + count + 3
    blocks, targets, kinds = [], [], []
    for k, (r, want, n) in enumerate(zip(rows, wants, counts, strict=True)):
        block = np.zeros((n, size))
        block[:, :_KNOTS] = r @ summed
        block[:, _KNOTS + k] = -1
        blocks.append(block / np.sqrt(n))
        targets.append(np.full(n, want) / np.sqrt(n))
        kinds.append(np.full(n, 1))
    block = np.zeros((len(greys), size))
    block[:, :_KNOTS] = greys @ summed
    block[np.arange(len(greys)), _KNOTS + count + channels] = -1
    weight = _GREY / np.sqrt(len(greys))
    blocks.append(block * weight)
    targets.append(grey_wants * weight)
    kinds.append(np.full(len(greys), 1))
    bend = np.zeros((_KNOTS - 2, size))
    for i in range(_KNOTS - 2):
        bend[i, i + 1], bend[i, i + 2] = -1, 1
    blocks.append(bend * _SMOOTH)
    targets.append(np.zeros(len(bend)))
    kinds.append(np.zeros(len(bend)))
    # A third of a stop of the shutter, against a twentieth of the patches; whites are free.
    prior = np.zeros((count + 3, size))
    prior[np.arange(count), _KNOTS + np.arange(count)] = _ROBUST / 0.33
    prior[count:, _KNOTS + count :] = 1e-3 * (1 + np.eye(3))
    blocks.append(prior)
    targets.append(np.zeros(count + 3))
    kinds.append(np.zeros(count + 3))
    matrix, target = np.concatenate(blocks), np.concatenate(targets)
    data = np.concatenate(kinds) > 0
    bottom = np.full(size, -np.inf)
    bottom[1:_KNOTS] = _LEAST_SLOPE / _KNOTS
    scale = np.abs(matrix).max(axis=1)
    robust = np.ones(len(target))
    for _ in range(_ROUNDS):
        x = lsq_linear(matrix * robust[:, None], target * robust, bounds=(bottom, np.inf)).x
        off = np.abs(matrix @ x - target) / np.maximum(scale, 1e-9)
        robust = np.where(data, 1 / np.sqrt(1 + (off / _ROBUST) ** 2), 1.0)
    exposures = [float(want + x[_KNOTS + k]) for k, want in enumerate(wants)]
    return x[:_KNOTS], exposures


def _extended(codes: A, knots: A, curve: A) -> A:
    """Return light at codes: straight on in light below the knots, in stops above them."""
    log = np.interp(codes, knots, curve)
    above = codes > knots[-1]
    slope = max((curve[-1] - curve[-4]) / (knots[-1] - knots[-4]), 1e-3)
    log = np.where(above, curve[-1] + slope * (codes - knots[-1]), log)
    light = 2.0**log
    steep = 2.0 ** curve[0] * np.log(2) * (curve[2] - curve[0]) / (knots[2] - knots[0])
    below = codes < knots[0]
    return np.asarray(
        np.where(below, 2.0 ** curve[0] + steep * (codes - knots[0]), light), np.float64
    )
