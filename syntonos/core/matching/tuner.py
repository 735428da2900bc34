"""The tuner: how far an angle's picture is from the reference's, in units one can turn."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from syntonos.core.chain import Match
from syntonos.core.chain.colour_model import AP1_LUMINANCE
from syntonos.core.charts import ChartReading
from syntonos.core.colorimetry import white_to_cct_duv
from syntonos.core.encodings import AP1
from syntonos.core.matching.fit import bring_to_reference, working
from syntonos.core.matching.metric import scene_lab


@dataclass(frozen=True, slots=True)
class Tuner:
    """Signs describe the picture: +0.3 is brighter, +40 mired warmer, + tint greener."""

    exposure: float  # stops
    warmth: float  # mired
    tint: float  # Duv x 1000
    contrast: float  # slope of greys, angle against reference, less one
    strength: float  # saturation, %


def tuner_of(reference: ChartReading, angle: ChartReading, match: Match | None) -> Tuner:
    """Return the distance of a reading, seen through a match, from the reference's reading."""
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
    bright = [np.maximum(v @ AP1_LUMINANCE, 1e-6) for v in (got, want)]
    exposure = float(np.median(np.log2(bright[0][mids] / bright[1][mids])))
    whites = [
        white_to_cct_duv(np.maximum(np.median(v[mids] / (v[mids] @ AP1_LUMINANCE)[:, None], axis=0),
                                    1e-4) @ AP1.to_xyz.T)
        for v in (got, want)
    ]  # fmt: skip
    greys = [i for i in layout.greys if i in usable]
    slope = 1.0
    if len(greys) >= 3:
        slope = float(np.polyfit(np.log2(bright[1][greys]), np.log2(bright[0][greys]), 1)[0])
    colours = [i for i in usable if i not in layout.greys]
    chroma = [
        np.hypot(*scene_lab(v[colours], np.median(v[mids] / (v[mids] @ AP1_LUMINANCE)[:, None],
                                                  axis=0))[:, 1:].T)
        for v in (got * 2.0**-exposure, want)
    ]  # fmt: skip
    strength = float(np.median(chroma[0] / np.maximum(chroma[1], 1.0)) - 1) if colours else 0.0
    return Tuner(
        exposure, 1e6 / whites[0][0] - 1e6 / whites[1][0],
        (whites[0][1] - whites[1][1]) * 1000, slope - 1, strength * 100,
    )  # fmt: skip
