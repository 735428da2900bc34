"""The mean delta E to expect of colours off the chart, now and under other readings."""

from __future__ import annotations

from collections.abc import Sequence
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
from syntonos.core.matching.prior import Prior, population

A = NDArray[np.float64]
# From root mean square to mean, and for what pairs of one family leave less than the prior
# thinks: fitted to the evaluation's development seeds.
_CALIBRATION: Final = (0.85, 1.1)
_Solutions = tuple[Problem, Sequence[Solved]]


@dataclass(frozen=True, slots=True)
class _Crowd:
    """Colours that stand for what is in front of cameras."""

    jac: A  # (m, 3, 3)
    design: A  # (m, 3, 47)
    light: A  # (m,)
    places: A  # (m, 2)


@lru_cache(maxsize=16)
def _crowd(white: tuple[float, ...]) -> _Crowd:
    x = population()
    jac = linear_metric(x, np.array(white))
    n = len(x)
    flat = Problem(
        x, x, jac, np.zeros((n, 3, 3)), np.zeros((n, 2)), np.arange(n), np.zeros((n, 3, 3)),
        np.ones(n),
    )  # fmt: skip
    light = np.maximum(x @ AP1_LUMINANCE, 0)
    return _Crowd(jac, flat.design.reshape(n, 3, -1), light, chroma_place(x))


def expected_error(white: A, share: A, found: _Solutions, under: _Solutions | None = None) -> float:
    """Return the mean delta E to expect: doubt, disagreement of models, and what none explains.

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
    return float(_CALIBRATION[0] * np.sqrt(total).mean() ** _CALIBRATION[1])


def expected_if(
    white: A, share: A, found: _Solutions, priors: dict[str, Prior], other: Problem
) -> float:
    """Return the mean delta E to expect had the readings been those of another problem."""
    model = Model(other, priors)
    again = [model.solve(s.setting, np.array([s.tau])) for s in found[1]]
    if not all(again):
        return expected_error(white, share, found)
    return expected_error(white, share, found, (other, [rows[0] for rows in again]))


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
