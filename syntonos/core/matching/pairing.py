"""Which charts of one frame are which of another: by what they show, not by where they stand."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from itertools import permutations
from typing import Final

import numpy as np
from numpy.typing import NDArray

from syntonos.core.charts import ChartReading
from syntonos.core.errors import ChartError
from syntonos.core.matching.readings import working

A = NDArray[np.float64]
_MOST: Final = 6
# By how much (in stops, over all patches) another order has to agree better than the one from left
# to right: charts that stand in one light cannot be told apart, and need not be.
_PLAIN: Final = 0.05


@dataclass(frozen=True, slots=True)
class Pairing:
    """Which of the angle's charts each of the reference's is.

    order : of each of the reference's charts the angle's, from 0.
    apart : how far the pairs disagree, in stops (rms over patches and channels).
    crossed : whether the first two charts, which a person took for one, seem to be different ones.
    """

    order: tuple[int, ...]
    apart: float
    crossed: bool


def pair_charts(
    reference: Sequence[ChartReading], angle: Sequence[ChartReading], *, first_is_given: bool = True
) -> Pairing:
    """Pair the charts of two frames.

    What an angle records of a chart differs from what the reference does by exposure and white,
    which are the same for all charts of a frame; so the pairs are right where that difference is
    the same in all. Charts that stand in one light look alike: they stay in the order given.

    Parameters
    ----------
    reference, angle : sequence of ChartReading, as many each, up to six
        In each the one that a person chose first, then the others from left to right.
    first_is_given : bool
        Whether the first stays with the first.

    Raises
    ------
    ChartError
        chart.counts where there are not as many on both sides, or more than six.
    """
    count = len(reference)
    if count != len(angle) or not 1 <= count <= _MOST:
        raise ChartError(
            f"Charts in the reference's frame: {count}, in the angle's: {len(angle)}.",
            hint=f"Read as many in both, up to {_MOST}.", code="chart.counts",
        )  # fmt: skip
    apart = {order: _apart(reference, angle, order) for order in permutations(range(count))}
    given = tuple(range(count))
    allowed = [o for o in apart if o[0] == 0 or not first_is_given]
    closest = min(allowed, key=lambda o: (apart[o], o))
    free = min(apart, key=lambda o: (apart[o], o))
    best = closest if apart[closest] < apart[given] - _PLAIN else given
    crossed = apart[free] < apart[best] - _PLAIN
    return Pairing(best, apart[best], crossed)


def _apart(
    reference: Sequence[ChartReading], angle: Sequence[ChartReading], order: Sequence[int]
) -> float:
    """Return how far the pairs' differences are from each other, in stops."""
    stops = np.stack(
        [_stops(angle[k]) - _stops(one) for one, k in zip(reference, order, strict=True)]
    )
    seen = np.isfinite(stops).all(axis=0)
    if not seen.any():
        return float("inf")
    return float(np.sqrt(np.mean(np.var(stops[:, seen], axis=0))))


def _stops(reading: ChartReading) -> A:
    """Return log2 of the patches (n, 3); NaN where one cannot be used or is hardly above black."""
    lin = working(reading)
    usable = np.array([p.is_usable for p in reading.patches])[:, None]
    floor = 0.02 * np.nanmax(np.where(usable, lin, np.nan), initial=1e-6)
    good = usable & (lin > floor)
    return np.log2(np.where(good, lin, np.nan))
