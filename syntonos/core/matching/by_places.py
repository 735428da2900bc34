"""A match from places that both cameras see, fitted as a chart's patches are."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any, Final

import cv2
import numpy as np
from numpy.typing import NDArray

from syntonos.core.chain import Match
from syntonos.core.chain.colour_model import AP1_LUMINANCE, chroma_place
from syntonos.core.chain.stages.match import mix_matrix, through_match
from syntonos.core.errors import FitError
from syntonos.core.matching.metric import MIX, scene_delta_e
from syntonos.core.matching.models import AVERAGED, match_of, priors_for, settings_for
from syntonos.core.matching.places import Places
from syntonos.core.matching.rounds import Readings, run_rounds

A = NDArray[np.float64]
_CLUSTERS: Final = 64
_LEAST_CLUSTERS: Final = 12
_PER_STOP, _PER_CHROMA = 0.35, 2.2  # what counts as far, for clusters
_SPREAD: Final = 0.02  # of a place, a share of light: it is never quite the same thing
_KINDS: Final = 1.47  # of the error on the scene's own colours, for colours that it has not


@dataclass(frozen=True, slots=True)
class PlacesFit:
    """A match from places, and what it stands on.

    after : mean delta E over the clusters of colour that took part
    left_out : the same, each predicted from the others
    before : without a match
    white_only : with white and exposure alone
    clusters : how many; `aside` of them were set aside
    """

    match: Match
    before: float
    white_only: float
    after: float
    left_out: float
    expected: float
    clusters: int
    aside: int


def fit_places(places: Places) -> PlacesFit:
    """Fit a match to what both cameras see of a scene.

    Parameters
    ----------
    places : Places
        Of one pair of frames, or of several put together (`joined`).

    Returns
    -------
    PlacesFit

    Raises
    ------
    FitError
        places.few where they have too few colours in common.
    """
    want, got, at, count = clusters_of(places)
    if len(want) < _LEAST_CLUSTERS:
        raise FitError(
            f"The two pictures have {len(want)} colours in common, {_LEAST_CLUSTERS} are needed.",
            hint="Add a pair of frames that show other colours, or mark areas.", code="places.few",
        )  # fmt: skip
    mixing = mix_matrix(MIX)
    x, y = got @ mixing.T, want @ mixing.T
    # Nothing in a scene says what is white. A log camera codes a white under its own balance as
    # equal channels, and middle grey as 0.18.
    white = np.ones(3)
    noise = [np.einsum("ni,nj,ij->nij", v, v, np.eye(3)) * (_SPREAD**2 / count)[:, None, None]
             for v in (x, y)]  # fmt: skip
    rows = np.arange(len(x))
    readings = Readings(
        x, y, noise[0], noise[1], at - 0.5, rows, rows.tolist(), np.ones(len(rows)),
        np.ones(len(rows)), is_learned=False, white=white,
    )  # fmt: skip
    answer = run_rounds(readings, priors_for(AVERAGED), settings_for(AVERAGED, len(rows)))
    match = match_of(answer, AVERAGED)
    paper = np.linalg.inv(mixing) @ white
    calm = [i for i in rows.tolist() if i not in answer.wild | set(answer.glared)]
    after = scene_delta_e(through_match(match, got), want, paper)
    left_out = float(answer.left_out[calm].mean())
    gain = np.exp(np.median(np.log(want / got)[calm], axis=0))
    return PlacesFit(
        match, float(scene_delta_e(got, want, paper)[calm].mean()),
        float(scene_delta_e(got * gain, want, paper)[calm].mean()), float(after[calm].mean()),
        left_out, _KINDS * left_out, len(rows), len(rows) - len(calm),
    )  # fmt: skip


def joined(many: list[Places]) -> Places:
    """Return the places of several pairs of frames as one."""

    def every(name: str) -> Any:
        return np.concatenate([getattr(p, name) for p in many])

    return Places(
        every("reference"), every("angle"), every("at_reference"), every("at_angle"),
        sum(p.features for p in many), float(np.mean([p.agreement for p in many])),
        max(p.overlap for p in many),
    )  # fmt: skip


def clusters_of(places: Places) -> tuple[A, A, A, A]:
    """Return clusters of colour: reference, angle (k, 3), where in the angle (k, 2), how many.

    Of a cluster the median of the logarithms is taken on either side, so that what moved or
    mirrors counts little.
    """
    floor = 1e-5
    want, got = np.maximum(places.reference, floor), np.maximum(places.angle, floor)
    ratio = np.log(got / want)
    off = np.abs(ratio - np.median(ratio, axis=0)).max(axis=1)
    kept = off < max(1.0, 4 * float(np.median(off)))
    want, got, at = want[kept], got[kept], places.at_angle[kept]
    light = np.log2(want @ AP1_LUMINANCE)
    feature = np.column_stack([_PER_STOP * light, _PER_CHROMA * chroma_place(want)])
    k = min(_CLUSTERS, max(2, len(want) // 5))
    criteria = (cv2.TERM_CRITERIA_EPS + cv2.TERM_CRITERIA_MAX_ITER, 40, 1e-4)
    cv2.setRNGSeed(1)
    _, label, _ = cv2.kmeans(feature.astype(np.float32), k, None, criteria, 2,
                             cv2.KMEANS_PP_CENTERS)  # fmt: skip
    label = label.ravel()
    out: list[list[Any]] = [[], [], [], []]
    for i in range(k):
        mine = np.flatnonzero(label == i)
        if len(mine) < 3:
            continue
        own = np.log(got[mine] / want[mine])
        middle = np.median(own, axis=0)
        goal = np.median(np.log(want[mine]), axis=0)
        out[0].append(np.exp(goal))
        out[1].append(np.exp(goal + middle))
        out[2].append(at[mine].mean(axis=0))
        out[3].append(len(mine))
    return tuple(np.array(v, np.float64) for v in out)  # type: ignore[return-value]
