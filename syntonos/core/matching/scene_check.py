"""Whether scenes say what a chart's match says: a filter, a lamp or an iris changed after it."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Final

import numpy as np
from numpy.typing import NDArray

from syntonos.core.chain import Match
from syntonos.core.chain.stages.match import through_match
from syntonos.core.matching.by_places import alike, clusters_of, evened_places, joined
from syntonos.core.matching.drift import DriftPoint, drift_words
from syntonos.core.matching.metric import scene_delta_e
from syntonos.core.matching.places import Places
from syntonos.core.matching.scene_fit import PAPER, Clusters
from syntonos.core.matching.tuner import Tuner, tuner_fitted

A = NDArray[np.float64]
_SPREAD: Final = 0.05  # of a colour's light, in the working log
# More than places and charts differ by without a cause (docs/matching.md).
MOST: Final = {"exposure": 0.1, "warmth": 8.0, "tint": 2.5}
_UNITS: Final = {"exposure": "stop", "warmth": "mired", "tint": "tint"}


@dataclass(frozen=True, slots=True)
class Apart:
    """How far a matched angle is off at the places of one moment."""

    frame: int
    exposure: float  # stops, positive where the angle is too bright
    warmth: float  # mired, positive where it is too warm
    tint: float  # Duv x 1000, positive where it is too green
    delta_e: float  # median over the colours that both show


@dataclass(frozen=True, slots=True)
class SceneCheck:
    """What places of the scenes say of a match.

    moments : by frame, in order
    agrees : whether exposure and white lie within MOST, over all of them
    words : what to make of it
    colours : that it was judged by; where it agrees, they may steady the chart's fit
    drift : how far the two drift apart over the clip
    """

    moments: tuple[Apart, ...]
    agrees: bool
    words: str
    colours: Clusters
    drift: tuple[DriftPoint, ...] = ()


def check_by_scene(
    match: Match, moments: Sequence[tuple[int, Places]], drift: tuple[DriftPoint, ...] = (),
    *, by_chart: bool = True,
) -> SceneCheck:  # fmt: skip
    """Compare a match with what places of the scenes say.

    Parameters
    ----------
    match : Match
    moments : sequence of (frame, Places)
        At least one.
    drift : tuple of DriftPoint
        From `drift_over`.
    by_chart : bool
        False for a match from the scenes themselves, which are no witness of it: then only the
        drift is said.
    """
    groups = [clusters_of(*evened_places(places)) for _, places in moments]
    found = tuple(
        _apart(match, frame, own) for (frame, _), own in zip(moments, groups, strict=True)
    )
    every = joined([places for _, places in moments]) if len(moments) > 1 else None
    colours = clusters_of(*evened_places(every)) if every is not None else groups[0]
    middle = _measured(match, colours)
    off = _too_far(middle)
    if off:
        words = (f"The scene speaks against the chart: after the match the angle is {off} off. "
                 "The chart stood in another light, or a filter, the iris or a lamp changed after "
                 "it: match from the picture, or read a chart again.")  # fmt: skip
    else:
        words = (f"The scene agrees with the chart: {middle.exposure:+.2f} stop, "
                 f"{middle.warmth:+.0f} mired, {middle.tint:+.1f} tint apart.")  # fmt: skip
    told = drift_words(drift, MOST)
    if not by_chart:
        still = "The two do not drift apart within the clip."
        return SceneCheck(found, True, told or still, colours, drift)
    return SceneCheck(found, not off, f"{words} {told}".strip(), colours, drift)


def far_off(match: Match, colours: Clusters) -> str:
    """Say how far a match is off at colours of a scene, "" where they agree."""
    return _too_far(_measured(match, colours))


def _measured(match: Match, colours: Clusters) -> Tuner:
    return tuner_fitted(*alike(colours.reference, through_match(match, colours.angle)), _SPREAD)


def _too_far(off: Tuner) -> str:
    apart = {k: float(getattr(off, k)) for k in MOST}
    return ", ".join(
        f"{apart[k]:+{_form(k)}} {_UNITS[k]}" for k, most in MOST.items() if abs(apart[k]) > most
    )


def _form(scale: str) -> str:
    return {"exposure": ".2f", "warmth": ".0f", "tint": ".1f"}[scale]


def _apart(match: Match, frame: int, colours: Clusters) -> Apart:
    off = _measured(match, colours)
    misses = scene_delta_e(through_match(match, colours.angle), colours.reference, PAPER)
    return Apart(frame, off.exposure, off.warmth, off.tint, float(np.median(misses)))
