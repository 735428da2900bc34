"""Bayesian linear regression from a chart: coefficients, their evidence and their doubt.

With A_i the local metric at the reference's colour i, |A_i d| is about delta E, and

    A_i (y_i - x_i) = A_i [terms(x_i) theta + x_i w + o + x_i plane(u, v) + smooth_i] + e_i

is linear in everything unknown: theta ~ N(mean, s^2 C) as learned, the white w, an offset o
(flare), a plane of light over the chart, and a Gaussian process over chromaticity. e_i has the
patches' learned covariance in units of tau^2 and the readings' own noise.
"""

from __future__ import annotations

from dataclasses import dataclass, field, replace
from functools import cached_property
from typing import Final

import numpy as np
from numpy.typing import NDArray
from scipy.linalg import cho_solve, solve_triangular
from scipy.linalg.lapack import dpotrf, dpotrs

from syntonos.core.chain.colour_model import (
    AP1_LUMINANCE,
    ROOT_3,
    chroma_place,
    neutral_free_kernel,
    terms,
)
from syntonos.core.matching.prior import Prior

A = NDArray[np.float64]
TAUS: Final = np.geomspace(0.12, 3.0, 10)
FEW_TAUS: Final = TAUS[1::2]
_WHITE_SD, _GAIN_SD = 0.03, 0.2
_PLANE_SD, _BEND_SD = 0.25, 0.075
_FLOOR: Final = 0.05  # delta E that no reading is better than
_THETA = slice(0, 3 * ROOT_3)
_WHITE = slice(36, 39)
_OFFSET = slice(39, 42)
_PLANE = slice(42, 47)
_WIDTH = 47
PAIR, SCENE = -1, -2  # in place of a patch: a colour that a person gave, one of the scene


@dataclass(frozen=True, slots=True)
class Setting:
    """One model of the many that are averaged."""

    family: str  # of the prior: "ordinary" or "odd"
    scale: float  # of the prior's spread
    offset: float  # standard deviation of the offset, as a share of white
    smooth: float  # standard deviation of the smooth residual, as a share of luminance


@dataclass(frozen=True)
class Problem:
    """Readings about their present linearisation.

    `x`, `y` (n, 3): angle and reference, by their whites. `jac` (n, 3, 3): the metric at y.
    `noise` (n, 3, 3): covariance of y - x from the readings alone, linear. `place` (n, 2): where
    the patch is on the chart, -0.5..0.5. `extra` (n, 3, 3): variance added to patches that
    disagree, in delta E. `taken`: what has been moved into whites, flare and plane already, by
    which the prior means are shifted.
    """

    x: A
    y: A
    jac: A
    noise: A
    place: A
    patches: NDArray[np.intp]  # which patches of the layout these are, PAIR or SCENE
    extra: A
    weight: A  # (n,) 1 for an ordinary one; variances are divided by it
    taken: dict[str, A] = field(default_factory=dict)
    middle: A = field(default_factory=lambda: np.zeros(5))  # the plane's terms, mean over the chart
    is_learned: bool = True  # whether the prior knows how these patches err

    @cached_property
    def target(self) -> A:
        """(3 n,) the difference in delta E."""
        return np.asarray(np.einsum("nij,nj->ni", self.jac, self.y - self.x).ravel(), np.float64)

    @cached_property
    def design(self) -> A:
        """(3 n, 47): what each unknown does to it."""
        n = len(self.x)
        plane = (bent_plane(self.place) - self.middle) * (self.patches >= 0)[:, None]
        d = np.empty((n, 3, _WIDTH))
        d[..., _THETA] = np.einsum("nk,nij->nikj", terms(self.x), self.jac).reshape(n, 3, -1)
        d[..., _WHITE] = self.jac * self.x[:, None, :]
        d[..., _OFFSET] = self.jac
        lit = np.einsum("nij,nj->ni", self.jac, self.x)
        d[..., _PLANE] = lit[..., None] * plane[:, None, :]
        return d.reshape(3 * n, _WIDTH)

    @cached_property
    def own_noise(self) -> A:
        """(3 n, 3 n): readings' noise and extra variance, in delta E."""
        blocks = np.einsum("nij,njk,nlk->nil", self.jac, self.noise, self.jac) + self.extra
        blocks = blocks + np.eye(3) * _FLOOR**2
        return spread_blocks(blocks / self.weight[:, None, None])

    @cached_property
    def smooth_gram(self) -> A:
        """(3 n, 3 n): the smooth residual's covariance for a deviation of one."""
        light = np.maximum(self.x @ AP1_LUMINANCE, 0)
        places = chroma_place(self.x)
        k = neutral_free_kernel(places, places) * light[:, None] * light
        gram = np.einsum("nij,nm,mkj->nimk", self.jac, k, self.jac)
        return np.asarray(gram.reshape(3 * len(self.x), -1), np.float64)

    def with_extra(self, extra: A) -> Problem:
        """Return the same problem with other extra variance (n, 3, 3)."""
        other = replace(self, extra=extra)
        for name in ("target", "design", "smooth_gram"):  # these do not depend on it
            if name in self.__dict__:
                other.__dict__[name] = self.__dict__[name]
        return other


def bent_plane(place: A) -> A:
    """Return the terms (n, 5) of light that changes over a chart, of places (n, 2)."""
    u, v = place.T
    return np.stack([u, v, u * u, u * v, v * v], axis=-1)


def spread_blocks(blocks: A) -> A:
    """Return a block-diagonal (3 n, 3 n) of blocks (n, 3, 3)."""
    n = len(blocks)
    out = np.zeros((n, 3, n, 3))
    out[np.arange(n), :, np.arange(n), :] = blocks
    return out.reshape(3 * n, 3 * n)


@dataclass(frozen=True, slots=True)
class _Shared:
    """What the answers of one setting share."""

    problem: Problem
    mean: A  # (47,)
    prior_cov: A  # (47, 47)
    side: A  # (3 n, 47) design times prior covariance
    signal: A  # (3 n, 3 n) covariance of what a match would correct


@dataclass(frozen=True, slots=True)
class Solved:
    """A model's answer; all but its evidence is worked out when it is asked for."""

    setting: Setting
    tau: float
    log_evidence: float
    lower: A  # (3 n, 3 n) Cholesky factor of the data's covariance
    weighted: A  # (3 n,) inverse covariance times what the prior mean leaves
    shared: _Shared

    @property
    def beta(self) -> A:
        """(47,) the coefficients."""
        return np.asarray(self.shared.mean + self.shared.side.T @ self.weighted, np.float64)

    @property
    def smooth(self) -> A:
        """(n, 3) weights of the smooth residual at the patches."""
        p = self.shared.problem
        light = np.maximum(p.x @ AP1_LUMINANCE, 0)
        pulled = np.einsum("nij,ni->nj", p.jac, self.weighted.reshape(-1, 3))
        return np.asarray(self.setting.smooth**2 * light[:, None] * pulled, np.float64)

    @property
    def inverse(self) -> A:
        """(3 n, 3 n) inverse of the data's covariance."""
        return np.asarray(cho_solve((self.lower, True), np.eye(len(self.lower))), np.float64)

    def covariance(self) -> A:
        """(47, 47) of the answer: what the chart leaves open."""
        half = solve_triangular(self.lower, self.shared.side, lower=True)
        return np.asarray(self.shared.prior_cov - half.T @ half, np.float64)

    def cross_validated(self) -> A:
        """Return what a match made without a patch misses on it, (n, 3) in delta E."""
        n = len(self.weighted) // 3
        inverse = self.inverse.reshape(n, 3, n, 3)
        blocks = inverse[np.arange(n), :, np.arange(n), :]
        pulls = np.linalg.solve(blocks, self.weighted.reshape(n, 3)[..., None])[..., 0]
        # Column i: the weights that the other patches would have had.
        others = self.weighted[:, None] - np.einsum("mani,ni->man", inverse, pulls).reshape(
            3 * n, n
        )
        target = (self.lower @ (self.lower.T @ self.weighted)).reshape(n, 3)
        guess = np.einsum("nik,kn->ni", self.shared.signal.reshape(n, 3, -1), others)
        return np.asarray(target - guess, np.float64)

    def left_out_errors(self) -> tuple[A, A]:
        """Return each patch's error (n, 3) given all others, and its covariance (n, 3, 3)."""
        return errors_left_out(self.inverse, self.weighted)


def errors_left_out(inverse: A, weighted: A) -> tuple[A, A]:
    """Return the same (n, 3) and (n, 3, 3), of what a `Solved` knows."""
    n = len(weighted) // 3
    blocks = inverse.reshape(n, 3, n, 3)[np.arange(n), :, np.arange(n), :]
    cov = np.asarray(np.linalg.inv(blocks), np.float64)
    return np.asarray(np.einsum("nij,nj->ni", cov, weighted.reshape(n, 3))), cov


def with_variance(inverse: A, weighted: A, row: int, variance: A) -> tuple[A, A]:
    """Return inverse and weighted residual after a row's variance (3, 3) has grown by so much.

    By the Woodbury identity: solving again takes ten times as long.
    """
    at = slice(3 * row, 3 * row + 3)
    column = inverse[:, at]
    pulled = column @ np.linalg.solve(np.eye(3) + variance @ inverse[at, at], variance)
    return inverse - pulled @ column.T, weighted - pulled @ weighted[at]


class Model:
    """Evidence and answers of settings on one problem; what they share is computed once."""

    def __init__(self, problem: Problem, priors: dict[str, Prior]) -> None:
        self.problem = problem
        self.priors = priors
        self._parts: dict[str, tuple[A, A]] = {}

    def with_extra(self, extra: A) -> Model:
        """Return the same model with other extra variance (n, 3, 3), which its parts lack."""
        other = Model(self.problem.with_extra(extra), self.priors)
        other._parts = self._parts
        return other

    def _prior_mean(self, family: str) -> A:
        mean = np.zeros(_WIDTH)
        mean[_THETA] = self.priors[family].mean
        taken = self.problem.taken
        for name, where in (("white", _WHITE), ("offset", _OFFSET), ("plane", _PLANE)):
            if name in taken:
                mean[where] = -taken[name]
        return mean

    def _prior_cov(self, setting: Setting) -> A:
        cov = np.zeros((_WIDTH, _WIDTH))
        cov[_THETA, _THETA] = setting.scale**2 * self.priors[setting.family].cov
        cov[_WHITE, _WHITE] = _WHITE_SD**2 * np.eye(3) + _GAIN_SD**2
        cov[_OFFSET, _OFFSET] = setting.offset**2 * (0.5 * np.eye(3) + 0.5)
        cov[_PLANE, _PLANE] = np.diag([_PLANE_SD**2] * 2 + [_BEND_SD**2] * 3)
        return cov

    def _part(self, family: str) -> tuple[A, A]:
        """Return patch covariance of the patches in use, and the target less the prior mean."""
        if family not in self._parts:
            patch = self._patch_cov(family)
            rest = self.problem.target - self.problem.design @ self._prior_mean(family)
            self._parts[family] = patch, rest
        return self._parts[family]

    def _patch_cov(self, family: str) -> A:
        """Return the covariance of what the model leaves, in units of tau; pairs have their own.

        Colours of the scene err as patches do that the prior does not know.
        """
        known = self.priors[family].patch_cov
        patches, weight = self.problem.patches, self.problem.weight
        out = np.eye(3 * len(patches))
        on, of_scene = patches >= 0, patches == SCENE
        if not self.problem.is_learned:
            out = _usual_cov(known, self.problem.x, on | of_scene)
            on = np.zeros(len(patches), bool)
        elif of_scene.any():
            out = _usual_cov(known, self.problem.x, of_scene)
        rows = (np.flatnonzero(on)[:, None] * 3 + np.arange(3)).ravel()
        source = (patches[on][:, None] * 3 + np.arange(3)).ravel()
        out[np.ix_(rows, rows)] = known[np.ix_(source, source)]
        scale = np.repeat(1 / np.sqrt(weight), 3)
        return np.asarray(out * scale[:, None] * scale, np.float64)

    def patch_blocks(self, family: str) -> A:
        """Return its diagonal blocks, (n, 3, 3)."""
        n = len(self.problem.x)
        blocks = self._part(family)[0].reshape(n, 3, n, 3)
        return np.asarray(blocks[np.arange(n), :, np.arange(n), :], np.float64)

    def solve(self, setting: Setting, taus: A = TAUS) -> list[Solved]:
        """Solve one setting for every tau (m,)."""
        p = self.problem
        prior = self.priors[setting.family]
        patch, rest = self._part(setting.family)
        cov = self._prior_cov(setting)
        side = p.design @ cov
        signal = side @ p.design.T
        if setting.smooth:
            signal = signal + setting.smooth**2 * p.smooth_gram
        base = signal + p.own_noise
        shared = _Shared(p, self._prior_mean(setting.family), cov, side, signal)
        out = []
        for tau in taus:
            lower, failed = dpotrf(base + tau**2 * patch, lower=1, clean=1, overwrite_a=1)
            if failed:
                continue
            weighted, _ = dpotrs(lower, rest, lower=1)
            logdet = 2 * float(np.log(np.diag(lower)).sum())
            # tau is about lognormal, as learned; a wide one, since a prior may be wrong.
            off = np.log(tau / prior.tau) / max(prior.tau_spread, 0.5)
            evidence = -0.5 * (float(rest @ weighted) + logdet) - 0.5 * float(off) ** 2
            out.append(Solved(setting, float(tau), evidence, lower, weighted, shared))
        return out

    def best(self, settings: list[Setting], taus: A = TAUS) -> Solved:
        """Return the answer with the greatest evidence, over every tau (m,)."""
        solved = [s for setting in settings for s in self.solve(setting, taus)]
        return max(solved, key=lambda s: s.log_evidence)


def _usual_cov(known: A, x: A, on: NDArray[np.bool_]) -> A:
    """Return (3 n, 3 n) of the errors of a chart's patches that the prior does not know.

    They err like the known chart's colours, greys little; patches of one chromaticity err
    together by half. Colours x (n, 3) that are not on the chart (`on` false) stand alone.
    """
    n = len(x)
    blocks = known.reshape(24, 3, 24, 3)[np.arange(18), :, np.arange(18), :].mean(axis=0)
    place = chroma_place(x)
    chroma = np.hypot(*place.T)
    size = np.sqrt(0.08 + 0.92 * chroma / (chroma + 0.25))
    distance = np.hypot(*(place[:, None] - place[None]).transpose(2, 0, 1))
    alike = 0.45 * np.exp(-((distance / 0.15) ** 2)) + 0.55 * np.eye(n)
    out = np.einsum("nm,ij->nimj", alike * size[:, None] * size, blocks)
    out[~on] = 0
    out[:, :, ~on] = 0
    for i in np.flatnonzero(~on):
        out[i, :, i, :] = np.eye(3)
    return np.asarray(out.reshape(3 * n, 3 * n), np.float64)


def information(solved: Solved) -> tuple[A, A]:
    """Return what the data alone say of theta: precision (36, 36) and precision times mean (36,).

    White, offset and plane are taken out under their own priors.
    """
    p, prior = solved.shared.problem, solved.shared.prior_cov
    # The data's covariance holds the coefficients' part as well: take it off again.
    noise = solved.lower @ solved.lower.T - solved.shared.side @ p.design.T
    weighted = np.linalg.solve(noise, np.column_stack([p.design, p.target]))
    gram = p.design.T @ weighted[:, :-1]
    pull = p.design.T @ weighted[:, -1]
    t, rest = _THETA, slice(_THETA.stop, _WIDTH)
    own = np.linalg.inv(prior[rest, rest])
    inner = np.linalg.inv(gram[rest, rest] + own)
    cross = gram[t, rest] @ inner
    precision = gram[t, t] - cross @ gram[rest, t]
    return precision, pull[t] - cross @ (pull[rest] + own @ solved.shared.mean[rest])


def parts_of(beta: A) -> dict[str, A]:
    """Split an answer (47,) into theta (12, 3), white (3,), offset (3,), plane (5,)."""
    return {
        "theta": beta[_THETA].reshape(ROOT_3, 3), "white": beta[_WHITE],
        "offset": beta[_OFFSET], "plane": beta[_PLANE],
    }  # fmt: skip
