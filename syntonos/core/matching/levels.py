"""Whether the grey ramp of a reading speaks for the levels that are stated."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from itertools import product

import numpy as np
from numpy.typing import NDArray

from syntonos.core.charts import ChartLayout, ChartReading
from syntonos.core.charts.layout import places_of, reference_lin
from syntonos.core.encodings import LEVELS, Curve, decode, find_encoding, take_levels_off
from syntonos.core.matching.bayes import Setting
from syntonos.core.matching.prior import load_priors
from syntonos.core.matching.readings import readings_of, spread_out
from syntonos.core.matching.rounds import run_rounds


@dataclass(frozen=True, slots=True)
class LevelsCheck:
    """How far the grey ramp bends, in stops rms about a slope of one, under either levels."""

    stated: str
    likely: str  # the levels under which the ramp is straighter, or the stated where it is open
    bend_full: float
    bend_legal: float

    @property
    def is_doubtful(self) -> bool:
        """Whether the other levels fit clearly better."""
        return self.likely != self.stated


def check_levels(reading: ChartReading) -> LevelsCheck:
    """Decode the greys with either levels and see which ramp rises one stop per stop.

    The chart's nominal grey steps are used here, as a diagnosis only: a wrong level bends the
    ramp by a sixth of a stop per stop, far beyond what a worn chart does. Stray light can bend
    the dark end too; so the two darkest patches count a quarter. Light from one side tilts a ramp
    that lies along it: what the coloured patches show of that is taken off first.
    """
    encoding = find_encoding(reading.encoding)
    layout = reading.layout
    # Without published steps the ramp alone says nothing of levels.
    known = layout.greys if layout.nominal is not None else ()
    greys = [i for i in known if reading.patches[i].is_usable]
    dark = darkest(layout)
    bends: dict[str, float] = {}
    for levels in LEVELS:
        if len(greys) < 3:
            bends[levels] = 0.0
            continue
        code = np.array([reading.patches[i].code_rgb for i in greys])
        lin = decode(take_levels_off(code, levels), encoding.curve).mean(axis=1)
        weight = np.array([0.25 if i in dark else 1.0 for i in greys])
        if lin.min() <= 0:
            bends[levels] = 9.0
            continue
        off = np.log2(lin / reference_lin(layout)[greys].mean(axis=1))
        off -= _tilt(reading, levels, encoding.curve)[greys]
        off -= np.average(off, weights=weight)
        bends[levels] = float(np.sqrt(np.average(off**2, weights=weight)))
    stated = reading.levels
    other = "legal" if stated == "full" else "full"
    doubtful = bends[stated] > 0.10 and bends[other] < 0.5 * bends[stated]
    return LevelsCheck(stated, other if doubtful else stated, bends["full"], bends["legal"])


def _tilt(reading: ChartReading, levels: str, curve: Curve) -> NDArray[np.float64]:
    """Return how uneven the light on each patch (n,) is, in stops, as the coloured ones show it.

    A plane over the chart; only as far as it stands out of what sensors make of colours.
    """
    layout = reading.layout
    places = places_of(layout)
    places = (places - places.mean(axis=0)) / np.maximum(np.ptp(places, axis=0), 1)
    flat = np.zeros(len(places))
    used = [
        i for i, patch in enumerate(reading.patches)
        if i not in layout.greys and patch.is_usable and layout.nominal is not None
    ]  # fmt: skip
    if len(used) < _FEW_COLOURS:
        return flat
    code = np.array([reading.patches[i].code_rgb for i in used])
    lin = decode(take_levels_off(code, levels), curve).mean(axis=1)
    nominal = reference_lin(layout)[used]
    if lin.min() <= 0 or nominal.min() <= 0:
        return flat
    ref = nominal.mean(axis=1)
    # Wrong levels bend by how light a colour is, and sensors err by its hue: slopes of their own.
    hue = np.log2(nominal[:, [0, 2]] / nominal[:, [1]])
    rows = np.column_stack([np.ones(len(used)), np.log2(ref), hue, places[used]])
    y = np.log2(lin / ref)
    weight = np.ones(len(used))
    for _ in range(_ROUNDS):
        scaled = rows * weight[:, None]
        found = np.linalg.lstsq(scaled, y * weight, rcond=None)[0]
        rest = y - rows @ found
        spread = 1.4826 * float(np.median(np.abs(rest))) + 1e-6
        weight = np.sqrt(np.minimum(1.0, 1.5 * spread / np.maximum(np.abs(rest), 1e-9)))
    sure = spread * np.sqrt(np.diag(np.linalg.pinv(scaled.T @ scaled)))[-2:]
    slopes = found[-2:]
    slopes = np.sign(slopes) * np.maximum(np.abs(slopes) - sure, 0)
    return np.asarray(places @ slopes, np.float64)


def darkest(layout: ChartLayout) -> tuple[int, ...]:
    """Return the third of the greys that stray light can bend."""
    return layout.greys[-max(1, round(len(layout.greys) / 3)) :]


@dataclass(frozen=True, slots=True)
class LevelsChoice:
    """The levels that the data speak for, and how far the next best pair is behind."""

    reference: str
    angle: str
    log_odds: float  # against the best other pair of levels

    @property
    def is_certain(self) -> bool:
        """Whether one need not ask."""
        return self.log_odds > _CERTAIN


_CERTAIN = 5.0
_FEW_COLOURS, _ROUNDS = 10, 5
_TRUST = 0.5  # evidence of wrong models is too sure of itself
_BEND_SD = 0.04  # stops: what flare, wear and uneven light bend a ramp in the mean
_SCOUTS = [
    Setting(family, 1.5, offset, 0.02)
    for family in ("ordinary", "odd") for offset in (0.0005, 0.004, 0.015)
]  # fmt: skip


def choose_levels(
    reference: Mapping[str, ChartReading], angle: Mapping[str, ChartReading]
) -> LevelsChoice:
    """Choose the levels of both clips together: by the fit's evidence and by each grey ramp.

    Parameters
    ----------
    reference, angle : mapping
        Levels that come into question, each with the reading of the clip under them.
    """
    scores: dict[tuple[str, str], float] = {}
    bends = [{k: check_levels(r) for k, r in side.items()} for side in (reference, angle)]
    for (own, ref), (other, ang) in product(reference.items(), angle.items()):
        score = 0.0
        for check, levels in ((bends[0][own], own), (bends[1][other], other)):
            bend = check.bend_full if levels == "full" else check.bend_legal
            score -= 0.5 * min((bend / _BEND_SD) ** 2, 60)
        scores[own, other] = score + _TRUST * evidence_of(ref, ang)
    best = max(scores, key=lambda pair: scores[pair])
    rest = [score for pair, score in scores.items() if pair != best]
    return LevelsChoice(best[0], best[1], scores[best] - max(rest) if rest else np.inf)


def evidence_of(reference: ChartReading, angle: ChartReading) -> float:
    """Return the log evidence of a match between two readings; 0 where they have too little."""
    used = [
        i for i in range(len(reference.patches))
        if reference.patches[i].is_usable and angle.patches[i].is_usable
        and np.isfinite((*reference.patches[i].lin_rgb, *angle.patches[i].lin_rgb)).all()
    ]  # fmt: skip
    if len(used) < 6 or not any(i in reference.layout.greys for i in used):
        return 0.0
    used = spread_out(reference, used, 24, 8)
    return run_rounds(readings_of(reference, angle, used), load_priors(), _SCOUTS).log_evidence
