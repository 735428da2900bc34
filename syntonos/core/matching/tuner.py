"""The tuner: how far an angle's picture is from the reference's, in units one can turn."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Final

import numpy as np
from numpy.typing import NDArray

from syntonos.core.chain import Match
from syntonos.core.chain.balance import balance_gains
from syntonos.core.chain.colour_model import AP1_LUMINANCE
from syntonos.core.charts import ChartReading
from syntonos.core.colorimetry import white_to_cct_duv, xy_to_xyz
from syntonos.core.encodings import AP1, CURVES, decode, encode
from syntonos.core.encodings.gamuts import ACES_WHITE
from syntonos.core.errors import ChainError
from syntonos.core.matching.fit import bring_to_reference, working
from syntonos.core.matching.metric import scene_lab

A = NDArray[np.float64]
_LOG: Final = CURVES["acescct"]
_LUMA: Final = np.array([0.2126, 0.7152, 0.0722])  # ASC CDL 1.2: the weights of saturation
_GREY: Final = float(encode(np.array([0.18]), _LOG)[0])
_ROUNDS: Final = 8


@dataclass(frozen=True, slots=True)
class Tuner:
    """Signs describe the picture: +0.3 is brighter, +40 mired warmer, + tint greener.

    Each is what is left when those before it are taken off, as a hand works: so turning all of them
    back once brings all near zero.
    """

    exposure: float  # stops
    warmth: float  # mired
    tint: float  # Duv x 1000
    contrast: float  # slope of greys in the working log, angle against reference, less one
    strength: float  # saturation in the working log, %


def tuner_of(reference: ChartReading, angle: ChartReading, match: Match | None) -> Tuner:
    """Return the distance of a reading, seen through a match, from the reference's reading.

    The white is told as the balance's dials turn it, contrast and saturation as a CDL in ACEScct.
    """
    want, got = working(reference), working(angle)
    if match is not None:
        got = bring_to_reference(match, got)
    usable = [
        i for i in range(len(reference.patches))
        if not reference.patches[i].flags and not angle.patches[i].flags
    ]  # fmt: skip
    layout = reference.layout
    mids = [i for i in layout.mid_greys if i in usable] or list(layout.mid_greys)
    mids = mids or list(range(len(want)))  # no neutral is known: the chart's mean must do
    greys = [i for i in layout.greys if i in usable]
    colours = [i for i in usable if i not in layout.greys]
    white = _white(want, mids)
    # What a hand turns back: in light first, then in the working log; what is left after all of
    # it is added until nothing is.
    stops, gains, slope, factor = 0.0, np.ones(3), 1.0, 1.0
    for _ in range(_ROUNDS):
        log = encode(got * 2.0**-stops / gains, _LOG)
        log = _GREY + (log - _GREY) / slope
        luma = (log @ _LUMA)[:, None]
        off = decode(luma + (log - luma) / factor, _LOG)
        bright = [np.log2(np.maximum(v @ AP1_LUMINANCE, 1e-6)) for v in (off, want)]
        bend = float(np.polyfit(bright[1][greys], bright[0][greys], 1)[0]) if len(greys) > 2 else 1
        # Contrast turns about middle grey, so exposure is told there.
        apart = bright[0] - bright[1] - (bend - 1) * (bright[1] - np.log2(0.18))
        stops += float(np.median(apart[mids]))
        gains = gains * _white(off, mids) / white
        slope *= min(max(bend, 0.2), 5.0)
        if colours:
            factor *= min(max(_chroma_ratio(off[colours], want[colours], white), 0.2), 5.0)
    # The dials that take these gains off again, and what they do to the luminance of this white.
    warmth, tint = _turned(1 / gains)
    try:
        back = np.array(balance_gains(warmth, tint))
    except ChainError:  # farther than the dials go
        back = 1 / gains
    stops += float(np.log2((white * gains * back) @ AP1_LUMINANCE))
    return Tuner(stops, -warmth, -tint, slope - 1, (factor - 1) * 100)


def _white(lin: A, mids: list[int]) -> A:
    """Return the white of neutrals, luminance 1."""
    shares = lin[mids] / np.maximum(lin[mids] @ AP1_LUMINANCE, 1e-6)[:, None]
    return np.asarray(np.maximum(np.median(shares, axis=0), 1e-4), np.float64)


def _turned(gains: A) -> tuple[float, float]:
    """Return how far a balance's dials turn the white where it has such gains: mired, Duv x 1000.

    The inverse of `chain.balance_gains`.
    """
    white = xy_to_xyz(ACES_WHITE)
    there = AP1.to_xyz @ (np.linalg.inv(AP1.to_xyz) @ white * gains)
    kelvin, duv = white_to_cct_duv(white)
    kelvin_there, duv_there = white_to_cct_duv(there)
    return 1e6 / kelvin_there - 1e6 / kelvin, (duv_there - duv) * 1000


def _chroma_ratio(got: A, want: A, white: A) -> float:
    """Return how much more chroma colours have than those wanted."""
    chroma = [np.hypot(*scene_lab(v, white)[:, 1:].T) for v in (got, want)]
    return float(np.median(chroma[0] / np.maximum(chroma[1], 1.0)))
