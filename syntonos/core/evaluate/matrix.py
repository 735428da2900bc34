"""A 3x3 that keeps neutral, fitted robustly in delta E."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

A = NDArray[np.float64]
_PRIOR_SD = 0.25  # of each mixing coefficient: cameras of this trade differ by less
_ROUNDS = 6
_NU = 5.0  # degrees of freedom of the residuals' Student t


def _columns(x: A) -> A:
    """Return D (n, 3, 6): how each free coefficient moves each channel; rows sum to one."""
    n = len(x)
    d = np.zeros((n, 3, 6))
    r, g, b = x.T
    d[:, 0, 0], d[:, 0, 1] = g - r, b - r
    d[:, 1, 2], d[:, 1, 3] = r - g, b - g
    d[:, 2, 4], d[:, 2, 5] = r - b, g - b
    return d


def to_matrix(theta: A) -> A:
    """Return the (3, 3) of coefficients R-G, R-B, G-R, G-B, B-R, B-G (6,)."""
    a, b, c, d, e, f = theta
    return np.array([[1 - a - b, a, b], [c, 1 - c - d, d], [e, f, 1 - e - f]])


def fit_neutral_matrix(x: A, y: A, jacobian: A, weight: A) -> tuple[A, A]:
    """Fit y = M x with rows of M that sum to one.

    Parameters
    ----------
    x, y : (n, 3)
        Colours of angle and reference, both divided by their white.
    jacobian : (n, 3, 3)
        Local metric: |J d| is about delta E for a change d of y.
    weight : (n,)
        Prior weight of each patch, 1 for an ordinary one.

    Returns
    -------
    matrix : (3, 3)
    robust : (n,)
        The weights that the patches ended with; one that disagrees has a small one.
    """
    design = jacobian @ _columns(x)
    target = np.einsum("nij,nj->ni", jacobian, y - x)
    robust = np.ones(len(x))
    theta = np.zeros(6)
    scale = 1.0
    for _ in range(_ROUNDS):
        w = weight * robust
        normal = np.einsum("nij,nik,n->jk", design, design, w)
        # Least squares in units of the residuals' scale, with a weak pull towards identity.
        normal += np.eye(6) * scale**2 / _PRIOR_SD**2
        theta = np.linalg.solve(normal, np.einsum("nij,ni,n->j", design, target, w))
        miss = np.sqrt(((target - design @ theta) ** 2).sum(axis=1))
        scale = max(0.25, float(np.median(miss)) / 1.1)
        robust = (_NU + 3) / (_NU + (miss / scale) ** 2)
        robust = np.minimum(robust / np.median(robust), 1.0)
    return to_matrix(theta), robust
