"""Counts for the RGB parade and the vectorscope, in one pass over a picture."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from syntonos.core._jit import jit

COLUMNS, LEVELS, SIDE = 192, 128, 128
# The parade shows -5 % to 105 % of the display signal.
BOTTOM, TOP = -0.05, 1.05
_B, _SCALE, _LEVELS = np.float32(BOTTOM), np.float32(LEVELS / (TOP - BOTTOM)), np.int64(LEVELS)
# ITU-R BT.709-6, items 3.2 and 3.3.
_KR, _KG, _KB = np.float32(0.2126), np.float32(0.7152), np.float32(0.0722)
_CB, _CR = np.float32(1 / 1.8556), np.float32(1 / 1.5748)
_HALF, _SIDE = np.float32(0.5), np.float32(SIDE)


@dataclass(frozen=True, slots=True)
class ScopeCounts:
    """How many pixels fall on each cell.

    parade : (3, COLUMNS, LEVELS) uint16
        Channel, place across the picture, level from BOTTOM to TOP of the display signal; values
        beyond are counted in the first and the last level.
    vector : (SIDE, SIDE) uint16
        ``[row, column]``: Cr from +0.5 at the top to -0.5, Cb from -0.5 at the left to +0.5.
    """

    parade: NDArray[np.uint16]
    vector: NDArray[np.uint16]


@jit
def _count(disp: Any, parade: Any, vector: Any) -> None:
    height, width = disp.shape[0], disp.shape[1]
    for y in range(height):
        for x in range(width):
            column = x * COLUMNS // width
            for c in range(3):
                v = disp[y, x, c]
                v = v if v == v else _B
                level = int((v - _B) * _SCALE)
                level = min(max(level, 0), LEVELS - 1)
                if parade[c, column, level] < 65535:
                    parade[c, column, level] += 1
            r, g, b = disp[y, x, 0], disp[y, x, 1], disp[y, x, 2]
            luma = _KR * r + _KG * g + _KB * b
            u = int(((b - luma) * _CB + _HALF) * _SIDE)
            v = int((_HALF - (r - luma) * _CR) * _SIDE)
            if 0 <= u < SIDE and 0 <= v < SIDE and vector[v, u] < 65535:
                vector[v, u] += 1


def count_scopes(disp_rgb: NDArray[np.float32]) -> ScopeCounts:
    """Count a picture for its scopes.

    Parameters
    ----------
    disp_rgb : (h, w, 3) float32
        Display values, 1.0 = 100 %; a NaN counts as the bottom level.

    Returns
    -------
    ScopeCounts

    Source: ITU-R BT.709-6, item 3, for Y', Cb, Cr.
    """
    parade = np.zeros((3, COLUMNS, LEVELS), np.uint16)
    vector = np.zeros((SIDE, SIDE), np.uint16)
    _count(np.ascontiguousarray(disp_rgb, np.float32), parade, vector)
    return ScopeCounts(parade, vector)
