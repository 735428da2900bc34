"""A match from places that both cameras see, fitted as a chart's patches are."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace
from typing import Any, Final

import numpy as np
from numpy.typing import NDArray

from syntonos.core.chain import Match
from syntonos.core.chain.stages.match import through_match
from syntonos.core.errors import FitError
from syntonos.core.matching.bayes import Setting
from syntonos.core.matching.metric import scene_delta_e
from syntonos.core.matching.models import AVERAGED, settings_for
from syntonos.core.matching.places import Places
from syntonos.core.matching.prior import Prior
from syntonos.core.matching.scene_fit import (
    PAPER,
    Clusters,
    Lenses,
    SceneFit,
    colour_place,
    fit_clusters,
    grouped,
    judged,
    luminance,
    missing_words,
    mixed,
)

A = NDArray[np.float64]
B = NDArray[np.bool_]
_CLUSTERS: Final = 64
_LEAST_CLUSTERS: Final = 12
_ROUNDS: Final = 2  # before the last: lenses' fall-off, and what moved or shines
_TOGETHER: Final = 4.0  # places that err as one: they lie 4 pixels apart, and are 5 wide
_MOST_COUNTED: Final = 80
_PLACE_SPREAD, _LEAST_SPREAD = 0.03, 0.003  # of light: of one place, and of any number of them
_FAR_OFF, _TIMES_MEDIAN = 3.5, 2.5  # delta E, beyond which a place is set aside
_CALM: Final = 70  # per cent of a cluster's places that its colour is the mean of
_MOST_OF_ONE: Final = 0.8  # that one camera has in where places are gathered
_LEAST_NOISE: Final = 1e-3  # of light
_QUICK: Final = [Setting(family, 1.2, offset, 0.0)
                 for family in ("ordinary", "odd") for offset in (0.0005, 0.004)]  # fmt: skip


def fit_places(
    places: Places,
    used: B | None = None,
    *,
    beside: Callable[[Match, A], Clusters] | None = None,
    pool: Prior | None = None,
) -> SceneFit:
    """Fit a match to what both cameras see of a scene.

    Lenses lose light towards the sides of a picture, the reference's here and the angle's there:
    that is found with the match and undone. Places where something moved, shines into one of the
    cameras or was mistaken are set aside by how far they are from what the others say.

    Parameters
    ----------
    places : Places
        Of one pair of frames, or of several put together (`joined`).
    used : (n,) bool, optional
        Places that may take part at all.
    beside : callable, optional
        Gives colours that a person marked, by a first match and the lenses' fall-off
        (`colours_of_areas`).
    pool : Prior, optional
        What charts of other lights say of this pair (`pooled_prior`).

    Returns
    -------
    SceneFit

    Raises
    ------
    FitError
        places.few where they have too few colours in common.
    """
    settled = _settled(places, used)
    base, own, kept, fall = settled.reference, settled.angle, settled.kept, settled.fall_off
    groups = _enough(base[kept], own[kept])
    if beside is not None:
        groups = groups.beside(beside(settled.match, fall))
    settings = settings_for(AVERAGED, len(groups.count))
    match, answer = fit_clusters(groups, AVERAGED, settings, pool)
    misses = scene_delta_e(through_match(match, own), base, PAPER)
    return judged("picture", match, answer, groups, misses, kept, (float(fall[0]), float(fall[1])))


@dataclass(frozen=True, slots=True)
class _Settled:
    """Places (n, 3) without their lenses' fall-off, which of them count, and a first match."""

    reference: A
    angle: A
    kept: B
    fall_off: A
    match: Match


def _settled(places: Places, used: B | None = None) -> _Settled:
    want, got = places.reference, places.angle
    lenses = Lenses.at((places.at_reference, places.at_angle), places.heights)
    usual = _as_most(want, got) if used is None else _as_most(want, got) & used
    kept, fall, match = usual, np.zeros(2), Match()
    for _ in range(_ROUNDS):
        base, own = lenses.evened(want, got, fall)
        match, _ = fit_clusters(_enough(base[kept], own[kept]), "matrix", _QUICK)
        seen = through_match(match, own)
        misses = scene_delta_e(seen, base, PAPER)
        bound = max(_FAR_OFF, _TIMES_MEDIAN * float(np.median(misses[kept])))
        kept = usual & (misses < bound)
        fall = lenses.fall_off(seen, base, kept, fall, together=_TOGETHER)
    return _Settled(*lenses.evened(want, got, fall), kept, fall, match)


def scene_colours(places: Places) -> Clusters:
    """Return the colours that places have in common, for a fit of a chart beside them.

    Raises
    ------
    FitError
        places.few where they are too few.
    """
    return _enough(*evened_places(places))


def lens_fall_off(places: Places) -> A:
    """Return the light that the reference's and the angle's lens lose at the sides, (2,)."""
    return _settled(places).fall_off


def evened_places(places: Places) -> tuple[A, A]:
    """Return the places that count (n, 3), both sides, without what both lenses lose."""
    settled = _settled(places)
    return settled.reference[settled.kept], settled.angle[settled.kept]


def alike(reference: A, angle: A) -> tuple[A, A]:
    """Return those of places (n, 3) that differ between the cameras about as most do."""
    kept = _as_most(reference, angle)
    return reference[kept], angle[kept]


def _as_most(want: A, got: A) -> B:
    ratio = np.log(mixed(got) / mixed(want))
    off = np.abs(ratio - np.median(ratio, axis=0)).max(axis=1)
    return np.asarray(off < max(1.0, 4 * float(np.median(off))), np.bool_)


def _enough(want: A, got: A) -> Clusters:
    groups = clusters_of(want, got) if len(want) else None
    if groups is None or not are_enough(groups):
        count = 0 if groups is None else len(groups.count)
        words = missing_words(want) or ("Add frames or areas that show other colours.",)
        raise FitError(
            f"The two pictures have {count} colours in common, {_LEAST_CLUSTERS} are needed.",
            hint=words[0], code="places.few",
        )  # fmt: skip
    return groups


def are_enough(groups: Clusters) -> bool:
    """Say whether a match of colour can stand on some colours."""
    return len(groups.count) >= _LEAST_CLUSTERS


def joined(many: list[Places]) -> Places:
    """Return the places of several pairs of frames as one."""

    def every(name: str) -> Any:
        return np.concatenate([getattr(p, name) for p in many])

    return replace(
        many[0], reference=every("reference"), angle=every("angle"),
        at_reference=every("at_reference"), at_angle=every("at_angle"),
        features=sum(p.features for p in many),
        agreement=float(np.mean([p.agreement for p in many])),
        overlap=max(p.overlap for p in many),
    )  # fmt: skip


def clusters_of(want: A, got: A) -> Clusters:
    """Return clusters of colour of places (n, 3), reference and angle, scene-linear AP1.

    A cluster's colour is the mean of those of its places that agree in light, so that what moved
    or mirrors counts little. Places are gathered by what both cameras say: by one's own colours
    alone its noise would decide who lies at the edge, and the match would bend for it. The one with
    less noise in a channel, by how places differ from those before them, counts more there.
    """
    x, y = np.log(mixed(got)), np.log(mixed(want))
    ratio = x - y
    noise = [_from_next(side) ** 2 for side in (x, y)]
    share = np.clip(noise[1] / (noise[0] + noise[1]), 1 - _MOST_OF_ONE, _MOST_OF_ONE)
    middle = np.exp(y + share * ratio + (0.5 - share) * np.median(ratio, axis=0))
    k = min(_CLUSTERS, max(2, len(want) // 5))
    label, _ = grouped(colour_place(middle), k)
    out: list[list[Any]] = [[], [], [], []]
    for i in range(k):
        mine = np.flatnonzero(label == i)
        if len(mine) < 3:
            continue
        calm = mine[_calm(want[mine], got[mine])]
        count = max(1.0, min(len(mine) / _TOGETHER, _MOST_COUNTED))
        out[0].append(want[calm].mean(axis=0))
        out[1].append(got[calm].mean(axis=0))
        own = np.log(mixed(out[1][-1]) / mixed(out[0][-1]))
        out[2].append(_spread(ratio[mine] - own, count))
        out[3].append(len(mine))
    return Clusters(*(np.array(v, np.float64) for v in out))


def _from_next(log: A) -> A:
    """Return how far places (n, 3), in the order in which they lie, are from the next, (3,)."""
    if len(log) < 2:
        return np.ones(3)
    return np.maximum(1.48 * np.median(np.abs(np.diff(log, axis=0)), axis=0), _LEAST_NOISE)


def _calm(want: A, got: A) -> B:
    """Say which places of a cluster agree best in light: its colour is their mean.

    Medians of logarithms would sink with noise.
    """
    light = np.log(luminance(got) / luminance(want))
    off = np.abs(light - np.median(light))
    return np.asarray(off <= np.percentile(off, _CALM), np.bool_)


def _spread(off: A, count: float) -> A:
    """Return the covariance (3, 3) of a cluster's ratio, of how its places are off it (n, 3)."""
    most = 2.5 * 1.48 * np.median(np.abs(off), axis=0) + 1e-4
    held = np.clip(off, -most, most)
    # A mean of what agrees is as uncertain as a median: pi / 2 times a whole mean's variance.
    of_one = np.pi / 2 * held.T @ held / len(off) + np.eye(3) * _PLACE_SPREAD**2
    return np.asarray(of_one / count + np.eye(3) * _LEAST_SPREAD**2, np.float64)
