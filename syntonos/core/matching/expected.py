"""The mean delta E to expect of colours off the chart, now and under other readings."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from functools import lru_cache
from typing import Final

import numpy as np
from numpy.typing import NDArray
from scipy.linalg import solve_triangular

from syntonos.core.chain.colour_model import (
    AP1_LUMINANCE,
    KERNEL_WIDTH,
    chroma_place,
    neutral_free_kernel,
)
from syntonos.core.matching.bayes import Model, Problem, Solved
from syntonos.core.matching.metric import linear_metric
from syntonos.core.matching.prior import Prior, population, population_kinds

A = NDArray[np.float64]
# The kinds of colours that an error is stated for, in the order that people look, with the share
# that each has in the mean over all: about what pictures are made of (common practice, no source).
KINDS: Final = {"greys": 0.1, "skins": 0.15, "foliage": 0.1, "saturated": 0.15, "other": 0.5}
# From root mean square to mean, and for what the model of doubt gets wrong about a kind: a E^b.
# Fitted by `core.evaluate.calibrate` (40 to a class), on seeds, sensors and colours of its own.
CALIBRATION: Final = {
    "greys": (0.190, 0.881), "skins": (0.889, 1.101), "foliage": (0.501, 1.069),
    "saturated": (1.247, 1.079), "other": (0.744, 1.152),
}  # fmt: skip
# Nine times in ten the true mean of a kind lies within times and by this of the expected one.
INTERVALS: Final = {
    "greys": 2.9, "skins": 2.2, "foliage": 1.9, "saturated": 1.65, "other": 1.65,
}  # fmt: skip
INTERVAL: Final = 1.75  # likewise for all kinds together
_GREYS: Final = np.geomspace(0.03, 0.85, 6)  # of white
_Solutions = tuple[Problem, Sequence[Solved]]


@dataclass(frozen=True, slots=True)
class _Crowd:
    """Colours that stand for what is in front of cameras."""

    jac: A  # (m, 3, 3)
    design: A  # (m, 3, 47)
    light: A  # (m,)
    places: A  # (m, 2)
    exposed: A  # (m, 3) what exposure does to them, delta E for all of it
    rows: Mapping[str, NDArray[np.intp]]  # which are of a kind


@lru_cache(maxsize=16)
def _crowd(white: tuple[float, ...]) -> _Crowd:
    x = np.concatenate([population(), np.repeat(_GREYS[:, None], 3, axis=1)])
    kinds = np.concatenate([population_kinds(), np.repeat("greys", len(_GREYS))])
    jac = linear_metric(x, np.array(white))
    n = len(x)
    flat = Problem(
        x, x, jac, np.zeros((n, 3, 3)), np.zeros((n, 2)), np.arange(n), np.zeros((n, 3, 3)),
        np.ones(n),
    )  # fmt: skip
    light = np.maximum(x @ AP1_LUMINANCE, 0)
    rows = {kind: np.flatnonzero(kinds == kind) for kind in KINDS}
    return _Crowd(jac, flat.design.reshape(n, 3, -1), light, chroma_place(x),
                  np.einsum("nij,nj->ni", jac, x), rows)  # fmt: skip


@dataclass(frozen=True, slots=True)
class Expected:
    """A mean delta E to expect; nine times in ten the true one lies between low and high."""

    mean: float
    low: float
    high: float


def stated(kinds: Mapping[str, float]) -> dict[str, Expected]:
    """Return the errors of KINDS, each with its interval."""
    return {k: Expected(v, v / INTERVALS[k], v * INTERVALS[k]) for k, v in kinds.items()}


def overall(kinds: Mapping[str, float]) -> float:
    """Return the mean over all kinds of colours, by the share that each has in pictures."""
    return sum(share * kinds[kind] for kind, share in KINDS.items())


def expected_errors(
    white: A,
    share: A,
    found: _Solutions,
    under: _Solutions | None = None,
    *,
    exposure: float = 0.0,
) -> dict[str, float]:
    """Return the mean delta E to expect of each of KINDS.

    It is made of doubt, of the disagreement of models, and of what none explains.

    Parameters
    ----------
    white : (3,)
        The reference's, mixed AP1.
    share : (k,)
        Weights of the solutions.
    found : (Problem, solutions)
        What was read and fitted.
    under : (Problem, solutions), optional
        The same settings solved on readings as they might be: their doubt is taken.
    exposure : float
        The share of exposure that is in doubt beside.
    """
    crowd = _crowd(tuple(white.tolist()))
    p, solved = found
    q, again = under or found
    between = neutral_free_kernel(crowd.places, chroma_place(p.x))
    total = np.zeros(len(crowd.light))
    means = []
    for s, t, w in zip(solved, again, share, strict=True):
        doubt = ((crowd.design @ t.covariance()) * crowd.design).sum(axis=(1, 2))
        shift = crowd.design @ s.beta
        if s.setting.smooth:
            doubt = doubt + _smooth_doubt(crowd, q, t)
            pull = crowd.light[:, None] * (between @ s.smooth)
            shift = shift + np.einsum("nij,nj->ni", crowd.jac, pull)
        means.append(shift)
        total += w * (np.maximum(doubt, 0) + 3 * s.tau**2)
    middle = sum(w * m for w, m in zip(share, means, strict=True))
    for w, m in zip(share, means, strict=True):
        total += w * ((m - middle) ** 2).sum(axis=1)
    size = np.sqrt(total)
    moved = exposure * np.sqrt((crowd.exposed**2).sum(axis=1))
    return {
        kind: float(np.hypot(
            CALIBRATION[kind][0] * size[rows].mean() ** CALIBRATION[kind][1], moved[rows].mean(),
        ))
        for kind, rows in crowd.rows.items()
    }  # fmt: skip


def expected_if(
    white: A, share: A, found: _Solutions, priors: dict[str, Prior], other: Problem,
    exposure: float = 0.0,
) -> float:  # fmt: skip
    """Return the mean delta E to expect had the readings (n, 3) been those of another problem."""
    model = Model(other, priors)
    again = [model.solve(s.setting, np.array([s.tau])) for s in found[1]]
    if not all(again):
        return overall(expected_errors(white, share, found, exposure=exposure))
    under = other, [rows[0] for rows in again]
    return overall(expected_errors(white, share, found, under, exposure=exposure))


def _smooth_doubt(crowd: _Crowd, p: Problem, s: Solved) -> A:
    """Return the trace of the smooth residual's remaining variance at the crowd."""
    between = neutral_free_kernel(crowd.places, chroma_place(p.x))
    m, n = between.shape
    a2 = s.setting.smooth**2
    own = np.maximum(p.x @ AP1_LUMINANCE, 0)
    cross = a2 * crowd.light[:, None] * own * between
    rows = (crowd.jac.reshape(3 * m, 3) @ p.jac.reshape(3 * n, 3).T).reshape(m, 3, n, 3)
    rows = rows * cross[:, None, :, None]
    half = solve_triangular(s.lower, rows.reshape(m * 3, n * 3).T, lower=True)
    itself = 1 - np.exp(-(crowd.places**2).sum(axis=1) / KERNEL_WIDTH**2)
    prior = a2 * crowd.light**2 * itself * (crowd.jac**2).sum(axis=(1, 2))
    return np.asarray(prior - (half**2).sum(axis=0).reshape(m, 3).sum(axis=1), np.float64)
