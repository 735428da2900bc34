"""The tuner: how far an angle's picture is from the reference's, in units one can turn."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import Any, Final

import numpy as np
from numpy.typing import NDArray

from syntonos.core.chain import Match
from syntonos.core.chain.colour_model import AP1_LUMINANCE, CDL_LUMA
from syntonos.core.chain.stages.match import mix_matrix
from syntonos.core.chain.stages.trim import Trim
from syntonos.core.chain.trimming import through_trim
from syntonos.core.chain.white import (
    Shift,
    gains_of_white,
    matrix_of_gains,
    shift_of,
    shift_of_gains,
    taken_back,
    then,
    white_shift,
)
from syntonos.core.charts import ChartReading
from syntonos.core.colorimetry.constants import MIDDLE_GREY
from syntonos.core.encodings import CURVES, decode, encode
from syntonos.core.matching.fit import bring_to_reference, working
from syntonos.core.matching.metric import MIX, scene_lab
from syntonos.core.matching.prior import population

A = NDArray[np.float64]
_LOG: Final = CURVES["acescct"]
_LUMA: Final = np.array(CDL_LUMA)
_GREY: Final = float(encode(np.array([MIDDLE_GREY]), _LOG)[0])
_ROUNDS: Final = 8
_RANKS: Final = 16
_SPREAD_OF_RANKS: Final = 0.012
_LEAST_OF_HUE: Final = 0.03  # share of a picture's pixels
SCALES: Final = ("exposure", "warmth", "tint", "contrast", "strength")
# The number of a trim that turns each scale, and how much of the scale is one of that number.
TURNED_BY: Final[dict[str, tuple[str, float]]] = {
    "exposure": ("stops", 1.0), "warmth": ("warmth", 1.0), "tint": ("tint", 1.0),
    "contrast": ("contrast", 1.0), "strength": ("cdl.saturation", 100.0),
}  # fmt: skip


@dataclass(frozen=True, slots=True)
class Tuner:
    """Signs describe the picture: +0.3 is brighter, +40 mired warmer, + tint greener.

    Exposure is told of the picture as it is; the others are what is left when those before them are
    taken off, as a hand works. `taken_off` takes all of them off in one go.
    """

    exposure: float  # stops
    warmth: float  # mired
    tint: float  # Duv x 1000
    contrast: float  # slope of greys in the working log, angle against reference, less one
    strength: float  # saturation in the working log, %


def tuner_of(
    reference: ChartReading, angle: ChartReading, match: Match | None, trim: Trim | None = None
) -> Tuner:
    """Return the distance of a reading, seen through match and trim, from the reference's reading.

    The white is told as the trim and the balance turn it, contrast and saturation as a CDL in
    ACEScct.
    """
    want, got = working(reference), working(angle)
    if match is not None:
        got = bring_to_reference(match, got)
    if trim is not None:
        got = through_trim(trim, got)
    usable = [
        i for i in range(len(reference.patches))
        if not reference.patches[i].flags and not angle.patches[i].flags
    ]  # fmt: skip
    layout = reference.layout
    mids = [i for i in layout.mid_greys if i in usable] or list(layout.mid_greys)
    mids = mids or list(range(len(want)))  # no neutral is known: the chart's mean must do
    greys = [i for i in layout.greys if i in usable]
    colours = [i for i in usable if i not in layout.greys]
    return tuner_between(want, got, mids, greys, colours)


def tuner_between(
    want: A, got: A, mids: list[int], greys: list[int], colours: list[int]
) -> Tuner:  # fmt: skip
    """Return how far colours are from those wanted, as one would turn it back.

    Parameters
    ----------
    want, got : (n, 3)
        Scene-linear AP1 of the same things.
    mids, greys, colours : rows
        Those that exposure and white are told from; neutrals from dark to light for contrast (two
        or fewer: none is told); colours for strength.
    """
    white = _white(want, mids)
    goal = gains_of_white(white)
    # What a hand turns back: in light first, then in the working log; what is left after all of
    # it is added until nothing is.
    stops, gains, slope, factor = 0.0, np.ones(3), 1.0, 1.0
    for _ in range(_ROUNDS):
        log = encode(got * 2.0**-stops @ matrix_of_gains(1 / gains).T, _LOG)
        log = _GREY + (log - _GREY) / slope
        luma = (log @ _LUMA)[:, None]
        off = decode(luma + (log - luma) / factor, _LOG)
        bright = [np.log2(np.maximum(v @ AP1_LUMINANCE, 1e-6)) for v in (off, want)]
        bend = float(np.polyfit(bright[1][greys], bright[0][greys], 1)[0]) if len(greys) > 2 else 1
        # Contrast turns about middle grey, so exposure is told there.
        apart = bright[0] - bright[1] - (bend - 1) * (bright[1] - np.log2(MIDDLE_GREY))
        stops += float(np.median(apart[mids]))
        gains = gains * gains_of_white(_white(off, mids)) / goal
        slope *= min(max(bend, 0.2), 5.0)
        if colours:
            factor *= min(max(_chroma_ratio(off[colours], want[colours], white), 0.2), 5.0)
    shift = shift_of_gains(gains)
    return Tuner(stops - _light_lost(shift), *shift, slope - 1, (factor - 1) * 100)


# How far pairs of cameras are usually apart, as a trim turns them: stops, mired, Duv x 1000,
# logarithms of slope and saturation (from memory). What few places cannot tell stays near zero.
_USUAL: Final = np.array([2.0, 100.0, 15.0, 0.08, 0.12])
_STEPS: Final = np.array([0.02, 2.0, 0.3, 0.01, 0.02])
_FITS: Final = 6


def tuner_fitted(want: A, got: A, spread: float, *, only_white: bool = False) -> Tuner:
    """Return how far colours are off, fitted jointly: also where none of them is neutral.

    Parameters
    ----------
    want, got : (n, 3)
        Scene-linear AP1 of the same things.
    spread : float
        How far a channel of one of them may be off by chance, in code values of the working log
        (0.057 to a stop).
    only_white : bool
        Whether contrast and strength are held, as one place cannot tell them.
    """
    goal = encode(np.maximum(want, 1e-4), _LOG)

    def turned(off: A) -> A:
        trim = taken_off(Trim(), _told(off))
        return np.asarray(encode(np.maximum(through_trim(trim, got), 1e-4), _LOG), np.float64)

    usual = np.array([*_USUAL[:3], 1e-6, 1e-6]) if only_white else _USUAL
    off = np.zeros(5)
    for _ in range(_FITS):
        here = turned(off)
        miss = (goal - here) / spread
        # A thing that is not the same in both counts little.
        far = np.sqrt((miss**2).sum(axis=1, keepdims=True))
        weight = 1 / np.sqrt(1 + (far / 3) ** 2)
        slopes = np.stack(
            [((turned(off + step) - here) / spread / step.sum() * weight).ravel()
             for step in np.diag(_STEPS)], axis=-1,
        )  # fmt: skip
        normal = slopes.T @ slopes + np.diag(usual**-2.0)
        off = off + np.linalg.solve(normal, slopes.T @ (miss * weight).ravel() - off / usual**2)
        off = np.clip(off, -np.array([8, 240, 39, 0.7, 1.0]), np.array([8, 240, 39, 0.7, 1.0]))
    return _told(off)


def _told(off: A) -> Tuner:
    """Return a tuner of stops, mired, tint, and the logarithms of slope and saturation."""
    return Tuner(float(off[0]), float(off[1]), float(off[2]), float(np.exp(off[3])) - 1,
                 (float(np.exp(off[4])) - 1) * 100)  # fmt: skip


def white_apart(want: A, got: A, spread: float, *, rounds: int = 3) -> Tuner:
    """Return exposure and white that one colour has to be turned back by to be another one.

    Parameters
    ----------
    want, got : (3,)
        Scene-linear AP1.
    spread : float
        As of `tuner_fitted`.
    rounds : int
        How often what is left is fitted again: what usual pairs of cameras are like counts less
        each time.
    """
    turned, now = Trim(), got
    for _ in range(rounds):
        off = tuner_fitted(want[None], now[None], spread, only_white=True)
        turned = taken_off(turned, off, SCALES[:3])
        turned = replace(turned, warmth=float(np.clip(turned.warmth, -250, 250)),
                         tint=float(np.clip(turned.tint, -40, 40)))  # fmt: skip
        now = through_trim(turned, got[None])[0]
    shift = taken_back((turned.warmth, turned.tint))
    return Tuner(-turned.stops - _light_lost(shift), *shift, 0.0, 0.0)


def tuner_of_pictures(want: A, got: A) -> Tuner:
    """Return how far a picture is from another one of the same scene: an estimate by statistics.

    Means of pixels of equal rank in luminance are compared, and of the stronger half of each sixth
    of the hue circle, counted about the picture's own middle: right as far as both pictures hold
    the same things in like shares.

    Parameters
    ----------
    want, got : (n, 3)
        Scene-linear AP1 of the pixels of the reference and of the angle.
    """
    ranks = [_ranked(v)[1:-1] for v in (want, got)]
    hues = [_by_hue(v) for v in (want, got)]
    both = sorted(set(hues[0]) & set(hues[1]))
    rows = [np.array([*rank, *(hue[k] for k in both)])
            for rank, hue in zip(ranks, hues, strict=True)]  # fmt: skip
    return tuner_fitted(rows[0], rows[1], _SPREAD_OF_RANKS)


def _ranked(lin: A) -> A:
    """Return the means (_RANKS, 3) of equal parts of pixels, ordered by luminance."""
    order = np.argsort(lin @ AP1_LUMINANCE)
    return np.array([part.mean(axis=0) for part in np.array_split(lin[order], _RANKS)])


def _by_hue(lin: A) -> dict[int, A]:
    """Return the mean (3,) of the stronger half of each sixth of the hue circle that is filled."""
    log = encode(np.maximum(lin, 1e-4), _LOG)
    r, g, b = (log - log.mean(axis=1, keepdims=True)).T
    u, v = (2 * r - g - b) / 6**0.5, (g - b) / 2**0.5
    u, v = u - np.median(u), v - np.median(v)
    chroma, sector = np.hypot(u, v), np.floor((np.arctan2(v, u) / np.pi + 1) * 3).astype(int) % 6
    found = {}
    for k in range(6):
        rows = np.flatnonzero(sector == k)
        if len(rows) > _LEAST_OF_HUE * len(lin):
            strong = rows[chroma[rows] >= np.median(chroma[rows])]
            found[k] = np.asarray(lin[strong].mean(axis=0), np.float64)
    return found


def _light_lost(shift: Shift) -> float:
    """Return the stops by which a white becomes brighter where its shift is taken back.

    A shift keeps the light of a neutral, not that of another white.
    """
    white = np.array(white_shift(*shift)) @ np.ones(3)
    return float(np.log2(AP1_LUMINANCE @ np.array(white_shift(*taken_back(shift))) @ white))


IN_TUNE: Final = Tuner(0.0, 0.0, 0.0, 0.0, 0.0)


def taken_off(
    trim: Trim, tuner: Tuner, scales: Sequence[str] = SCALES, aim: Tuner = IN_TUNE
) -> Trim:
    """Return a trim that takes a tuner's deviation off, of the scales that are named.

    What is off is measured after the trim, so it comes to what the trim does already. `aim` is
    where the tuner is to stand then.
    """
    changes: dict[str, Any] = {}
    cast, wanted = (tuner.warmth, tuner.tint), (aim.warmth, aim.tint)
    warmth, tint = then((trim.warmth, trim.tint), taken_back(cast), wanted)
    if "exposure" in scales:
        changes["stops"] = trim.stops - tuner.exposure + aim.exposure
        if "warmth" in scales and "tint" in scales:
            before, after = (np.array(white_shift(*shift)) for shift in (
                (trim.warmth, trim.tint), (warmth, tint)))  # fmt: skip
            white = np.array(white_shift(*cast)) @ np.ones(3)
            light = AP1_LUMINANCE @ after @ np.linalg.solve(before, white)
            changes["stops"] -= float(np.log2(light))
    if "warmth" in scales:
        changes["warmth"] = warmth
    if "tint" in scales:
        changes["tint"] = tint
    if "contrast" in scales:
        changes["contrast"] = trim.contrast * (1 + aim.contrast) / (1 + tuner.contrast)
    if "strength" in scales:
        less = trim.cdl.saturation * (1 + aim.strength / 100) / (1 + tuner.strength / 100)
        changes["cdl"] = replace(trim.cdl, saturation=less)
    return replace(trim, **changes)


def left_over(trim: Trim, before: Match | None, now: Match | None) -> Trim:
    """Return what a trim still has to do when the match under it is another one.

    Exposure, white, contrast and strength become what brings the new match to where the old one
    was with the trim; the other parts stay.
    """
    own = before or now
    white = np.array(own.angle_white) * 2.0**-own.stops if own is not None else np.ones(3)
    greys = np.repeat(MIDDLE_GREY * 2.0 ** np.linspace(-4, 2, 7)[:, None], 3, axis=1)
    lin = np.concatenate([greys, population()]) * white @ np.linalg.inv(mix_matrix(MIX)).T
    want = through_trim(trim, lin if before is None else bring_to_reference(before, lin))
    got = lin if now is None else bring_to_reference(now, lin)
    plain = replace(
        trim, stops=0.0, warmth=0.0, tint=0.0, contrast=1.0, cdl=replace(trim.cdl, saturation=1.0)
    )
    for _ in range(3):
        off = tuner_between(
            want, through_trim(plain, got), mids=[3, 4, 5], greys=list(range(1, 7)),
            colours=list(range(7, len(lin))),
        )  # fmt: skip
        plain = taken_off(plain, off)
    return plain


def _white(lin: A, mids: list[int]) -> A:
    """Return the white of neutrals, luminance 1."""
    shares = lin[mids] / np.maximum(lin[mids] @ AP1_LUMINANCE, 1e-6)[:, None]
    return np.asarray(np.maximum(np.median(shares, axis=0), 1e-4), np.float64)


def cast_of(lin_ap1: A) -> tuple[float, float]:
    """Return how far a colour (3,) is from neutral, as the trim would turn it: mired, Duv x 1000.

    Positive is warmer, and greener, than neutral. Of dark or strong colours it says nothing.
    """
    warmth, tint = shift_of(lin_ap1)
    return float(warmth), float(tint)


def _chroma_ratio(got: A, want: A, white: A) -> float:
    """Return how much more chroma colours have than those wanted."""
    chroma = [np.hypot(*scene_lab(v, white)[:, 1:].T) for v in (got, want)]
    return float(np.median(chroma[0] / np.maximum(chroma[1], 1.0)))
