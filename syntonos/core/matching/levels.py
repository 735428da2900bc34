"""Whether the grey ramp of a reading speaks for the levels that are stated."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from syntonos.core.charts import CHART_24, ChartReading
from syntonos.core.charts.layout import reference_lin
from syntonos.core.charts.reading import CLIPPED
from syntonos.core.encodings import LEVELS, decode, find_encoding, take_levels_off


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
    the dark end too; so the two darkest patches count a quarter.
    """
    encoding = find_encoding(reading.encoding)
    greys = [i for i in CHART_24.greys if CLIPPED not in reading.patches[i].flags]
    bends: dict[str, float] = {}
    for levels in LEVELS:
        if len(greys) < 3:
            bends[levels] = 0.0
            continue
        code = np.array([reading.patches[i].code_rgb for i in greys])
        lin = decode(take_levels_off(code, levels), encoding.curve).mean(axis=1)
        weight = np.array([0.25 if i in CHART_24.greys[-2:] else 1.0 for i in greys])
        if lin.min() <= 0:
            bends[levels] = 9.0
            continue
        off = np.log2(lin / reference_lin()[greys].mean(axis=1))
        off -= np.average(off, weights=weight)
        bends[levels] = float(np.sqrt(np.average(off**2, weights=weight)))
    stated = reading.levels
    other = "legal" if stated == "full" else "full"
    doubtful = bends[stated] > 0.10 and bends[other] < 0.5 * bends[stated]
    return LevelsCheck(stated, other if doubtful else stated, bends["full"], bends["legal"])
