"""Learning the prior of the fits from random pairs of simulated cameras.

Run as a module it writes `matching/prior.npz`. Cameras are judged on other seeds, and one family
of sensors ("eye") is never learned from.
"""

from __future__ import annotations

import sys
from typing import Any

import numpy as np
from numpy.typing import NDArray

from syntonos.core.chain.colour_model import AP1_LUMINANCE, ROOT_3, terms
from syntonos.core.chain.stages.match import mix_matrix
from syntonos.core.evaluate.pairs import generic_kinds, generic_objects, random_pair, seen
from syntonos.core.matching.metric import difference_jacobian
from syntonos.core.matching.prior import FILE
from syntonos.core.simulate.lights import ODD, ORDINARY
from syntonos.core.simulate.spectra import NM, chart_reflectances

A = NDArray[np.float64]
LEARNED_FROM = ("bumps", "warped", "dyes")
_MIX = 0.2
_EVERY = 3  # of the generic objects stands for what is in front of cameras
_SEED = 20_000_000  # far from the seeds that fits are judged on


def _balanced(lin_ap1: A, white: A) -> A:
    return lin_ap1 @ mix_matrix(_MIX).T / white


def _sample(rng: np.random.Generator, kind: str) -> tuple[A, A, A, A, A, A] | None:
    """Return terms, difference and metric of generic colours, and of the chart's patches."""
    pair = random_pair(rng, LEARNED_FROM, kind, related=bool(rng.random() < 0.4))
    things = np.concatenate([np.ones((1, len(NM))), chart_reflectances(), generic_objects(rng)])
    lin_y, lin_x = (seen(camera, things, pair.lamp) for camera in (pair.reference, pair.angle))
    mixing = mix_matrix(_MIX)
    white_y, white_x = mixing @ lin_y[0], mixing @ lin_x[0]
    if min(white_x.min() / white_x.max(), white_y.min() / white_y.max()) < 0.02:
        return None
    x, y = _balanced(lin_x, white_x), _balanced(lin_y, white_y)
    level = float(white_y @ AP1_LUMINANCE)
    inverse = np.linalg.inv(mixing)
    jac = difference_jacobian(lin_y / level, lin_y[0] / level)
    jac = jac @ (inverse * (white_y / level))
    target = np.einsum("nij,nj->ni", jac, y - x)
    t = terms(x)
    return t[25:], target[25:], jac[25:], t[1:25], target[1:25], jac[1:25]


def design(t: A, jac: A) -> A:
    """Return (n, 3, 36): how each coefficient moves each component of delta E."""
    n = len(t)
    return np.asarray(np.einsum("nk,nij->nikj", t, jac).reshape(n, 3, 3 * ROOT_3), np.float64)


def _fit(t: A, target: A, jac: A, mean: A, precision: A) -> tuple[A, A]:
    """Return coefficients (36,) fitted robustly to generic colours, and the residuals (n, 3)."""
    d = design(t, jac)
    weight = np.ones(len(t))
    theta = mean
    for _ in range(4):
        normal = np.einsum("nij,nik,n->jk", d, d, weight) + precision
        theta = np.linalg.solve(
            normal, np.einsum("nij,ni,n->j", d, target, weight) + precision @ mean
        )
        left = target - d @ theta
        size = np.sqrt((left**2).sum(axis=1))
        scale = max(0.1, float(np.median(size)))
        weight = 8 / (5 + (size / scale) ** 2)
    return theta, target - d @ theta


def learn(kinds: tuple[str, ...], count: int, seed: int) -> dict[str, A]:
    """Learn mean (36,), covariance (36, 36), patch errors and tau over a family of lights."""
    rng = np.random.default_rng(seed)
    samples: list[tuple[A, A, A, A, A, A]] = []
    while len(samples) < count:
        sample = _sample(rng, kinds[len(samples) % len(kinds)])
        if sample is not None:
            samples.append(sample)
    mean, precision = np.zeros(36), np.eye(36) * 1.0
    thetas = np.empty((count, 36))
    for _ in range(2):
        thetas = np.array([_fit(t, r, a, mean, precision)[0] for t, r, a, *_ in samples])
        mean = np.median(thetas, axis=0)
        spread = thetas - mean
        # Distant pairs count less, so that a few wild ones do not set the width.
        size = np.sqrt((spread**2).sum(axis=1))
        weight = 1 / (1 + (size / (2 * np.median(size))) ** 2)
        cov = np.einsum("n,ni,nj->ij", weight, spread, spread) / weight.sum()
        precision = np.linalg.inv(cov + 1e-4 * np.eye(36))
    taus, errors = np.empty(count), np.empty((count, 72))
    for k, (t, r, a, tc, rc, ac) in enumerate(samples):
        theta, left = _fit(t, r, a, mean, precision)
        taus[k] = max(float(np.sqrt(np.minimum((left**2).mean(axis=1), 25).mean())), 0.05)
        errors[k] = (rc - design(tc, ac) @ theta).ravel() / taus[k]
    clipped = np.clip(errors, -6, 6)
    return {
        "mean": mean, "cov": cov + 1e-5 * np.eye(36), "patch_cov": clipped.T @ clipped / count,
        "tau": np.array(np.median(taus)), "tau_spread": np.array(np.log(taus).std()),
    }  # fmt: skip


def _population() -> A:
    rng = np.random.default_rng(_SEED)
    pair = random_pair(rng, LEARNED_FROM, "daylight", related=True)
    things = np.concatenate([np.ones((1, len(NM))), generic_objects(rng)[::_EVERY]])
    lin = seen(pair.reference, things, pair.lamp) @ mix_matrix(_MIX).T
    return np.asarray(lin[1:] / lin[0], np.float64)


def main(count: int = 1500) -> int:
    """Learn both families and write the file."""
    data: dict[str, NDArray[Any]] = {
        "population": _population().astype(np.float32),
        "population_kind": generic_kinds()[::_EVERY],
    }
    for i, (name, kinds) in enumerate((("ordinary", ORDINARY), ("odd", ODD))):
        found = learn(kinds, count, _SEED + i)
        data |= {f"{name}_{key}": value.astype(np.float32) for key, value in found.items()}
    np.savez_compressed(FILE, **data)  # type: ignore[arg-type]
    return 0


if __name__ == "__main__":
    sys.exit(main())
