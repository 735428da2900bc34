"""The models a person may choose, and a match from an answer."""

from __future__ import annotations

from functools import cache
from typing import Final

import numpy as np
from numpy.typing import NDArray

from syntonos.core.chain import Match
from syntonos.core.chain.colour_model import AP1_LUMINANCE, MATRIX, ROOT_2, ROOT_3, kernel
from syntonos.core.charts.reading import triple
from syntonos.core.matching.bayes import Setting
from syntonos.core.matching.metric import MIX
from syntonos.core.matching.prior import Prior, load_priors
from syntonos.core.matching.rounds import (
    OFFSETS,
    SCALES,
    SMOOTHS,
    Answer,
    all_settings,
    without_roots,
)

A = NDArray[np.float64]
_MANY = 36
AVERAGED: Final = "averaged"
WHITE: Final = "white"
# From the simplest to the richest; all but "white" take flare, white and uneven light along.
MODELS: Final = (WHITE, "matrix", "roots", "smooth", AVERAGED)
MODEL_NAMES: Final = {
    WHITE: "white and exposure", "matrix": "3x3 matrix", "roots": "root polynomial, degree 2",
    "smooth": "matrix with smooth residual", AVERAGED: "all models, weighted by their evidence",
}  # fmt: skip

# The same for lists, short.
MODEL_WORDS: Final = {
    WHITE: "white and exposure", "matrix": "3×3, neutral kept", "roots": "root polynomial",
    "smooth": "3×3 and smooth residual", AVERAGED: "all models, weighted",
}  # fmt: skip

# True error over the stated one, geometric mean over the calibration's seeds: a model that is held
# simple leaves on the chart what it does not leave elsewhere.
EXPECTED_SCALE: Final = {"matrix": 0.67, "roots": 0.83, "smooth": 0.80, AVERAGED: 1.0}
# For white and exposure alone, of what is left on the chart.
WHITE_SCALE: Final = {
    "greys": 0.08, "skins": 1.26, "foliage": 0.89, "saturated": 2.02, "other": 0.90,
}  # fmt: skip


@cache
def priors_for(model: str) -> dict[str, Prior]:
    """Return the learned priors under which a model is fitted."""
    return {name: kept_for(model, prior) for name, prior in load_priors().items()}


def kept_for(model: str, prior: Prior) -> Prior:
    """Return a prior under which only a model's terms are free."""
    kept = {"matrix": MATRIX, "smooth": MATRIX, "roots": ROOT_2}.get(model, ROOT_3)
    return without_roots(prior, kept)


def settings_for(model: str, patches: int = 24, families: tuple[str, ...] = ()) -> list[Setting]:
    """Return what is averaged over for a model; less where a chart has many patches."""
    smooths = {"matrix": (0.0,), "roots": (0.0,), "smooth": SMOOTHS[1:]}.get(model, SMOOTHS)
    names = families or tuple(load_priors())
    out = [s for s in all_settings(names) if s.smooth in smooths]
    if patches > _MANY:
        # Many patches say themselves what the prior's spread and the offset would have decided.
        out = [s for s in out if s.scale in SCALES[1:2] and s.offset in OFFSETS[:3]]
    return out


def plain_of(settings: list[Setting]) -> list[Setting]:
    """Return the settings that most pairs need: what so few patches cannot decide between.

    Averaging over all of them would add doubt that the pair's other lights have settled.
    """
    return [s for s in settings if s.scale == SCALES[1] and s.smooth <= SMOOTHS[1]]


def match_of(answer: Answer, model: str) -> Match:
    """Turn an answer into a match stage, exactly.

    White that the last round still found goes into the reference's white: with G = 1 + white,
    y = M x + white x + roots(x) is G (M' x + G^-1 roots(x)), and the rows of M' sum to one.
    """
    line = answer.line
    gain = 1 + answer.white
    white = line.reference_white * gain
    level = float(white @ AP1_LUMINANCE)
    own = float(line.angle_white @ AP1_LUMINANCE)
    matrix, roots = np.eye(3), ()
    smooth: tuple[tuple[float, ...], ...] = ()
    if model != WHITE:
        t = answer.theta / gain
        for c in range(3):
            matrix[c] += t[0, c] * np.array([1, -1, 0]) + t[1, c] * np.array([0, -1, 1])
        if np.abs(t[MATRIX:]).max() > 0:
            roots = tuple(triple(row) for row in t[MATRIX:])  # type: ignore[assignment]
        if np.abs(answer.smooth).max() > 1e-7:
            # One more centre at neutral, so that the residual is zero there.
            weight = answer.smooth / gain
            pull = -(kernel(answer.centres, np.zeros((1, 2))) * weight).sum(axis=0)
            rows = np.column_stack([answer.centres, weight]).tolist()
            smooth = tuple(tuple(row) for row in [*rows, [0.0, 0.0, *pull.tolist()]])
    rows3 = [triple(row) for row in matrix]
    return Match(
        angle_flare=triple(line.angle_flare),
        angle_white=triple(line.angle_white / own),
        stops=float(np.log2(level / own)),
        matrix=(rows3[0], rows3[1], rows3[2]),
        reference_white=triple(white / level),
        reference_flare=triple(line.reference_flare + answer.offset * line.reference_white),
        mix=MIX,
        roots=roots,
        smooth=smooth,  # type: ignore[arg-type]
    )
