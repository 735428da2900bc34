"""The robust rounds of a fit: whites, glare, outliers, uneven light, then the average of models."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from itertools import product
from typing import Final

import numpy as np
from numpy.typing import NDArray

from syntonos.core.chain.colour_model import AP1_LUMINANCE, chroma_place, neutral_free_kernel, terms
from syntonos.core.matching.bayes import (
    FEW_TAUS,
    PAIR,
    Model,
    Problem,
    Setting,
    Solved,
    bent_plane,
    errors_left_out,
    parts_of,
    with_variance,
)
from syntonos.core.matching.expected import expected_errors
from syntonos.core.matching.metric import linear_metric
from syntonos.core.matching.prior import Prior

A = NDArray[np.float64]
_ROUNDS = 4
_GLARE_SD, _WILD_SD = 0.12, 8.0  # share of white; delta E
_GAIN_GLARE, _GAIN_WILD = 1.5, 3.0  # least gain in log evidence
_NU = 5.0
_OF_FALL_OFF = 0.05  # of how much light changes over a chart, exposure is in doubt
_DARKEST = 0.2  # of the light's mean: a plane that bends below is no light
_TEMPER = 0.3  # evidence of wrong models is too sure of itself
OFFSETS: Final = (0.0005, 0.004, 0.015, 0.04)
SMOOTHS: Final = (0.0, 0.012, 0.03, 0.06)
SCALES: Final = (0.5, 1.2, 2.5)


@dataclass(frozen=True, slots=True)
class Readings:
    """Two readings of one chart, in mixed AP1, and what is known of the chart."""

    angle: A  # (n, 3)
    reference: A  # (n, 3)
    angle_cov: A  # (n, 3, 3) of the means
    reference_cov: A  # (n, 3, 3)
    place: A  # (n, 2)
    patches: NDArray[np.intp]
    mids: Sequence[int]  # which rows are mid greys
    nominal: A  # (len(mids),) their published luminance
    weight: A  # (n,)
    suspects: frozenset[int] = frozenset()  # rows that the reading itself says are glared
    is_learned: bool = True  # whether the prior knows these patches
    white: A | None = None  # (3,) the reference's, where no grey says it
    # Whether they lie side by side on a flat chart, over which light may change.
    is_chart: bool = True


@dataclass(frozen=True, slots=True)
class Line:
    """The present linearisation: flare and white of both sides, light over the chart."""

    angle_flare: A
    angle_white: A
    reference_flare: A
    reference_white: A
    plane: A


@dataclass(frozen=True, slots=True)
class Answer:
    """What the rounds found. y = x + terms(x) theta + x white + offset + smooth residual."""

    line: Line
    theta: A  # (12, 3)
    white: A  # (3,)
    offset: A  # (3,)
    centres: A  # (n, 2) of the smooth residual
    smooth: A  # (n, 3)
    glared: dict[int, float]  # row: light added, share of white, positive in the angle
    wild: frozenset[int]
    left_out: A  # (n,) delta E that each patch misses when predicted from the others
    expected: dict[str, float]  # mean delta E that is expected off the chart, by kind of colour
    tau: float
    log_evidence: float
    problem: Problem
    solved: tuple[Solved, ...]  # the settings that weigh most
    share: A  # their weights
    exposure_doubt: float  # a share of exposure that uneven light leaves open


def reference_white(readings: Readings) -> A:
    """Return the reference's white (3,), Y = 1 at 100 % reflectance, from its mid greys."""
    if readings.white is not None:
        return readings.white
    mids = readings.reference[list(readings.mids)]
    return np.asarray(np.median(mids / readings.nominal[:, None], axis=0), np.float64)


def _first_line(readings: Readings) -> Line:
    white = reference_white(readings)
    mids = list(readings.mids)
    a = np.maximum(readings.angle[mids], 1e-7)
    b = np.maximum(readings.reference[mids], 1e-7)
    ratio = np.exp(np.median(np.log(a / b), axis=0))
    return Line(np.zeros(3), white * ratio, np.zeros(3), white, np.zeros(5))


def _lit(readings: Readings | Problem, plane: A) -> A:
    """Return what evens the light over the chart out (n,), in the angle as in the reference.

    Exposure is meant in the mean over the chart: what falls off on one side of it is brighter on
    the other. Areas stand in the scene's own light.
    """
    on_chart = readings.patches >= 0
    lit = np.maximum(1 + bent_plane(readings.place) @ plane, _DARKEST)
    return np.asarray(np.where(on_chart, lit * (1 / lit[on_chart]).mean(), 1.0), np.float64)


def _problem(readings: Readings, line: Line, extra: A, taken: dict[str, A]) -> Problem:
    lit = _lit(readings, line.plane)[:, None]
    x = (readings.angle - line.angle_flare) / line.angle_white * lit
    y = (readings.reference - line.reference_flare) / line.reference_white
    noise = readings.angle_cov / (line.angle_white[:, None] * line.angle_white)
    noise = noise + readings.reference_cov / (line.reference_white[:, None] * line.reference_white)
    jac = linear_metric(y, line.reference_white)
    place = readings.place if readings.is_chart else np.zeros_like(readings.place)
    middle = bent_plane(place)[readings.patches >= 0].mean(axis=0)
    return Problem(
        x, y, jac, noise, place, readings.patches, extra, readings.weight, taken, middle,
        readings.is_learned,
    )  # fmt: skip


def _robust(model: Model, solved: Solved, readings: Readings
            ) -> tuple[A, dict[int, float], frozenset[int]]:  # fmt: skip
    """Return extra variance (n, 3, 3), glared patches with the light added, and wild ones."""
    p = model.problem
    n = len(p.x)
    inverse, weighted = solved.inverse, solved.weighted
    extra = np.zeros((n, 3, 3))
    glared: dict[int, float] = {}
    wild: set[int] = set()
    ones = p.jac.sum(axis=2)  # (n, 3): what added white light does
    on_chart = (p.patches >= 0) & readings.is_chart
    near = _neighbours(p.place) & on_chart & on_chart[:, None]
    suspects = readings.suspects
    for _ in range(max(4, n // 3)):
        blocks = inverse.reshape(n, 3, n, 3)[np.arange(n), :, np.arange(n), :]
        pulls = weighted.reshape(n, 3)
        g = np.einsum("ni,nij,nj->n", ones, blocks, ones) * _GLARE_SD**2
        q = (ones * pulls).sum(axis=1) * _GLARE_SD
        glare_gain = 0.5 * (q**2 / (1 + g) - np.log1p(g))
        bump = np.eye(3) / _WILD_SD**2 + blocks
        wild_gain = 0.5 * np.einsum("ni,nij,nj->n", pulls, np.linalg.inv(bump), pulls)
        wild_gain -= 0.5 * (np.linalg.slogdet(bump)[1] + 6 * np.log(_WILD_SD))
        for i in range(n):
            easier = i in suspects or any(near[i, k] for k in glared)
            glare_gain[i] -= 0.0 if easier else _GAIN_GLARE
        wild_gain -= _GAIN_WILD
        # A pair that a person gave is never doubted.
        taken = [*glared, *wild, *np.flatnonzero(p.patches == PAIR).tolist()]
        glare_gain[taken] = wild_gain[taken] = -1.0
        i = int(np.argmax(np.maximum(glare_gain, wild_gain)))
        if max(glare_gain[i], wild_gain[i]) <= 0:
            break
        if glare_gain[i] >= wild_gain[i]:
            glared[i] = -float(_GLARE_SD * q[i] / (1 + g[i]))
            extra[i] = np.outer(ones[i], ones[i]) * _GLARE_SD**2
        else:
            wild.add(i)
            extra[i] = np.eye(3) * _WILD_SD**2
        inverse, weighted = with_variance(inverse, weighted, i, extra[i] / p.weight[i])
    error, cov = errors_left_out(inverse, weighted)
    distance = np.einsum("ni,nij,nj->n", error, np.linalg.inv(cov), error)
    weight = np.minimum((_NU + 3) / (_NU + distance), 1.0)
    weight[p.patches == PAIR] = 1.0
    own = model.problem.own_noise.reshape(n, 3, n, 3)[np.arange(n), :, np.arange(n), :]
    own = own + solved.tau**2 * model.patch_blocks(solved.setting.family)
    extra = extra + (1 / weight - 1)[:, None, None] * own
    return extra, glared, frozenset(wild)


def _neighbours(place: A) -> NDArray[np.bool_]:
    """Say which patches lie side by side, corners included."""
    distance = np.abs(place[:, None] - place[None])
    steps = [np.diff(np.unique(np.round(place[:, k], 6))) for k in (0, 1)]
    reach = np.array([1.1 * s.min() if len(s) else 1.0 for s in steps])
    return np.asarray((distance <= reach).all(axis=-1), np.bool_)


def _moved(line: Line, solved: Solved, taken: dict[str, A]) -> tuple[Line, dict[str, A]]:
    """Move an answer's white, flare and plane into the linearisation."""
    part = parts_of(solved.beta)
    gain = 1 + np.clip(part["white"], -0.6, 1.5)
    offset = part["offset"]
    angle_flare, reference_flare = line.angle_flare, line.reference_flare
    if float(offset @ AP1_LUMINANCE) < 0:
        angle_flare = angle_flare - offset * line.angle_white
    else:
        reference_flare = reference_flare + offset * line.reference_white
    plane = line.plane + np.clip(part["plane"], -0.3, 0.3)
    moved = Line(angle_flare, line.angle_white / gain, reference_flare, line.reference_white, plane)
    return moved, {
        "white": taken.get("white", np.zeros(3)) + np.log(gain),
        "offset": taken.get("offset", np.zeros(3)) + offset,
        "plane": plane,
    }


def run_rounds(readings: Readings, priors: dict[str, Prior], settings: Sequence[Setting]) -> Answer:
    """Fit: robust rounds with one setting per family, then the average over all settings.

    Parameters
    ----------
    readings : Readings
        Of patches that are not clipped; at least six, at least one mid grey.
    priors : dict
        By family.
    settings : sequence of Setting
        What is averaged over.
    """
    n = len(readings.angle)
    line, taken = _first_line(readings), dict[str, A]()
    extra = np.zeros((n, 3, 3))
    glared: dict[int, float] = {}
    wild: frozenset[int] = frozenset()
    offsets = sorted({s.offset for s in settings})
    has_smooth = any(s.smooth for s in settings)
    scouts = scouts_of(sorted({s.family for s in settings}), offsets, 0.02 if has_smooth else 0.0)
    for turn in range(_ROUNDS):
        plain = Model(_problem(readings, line, np.zeros((n, 3, 3)), taken), priors)
        seen = plain.with_extra(extra)
        solved = seen.best(scouts, FEW_TAUS)
        fresh = plain.solve(solved.setting, np.array([solved.tau]))[0]
        extra, glared, wild = _robust(plain, fresh, readings)
        again = plain.with_extra(extra)
        solved = again.best(scouts, FEW_TAUS)
        if turn < _ROUNDS - 1:
            line, taken = _moved(line, solved, taken)
    problem = _problem(readings, line, extra, taken)
    return answer_of(Model(problem, priors), settings, line, glared, wild)


def _exposure_doubt(problem: Problem, plane: A) -> float:
    """Return how far exposure may be off, a share: the scene's light may be any of the chart's."""
    lit = _lit(problem, plane)[problem.patches >= 0]
    return _OF_FALL_OFF * float(np.ptp(np.log(lit)))


def scouts_of(
    families: Sequence[str], offsets: Sequence[float] = OFFSETS, smooth: float = 0.02
) -> list[Setting]:
    """Return the few settings that the rounds look with."""
    return [Setting(family, 1.5, offset, smooth) for family in families for offset in offsets]


def answer_of(
    model: Model, settings: Sequence[Setting], line: Line, glared: dict[int, float],
    wild: frozenset[int],
) -> Answer:  # fmt: skip
    """Average over settings on a problem whose rounds are done."""
    solved = [s for setting in settings for s in model.solve(setting)]
    evidence = np.array([s.log_evidence for s in solved])
    weight = np.exp(_TEMPER * (evidence - evidence.max()))
    keep = [int(i) for i in np.argsort(-weight)[:160] if weight[i] > 0.002]
    weight = weight[keep] / weight[keep].sum()
    kept = [solved[i] for i in keep]
    beta = sum(w * s.beta for w, s in zip(weight, kept, strict=True))
    smooth = sum(w * s.smooth for w, s in zip(weight, kept, strict=True))
    parts = parts_of(np.asarray(beta))
    order = np.argsort(-weight)[:12]
    share = weight[order] / weight[order].sum()
    errors = sum(w * kept[int(i)].cross_validated() for w, i in zip(share, order, strict=True))
    p = model.problem
    heaviest = tuple(kept[int(i)] for i in order)
    doubt = _exposure_doubt(p, line.plane)
    expected = expected_errors(line.reference_white, share, (p, heaviest), exposure=doubt)
    return Answer(
        line, parts["theta"], parts["white"], parts["offset"], chroma_place(p.x),
        np.asarray(smooth), glared, wild, np.sqrt((np.asarray(errors) ** 2).sum(axis=1)), expected,
        float(sum(w * s.tau for w, s in zip(weight, kept, strict=True))), float(evidence.max()), p,
        heaviest, share, doubt,
    )  # fmt: skip


def all_settings(families: Sequence[str]) -> list[Setting]:
    """Return the settings of the full average."""
    return [Setting(*combo) for combo in product(families, SCALES, OFFSETS, SMOOTHS)]


def evenly_lit(answer: Answer, readings: Readings) -> A:
    """Return the angle's reading (n, 3) as it would be had the light over the chart been even."""
    line = answer.line
    lit = _lit(readings, line.plane)[:, None]
    return np.asarray((readings.angle - line.angle_flare) * lit + line.angle_flare, np.float64)


def corrected(answer: Answer, mixed: A) -> A:
    """Apply an answer to mixed AP1 (..., 3) of the angle; returns mixed AP1 of the reference."""
    line = answer.line
    x = (mixed - line.angle_flare) / line.angle_white
    y = x + terms(x) @ answer.theta + x * answer.white + answer.offset
    light = np.maximum(x @ AP1_LUMINANCE, 0)[..., None]
    k = neutral_free_kernel(chroma_place(x).reshape(-1, 2), answer.centres)
    y = y + light * (k @ answer.smooth).reshape(x.shape)
    return np.asarray(y * line.reference_white + line.reference_flare, np.float64)


def without_roots(prior: Prior, terms_kept: int) -> Prior:
    """Return a prior under which only the first terms are free."""
    keep = np.zeros(len(prior.mean), bool)
    keep[: 3 * terms_kept] = True
    return replace(
        prior,
        mean=np.where(keep, prior.mean, 0.0),
        cov=np.where(np.outer(keep, keep), prior.cov, 0.0),
    )
