"""Counts for the RGB parade and the vectorscope, in one pass over a picture."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from syntonos.core._jit import jit
from syntonos.core.chain.displays import find_display
from syntonos.core.chain.tiles import TILE, load

Span = tuple[float, float]  # of the display signal, from the bottom of the parade to its top
COLUMNS, LEVELS, SIDE = 192, 128, 128
# The parade shows -5 % to 105 % of the display signal, or its lowest tenth magnified.
WHOLE: Span = (-0.05, 1.05)
LOWEST: Span = (-0.01, 0.1)
_ZERO = np.float32(0)
_ONE = np.uint32(1)
# The last level and cell take all that lies beyond; a hair below, so that they are not left.
_LAST = np.float32(LEVELS - 0.01)
_EDGE, _ROW = np.float32(SIDE - 0.01), np.int32(SIDE)
# Weights of R' and B' in Y': ITU-R BT.709-6, item 3.2, and BT.2100-2, table 6.
LUMA = {"bt709": (0.2126, 0.0722), "bt2020": (0.2627, 0.0593)}
_HALF, _SIDE = np.float32(0.5), np.float32(SIDE)


@dataclass(frozen=True, slots=True)
class ScopeCounts:
    """How many pixels fall on each cell.

    parade : (3, COLUMNS, LEVELS) uint16
        Channel, place across the picture, level from the bottom to the top of `span`; values
        beyond are counted in the first and the last level.
    vector : (SIDE, SIDE) uint16
        ``[row, column]``: Cr from +0.5 at the top to -0.5, Cb from -0.5 at the left to +0.5;
        what lies beyond is counted at the edge.
    below, above : float
        Shares of the pixels with a channel at 0 or less, and at 1 or more.
    span : tuple
        Of the display signal that the parade shows.
    """

    parade: NDArray[np.uint16]
    vector: NDArray[np.uint16]
    below: float
    above: float
    span: Span = WHOLE


@jit
def tally(
    x: Any, ats: Any, places: Any, parade: Any, vector: Any, kr: Any, kb: Any, bottom: Any,
    scale: Any,
) -> Any:  # fmt: skip
    """Count a tile of display values x (3, TILE): places first (vector instructions), then counts.

    ats (n,): where the columns of its first n values begin in the parade; places (4, TILE): room;
    bottom, scale: the parade's lowest value, and how many levels it has to a signal of 1.
    Returns how many of them have a channel at 0 or less, and at 1 or more.
    """
    for c in range(3):
        row, out = x[c], places[c]
        for i in range(ats.size):
            level = (row[i] - bottom) * scale
            level = level if level > _ZERO else _ZERO  # a NaN fails the comparison
            out[i] = ats[i] + np.int32(level if level < _LAST else _LAST)
    rr, gg, bb, spots = x[0], x[1], x[2], places[3]
    one, two = np.float32(1), np.float32(2)
    kg, cb, cr = one - kr - kb, one / (two * (one - kb)), one / (two * (one - kr))
    below, above = np.int32(0), np.int32(0)
    for i in range(ats.size):
        r, g, b = rr[i], gg[i], bb[i]
        # Cast back, since a sum of numba's is 64 bit wide and costs half of the vectors.
        below = np.int32(below + np.int32((r <= _ZERO) | (g <= _ZERO) | (b <= _ZERO)))
        above = np.int32(above + np.int32((r >= one) | (g >= one) | (b >= one)))
        luma = kr * r + kg * g + kb * b
        u = ((b - luma) * cb + _HALF) * _SIDE
        v = (_HALF - (r - luma) * cr) * _SIDE
        u = u if u > _ZERO else _ZERO
        v = v if v > _ZERO else _ZERO
        u = u if u < _EDGE else _EDGE
        v = v if v < _EDGE else _EDGE
        spots[i] = np.int32(v) * _ROW + np.int32(u)
    reds, greens, blues = places[0], places[1], places[2]
    red, green, blue = parade[0], parade[1], parade[2]
    for i in range(ats.size):
        red[np.uint32(reds[i])] += _ONE
        green[np.uint32(greens[i])] += _ONE
        blue[np.uint32(blues[i])] += _ONE
        vector[np.uint32(spots[i])] += _ONE
    return below, above


@jit
def _count(disp: Any, columns: Any, width: int, into: Any) -> Any:
    x, places = np.zeros((3, TILE), np.float32), np.empty((4, TILE), np.int32)
    below, above = 0, 0
    for start in range(0, disp.shape[0], TILE):
        count = min(TILE, disp.shape[0] - start)
        load(x, disp[start : start + count])
        ats = columns[start % width : start % width + count]
        few, many = tally(
            x, ats, places, into[0], into[1], into[2], into[3], into[4], into[5]
        )  # fmt: skip
        below, above = below + few, above + many
    return below, above


def luma_weights(display: str) -> tuple[float, float]:
    """Return the weights of R' and B' in the Y' of a display's signal.

    P3 has no Y'CbCr of its own; BT.709's weights are used, common practice, no source.
    """
    return LUMA.get(find_display(display).gamut.slug, LUMA["bt709"])


class Counter:
    """What a pass over a picture, or over a part of it, counts into.

    columns : (width + TILE,) int32
        Where the column of the parade begins on which a pixel falls, for every place in a row and
        on into the next, so that a tile may begin anywhere.
    """

    def __init__(self, width: int, display: str, span: Span = WHOLE) -> None:
        places = np.arange(width + TILE) % width
        self.columns = (places * COLUMNS // width * LEVELS).astype(np.int32)
        self.parade = np.zeros((3, COLUMNS * LEVELS), np.uint32)
        self.vector = np.zeros(SIDE * SIDE, np.uint32)
        self.weights = luma_weights(display)
        self.span, self.below, self.above = span, 0, 0

    @property
    def arrays(self) -> tuple[Any, ...]:
        """Parade, vectorscope, weights of R' and B', bottom and scale, as the kernels take them."""
        bottom, top = self.span
        numbers = (*self.weights, bottom, LEVELS / (top - bottom))
        return self.parade, self.vector, *(np.float32(v) for v in numbers)

    def result(self, pixels: int) -> ScopeCounts:
        """Return the counts of so many pixels."""
        top = np.iinfo(np.uint16).max
        return ScopeCounts(
            np.minimum(self.parade, top).astype(np.uint16).reshape(3, COLUMNS, LEVELS),
            np.minimum(self.vector, top).astype(np.uint16).reshape(SIDE, SIDE),
            self.below / pixels,
            self.above / pixels,
            self.span,
        )


def count_scopes(
    disp_rgb: NDArray[np.float32], display: str = "rec709", span: Span = WHOLE
) -> ScopeCounts:
    """Count a picture for its scopes.

    Parameters
    ----------
    disp_rgb : (h, w, 3) float32
        Display values, 1.0 = 100 %; a NaN counts as the bottom level.
    display : str
        What the values are for: its weights make Y', Cb and Cr.
    span : tuple
        Of the signal that the parade shows.

    Returns
    -------
    ScopeCounts

    Source: ITU-R BT.709-6, item 3, and BT.2100-2, table 6, for Y', Cb, Cr.
    """
    frame = np.ascontiguousarray(disp_rgb, np.float32)
    counter = Counter(frame.shape[1], display, span)
    counter.below, counter.above = _count(
        frame.reshape(-1, 3), counter.columns, frame.shape[1], counter.arrays
    )
    return counter.result(frame.shape[0] * frame.shape[1])
