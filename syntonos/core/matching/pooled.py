"""Pooled readings: what one camera pair showed in other lights helps in this one.

The colour part of a match has a share that belongs to the two sensors and a small one that belongs
to the light. The other lights' readings say the first: their likelihoods, each widened by what
lights of one kind differ by, multiply the learned prior. It then stands beside the learned priors
as one more family, so that the evidence of this light's own reading decides how far it is used.
"""

from __future__ import annotations

from collections.abc import Sequence
from typing import Final

import numpy as np
from numpy.typing import NDArray

from syntonos.core.chain.document import Match
from syntonos.core.chain.stages.match import mix_matrix, through_match
from syntonos.core.charts import ChartReading
from syntonos.core.charts.reading import triple
from syntonos.core.errors import FitError
from syntonos.core.matching.bayes import FEW_TAUS, Model, information
from syntonos.core.matching.metric import MIX, scene_delta_e
from syntonos.core.matching.models import AVERAGED, priors_for
from syntonos.core.matching.prior import Prior
from syntonos.core.matching.readings import readings_of, spread_out, working
from syntonos.core.matching.rounds import run_rounds, scouts_of

A = NDArray[np.float64]
POOLED: Final = "pooled"
# Squared difference of two lights' coefficients over the prior's: 0.03 to 0.05 for lights of one
# ordinary kind, about 0.1 for poor lamps (simulated pairs; docs/matching.md).
_LIGHT_SHARE = 0.06
_SPREAD = 1.2  # of the learned prior, as most pairs need it
_JITTER = 1e-6
_MINKOWSKI: Final = 6
_LEAST_APART: Final = 0.02  # of whites, in natural logarithms


def pooled_prior(pairs: Sequence[tuple[ChartReading, ChartReading]]) -> Prior | None:
    """Return a prior that the readings of one camera pair in other lights speak for.

    Parameters
    ----------
    pairs : sequence of (reference, angle)
        Of other lights, better of one kind with this one.

    Returns
    -------
    Prior, or None where none of the pairs can be used.
    """
    learned = priors_for(AVERAGED)
    sums: dict[str, tuple[A, A]] = {}
    score = dict.fromkeys(learned, 0.0)
    taus: dict[str, list[float]] = {family: [] for family in learned}
    for reference, angle in pairs:
        used = [
            i for i in range(len(reference.patches))
            if reference.patches[i].is_usable and angle.patches[i].is_usable
        ]  # fmt: skip
        if len(used) < 12 or not any(i in reference.layout.mid_greys for i in used):
            continue
        readings = readings_of(reference, angle, spread_out(reference, used, 40))
        answer = run_rounds(readings, learned, scouts_of(tuple(learned)))
        model = Model(answer.problem, learned)
        for family, prior in learned.items():
            solved = model.best(scouts_of((family,)), FEW_TAUS)
            score[family] += solved.log_evidence
            taus[family].append(float(np.log(solved.tau)))
            precision, pull = information(solved)
            widened = _widened(precision, pull, _LIGHT_SHARE * prior.cov)
            old = sums.get(family, (np.zeros_like(prior.cov), np.zeros_like(prior.mean)))
            sums[family] = old[0] + widened[0], old[1] + widened[1]
    if not sums:
        return None
    family = max(score, key=lambda name: score[name])
    prior = learned[family]
    own = np.linalg.inv(_SPREAD**2 * prior.cov + _JITTER * np.eye(len(prior.mean)))
    precision, pull = sums[family]
    cov = np.linalg.inv(own + precision)
    mean = cov @ (own @ prior.mean + pull)
    # What no model explains is the pair's own, too: the learned median counts as one light.
    tau = float(np.exp(np.mean([np.log(prior.tau), *taus[family]])))
    return Prior(mean, cov + _LIGHT_SHARE * prior.cov, prior.patch_cov, tau, prior.tau_spread)


def _widened(precision: A, pull: A, spread: A) -> tuple[A, A]:
    """Return what is known of the shared coefficients by what is known of one light's."""
    between = np.linalg.inv(spread + _JITTER * np.eye(len(pull)))
    gain = precision @ np.linalg.inv(precision + between)
    return precision - gain @ precision, pull - gain @ pull


def general_match(matches: Sequence[Match], shares: Sequence[float] = ()) -> Match:
    """Return one match for a light that has none: the mean of a pair's matches in other lights.

    White and exposure are averaged as ratios, matrices by their elements; flare, roots and smooth
    residuals belong to single readings and are left out.

    Parameters
    ----------
    matches : sequence of Match
    shares : sequence of float, optional
        How much each counts, from `share_between`; all alike where it is empty.

    Raises
    ------
    FitError
        fit.no_neighbours when there are none.
    """
    if not matches:
        raise FitError(
            "There is no match of this camera in any light yet.",
            hint="Read a chart in one light first.", code="fit.no_neighbours",
        )  # fmt: skip
    weights = shares or None
    whites = [
        np.exp(np.average([np.log(np.array(getattr(m, side))) for m in matches], 0, weights))
        for side in ("angle_white", "reference_white")
    ]
    matrix = np.average([np.array(m.matrix) for m in matches], 0, weights)
    rows = [triple(row) for row in matrix]
    clips = [m.clip for m in matches if m.clip is not None]
    return Match(
        angle_flare=(0.0, 0.0, 0.0), angle_white=triple(whites[0]),
        stops=float(np.average([m.stops for m in matches], weights=weights)),
        matrix=(rows[0], rows[1], rows[2]), reference_white=triple(whites[1]),
        reference_flare=(0.0, 0.0, 0.0), mix=matches[0].mix,
        clip=min(clips, default=None),
    )  # fmt: skip


def scene_white(light: NDArray[np.floating]) -> A:
    """Return the white of a scene's light as the camera recorded it, by the whole picture.

    The mean of the channels to the sixth power ("shades of grey", Finlayson and Trezzi, Colour
    constancy and shades of grey, CIC 12, 2004), in AP1 mixed towards its luminance.

    Parameters
    ----------
    light : (..., 3)
        Scene-linear AP1; the brightest thousandth is left out.

    Returns
    -------
    (2,) natural logarithm of red and of blue over green.
    """
    rows = np.asarray(light, np.float64).reshape(-1, 3) @ mix_matrix(MIX).T
    level = rows.mean(axis=1)
    rows = np.maximum(rows[level <= np.quantile(level, 0.999)], 0)
    r, g, b = np.maximum((rows**_MINKOWSKI).mean(axis=0) ** (1 / _MINKOWSKI), 1e-9)
    return np.asarray(np.log([r / g, b / g]), np.float64)


def share_between(one: A, other: A, here: A) -> float:
    """Return how far the way from one light to another a third lies, by white, from 0 to 1.

    Parameters
    ----------
    one, other, here : (k,)
        What `scene_white` says in each light, of one camera or of several in a row.
    """
    way = other - one
    length = float(way @ way)
    if length < _LEAST_APART**2:
        return 0.5  # they are alike
    return float(np.clip((here - one) @ way / length, 0, 1))


def carried_error(match: Match, reference: ChartReading, angle: ChartReading) -> float:
    """Return the mean scene delta E that a match made elsewhere leaves on a light's own charts."""
    want = working(reference)
    mids = list(reference.layout.mid_greys)
    white = np.median(want[mids] / want[mids].mean(axis=1, keepdims=True), axis=0)
    used = [
        i for i in range(len(want))
        if reference.patches[i].is_usable and angle.patches[i].is_usable
    ]  # fmt: skip
    return float(scene_delta_e(through_match(match, working(angle)), want, white)[used].mean())
