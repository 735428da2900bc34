"""An estimate from what two pictures hold as a whole, where nothing says what belongs together."""

from __future__ import annotations

from typing import Any, Final

import cv2
import numpy as np
from numpy.typing import NDArray

from syntonos.core.chain.stages.match import mix_matrix, through_match
from syntonos.core.errors import FitError
from syntonos.core.matching.bayes import Setting
from syntonos.core.matching.expected import Expected
from syntonos.core.matching.metric import MIX, scene_delta_e
from syntonos.core.matching.scene_fit import (
    PAPER,
    Clusters,
    SceneFit,
    colour_place,
    fit_clusters,
    gain_match,
    grouped,
    luminance,
    mixed,
    part_of,
)

A = NDArray[np.float64]
F = NDArray[np.float32]
_COLOURS: Final = 48
_TURNS: Final = 3
_DARKEST = 2e-3
_MOST: Final = 20_000
_DOUBT: Final = 0.06  # of light, of where a colour was carried to
# What such estimates leave (docs/matching.md): nine in ten lie between.
_SEEN, _UNSEEN = (3.0, 1.0, 9.0), (4.0, 1.3, 12.0)


def fit_statistics(
    reference: F, angle: F, *, mix: float = 1.0,
    usable: tuple[NDArray[np.bool_] | None, NDArray[np.bool_] | None] = (None, None),
) -> SceneFit:  # fmt: skip
    """Estimate a match from the colours that two pictures hold, however they lie.

    Mean and spread of light and colour first; then the angle's colours are carried to the
    reference's by optimal transport, and of what was carried only so much is kept as one camera
    can differ from another (the learned prior); repeated. Pictures of different things mislead it.

    Parameters
    ----------
    reference, angle : (h, w, 3)
        Scene-linear AP1.
    mix : float
        How much of it is taken, 0 to 1.
    usable : pair of (h, w) bool, optional
        Which pixels count: those that are not clipped, and lie in areas that were marked.

    Raises
    ------
    FitError
        statistics.dark where a picture has nothing to go by.

    Source: Cuturi 2013 for the transport; its use on colours follows Reinhard et al. 2001 and
    Pitie et al. 2007.
    """
    colours = [_colours(p, u, side) for p, u, side in zip(
        (reference, angle), usable, ("reference", "angle"), strict=True)]  # fmt: skip
    (want, weight), (got, mass) = colours
    logs = [np.average(np.log(mixed(c)), axis=0, weights=w) for c, w in colours]
    match = plain = gain_match(np.exp(logs[0] - logs[1]))
    groups, answer = None, None
    for turn in range(_TURNS):
        now = through_match(match, got)
        to, sure = _carried(now, mass, want, weight, width=0.5 * 0.75**turn)
        spread = np.eye(3) * _DOUBT**2 / np.maximum(sure, 0.05)[:, None, None]
        groups = Clusters(to, got, spread + 0.02**2, mass)
        match, answer = fit_clusters(groups, "matrix", _SETTINGS)
    assert groups is not None  # noqa: S101 - there is at least one turn
    assert answer is not None  # noqa: S101
    match = part_of(match, mix)
    before, white_only, misses = (
        scene_delta_e(lin, groups.reference, PAPER)
        for lin in (got, through_match(plain, got), through_match(match, got))
    )
    return SceneFit(
        "statistics", match, float(before.mean()), float(white_only.mean()), float(misses.mean()),
        float(answer.left_out.mean()), Expected(*_SEEN), Expected(*_UNSEEN), len(got),
        len(answer.wild), misses, np.ones(len(got), bool),
    )  # fmt: skip


_SETTINGS: Final = [Setting(family, 0.5, 0.0005, 0.0) for family in ("ordinary", "odd")]


def _colours(picture: F, usable: NDArray[np.bool_] | None, side: str) -> tuple[A, A]:
    """Return a picture's colours (k, 3) and what share each has of it (k,)."""
    soft = cv2.blur(np.asarray(picture, np.float32), (5, 5))[2::4, 2::4]
    lin = soft.reshape(-1, 3).astype(np.float64)
    good = np.isfinite(lin).all(axis=1) & (luminance(lin) > _DARKEST)
    if usable is not None:
        good &= np.asarray(usable[2::4, 2::4].reshape(-1), np.bool_)
    lin = lin[good]
    if len(lin) < 4 * _COLOURS:
        raise FitError(
            f"The {side}'s picture, or what is marked in it, is nearly all black or clipped.",
            hint="Choose another frame, or mark more.", code="statistics.dark",
        )  # fmt: skip
    lin = lin[:: max(1, len(lin) // _MOST)]
    label, _ = grouped(colour_place(mixed(lin)), _COLOURS)
    count = np.bincount(label, minlength=_COLOURS).astype(np.float64)
    rows: list[Any] = [lin[label == i].mean(axis=0) for i in np.flatnonzero(count)]
    count = count[count > 0]
    # A large wall says little more than a small one.
    share = np.sqrt(count)
    return np.array(rows), share / share.sum()


def _carried(now: A, mass: A, want: A, weight: A, width: float) -> tuple[A, A]:
    """Carry colours with their masses to others; returns where to, and how sure that is."""
    cost = ((colour_place(mixed(now))[:, None] - colour_place(mixed(want))[None]) ** 2).sum(axis=2)
    kernel = np.exp(-cost / max(width, 0.1) ** 2) + 1e-12
    u, v = np.ones(len(now)), np.ones(len(want))
    # Masses need not be met in full: what one camera sees and the other does not stays behind.
    soft = 0.7
    for _ in range(100):
        u = (mass / (kernel @ v)) ** soft
        v = (weight / (kernel.T @ u)) ** soft
    plan = u[:, None] * kernel * v
    total = plan.sum(axis=1)
    logs = plan @ np.log(mixed(want)) / total[:, None]
    spread = (plan * cost).sum(axis=1) / total
    to = np.exp(logs) @ np.linalg.inv(mix_matrix(MIX)).T
    return to, np.minimum(total / mass, 1) * np.exp(-spread / 0.3**2)
