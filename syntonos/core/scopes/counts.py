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
    below, above : float
        Shares of the pixels with a channel at 0 or less, and at 1 or more.
    """

    parade: NDArray[np.uint16]
    vector: NDArray[np.uint16]
    below: float
    above: float


@jit
def _count(disp: Any, parade: Any, vector: Any, columns: Any, kr: Any, kb: Any) -> Any:
    """Count in two passes a row: places first (vector instructions), then the counting.

    Returns how many pixels have a channel at 0 or less, and at 1 or more.
    """
    height, width = disp.shape[0], disp.shape[1]
    red, green, blue = parade[0], parade[1], parade[2]
    reds, greens, blues = (
        np.empty(width, np.int32), np.empty(width, np.int32), np.empty(width, np.int32)
    )  # fmt: skip
    spots = np.empty(width, np.int32)
    one, two = np.float32(1), np.float32(2)
    kg, cb, cr = one - kr - kb, one / (two * (one - kb)), one / (two * (one - kr))
    below, above = np.int32(0), np.int32(0)
    for y in range(height):
        row = disp[y].reshape(3 * width)
        for x in range(width):
            at = columns[x]
            r, g, b = row[3 * x], row[3 * x + 1], row[3 * x + 2]
            below += np.int32((r <= _ZERO) | (g <= _ZERO) | (b <= _ZERO))
            above += np.int32((r >= one) | (g >= one) | (b >= one))
            p, q, s = (r - _B) * _SCALE, (g - _B) * _SCALE, (b - _B) * _SCALE
            p = p if p > _ZERO else _ZERO  # a NaN fails the comparison and falls to the bottom
            q = q if q > _ZERO else _ZERO
            s = s if s > _ZERO else _ZERO
            reds[x] = at + np.int32(p if p < _LAST else _LAST)
            greens[x] = at + np.int32(q if q < _LAST else _LAST)
            blues[x] = at + np.int32(s if s < _LAST else _LAST)
            luma = kr * r + kg * g + kb * b
            u = ((b - luma) * cb + _HALF) * _SIDE
            v = (_HALF - (r - luma) * cr) * _SIDE
            u = u if u > _ZERO else _ZERO
            v = v if v > _ZERO else _ZERO
            u = u if u < _EDGE else _EDGE
            v = v if v < _EDGE else _EDGE
            spots[x] = np.int32(v) * _ROW + np.int32(u)
        for x in range(width):
            red[np.uint32(reds[x])] += _ONE
            green[np.uint32(greens[x])] += _ONE
            blue[np.uint32(blues[x])] += _ONE
            vector[np.uint32(spots[x])] += _ONE
    return below, above


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
    below, above = _count(frame, parade, vector, columns, kr, kb)
    pixels = frame.shape[0] * width
    top = np.iinfo(np.uint16).max
    return ScopeCounts(
        np.minimum(parade, top).astype(np.uint16).reshape(3, COLUMNS, LEVELS),
        np.minimum(vector, top).astype(np.uint16).reshape(SIDE, SIDE),
        below / pixels,
        above / pixels,
    )
