"""Counts for the RGB parade and the vectorscope, in one pass over a picture."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from syntonos.core._jit import jit
from syntonos.core.chain.displays import find_display

COLUMNS, LEVELS, SIDE = 192, 128, 128
# The parade shows -5 % to 105 % of the display signal.
BOTTOM, TOP = -0.05, 1.05
_B, _SCALE, _ZERO = np.float32(BOTTOM), np.float32(LEVELS / (TOP - BOTTOM)), np.float32(0)
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
        Channel, place across the picture, level from BOTTOM to TOP of the display signal; values
        beyond are counted in the first and the last level.
    vector : (SIDE, SIDE) uint16
        ``[row, column]``: Cr from +0.5 at the top to -0.5, Cb from -0.5 at the left to +0.5;
        what lies beyond is counted at the edge.
    """

    parade: NDArray[np.uint16]
    vector: NDArray[np.uint16]


@jit
def _count(disp: Any, parade: Any, vector: Any, columns: Any, kr: Any, kb: Any) -> None:
    """Count in two passes a row: places first (vector instructions), then the counting."""
    height, width = disp.shape[0], disp.shape[1]
    red, green, blue = parade[0], parade[1], parade[2]
    place = np.empty(3 * width, np.int32)
    planes = np.empty((3, width), np.float32)
    red_row, green_row, blue_row = planes[0], planes[1], planes[2]
    spot = np.empty(width, np.int32)
    one, two = np.float32(1), np.float32(2)
    kg, cb, cr = one - kr - kb, one / (two * (one - kb)), one / (two * (one - kr))
    for y in range(height):
        row = disp[y].reshape(3 * width)
        for i in range(3 * width):
            v = (row[i] - _B) * _SCALE
            v = v if v > _ZERO else _ZERO  # a NaN fails the comparison and falls to the bottom
            place[i] = np.int32(v if v < _LAST else _LAST)
        for x in range(width):
            red_row[x], green_row[x], blue_row[x] = row[3 * x], row[3 * x + 1], row[3 * x + 2]
        for x in range(width):
            r, g, b = red_row[x], green_row[x], blue_row[x]
            luma = kr * r + kg * g + kb * b
            u = ((b - luma) * cb + _HALF) * _SIDE
            v = (_HALF - (r - luma) * cr) * _SIDE
            u = u if u > _ZERO else _ZERO
            v = v if v > _ZERO else _ZERO
            u = u if u < _EDGE else _EDGE
            v = v if v < _EDGE else _EDGE
            spot[x] = np.int32(v) * _ROW + np.int32(u)
        for x in range(width):
            at = columns[x]
            red[np.uint32(at + place[3 * x])] += _ONE
            green[np.uint32(at + place[3 * x + 1])] += _ONE
            blue[np.uint32(at + place[3 * x + 2])] += _ONE
            vector[np.uint32(spot[x])] += _ONE


def luma_weights(display: str) -> tuple[float, float]:
    """Return the weights of R' and B' in the Y' of a display's signal.

    P3 has no Y'CbCr of its own; BT.709's weights are used, common practice, no source.
    """
    return LUMA.get(find_display(display).gamut.slug, LUMA["bt709"])


def count_scopes(disp_rgb: NDArray[np.float32], display: str = "rec709") -> ScopeCounts:
    """Count a picture for its scopes.

    Parameters
    ----------
    disp_rgb : (h, w, 3) float32
        Display values, 1.0 = 100 %; a NaN counts as the bottom level.
    display : str
        What the values are for: its weights make Y', Cb and Cr.

    Returns
    -------
    ScopeCounts

    Source: ITU-R BT.709-6, item 3, and BT.2100-2, table 6, for Y', Cb, Cr.
    """
    frame = np.ascontiguousarray(disp_rgb, np.float32)
    width = frame.shape[1]
    parade = np.zeros((3, COLUMNS * LEVELS), np.uint32)
    vector = np.zeros(SIDE * SIDE, np.uint32)
    columns = (np.arange(width) * COLUMNS // width * LEVELS).astype(np.int32)
    kr, kb = (np.float32(v) for v in luma_weights(display))
    _count(frame, parade, vector, columns, kr, kb)
    top = np.iinfo(np.uint16).max
    return ScopeCounts(
        np.minimum(parade, top).astype(np.uint16).reshape(3, COLUMNS, LEVELS),
        np.minimum(vector, top).astype(np.uint16).reshape(SIDE, SIDE),
    )
