"""The compiled part of `unseen`: in a module of its own, so that it is seldom compiled again."""

from __future__ import annotations

from typing import Any

import numpy as np

from syntonos.core._jit import jit
from syntonos.core._math import log2

CELLS, EDGE = 161, 3.0  # of the table over chromaticity: cells a side, log ratio at its edge
_DARK = 0.004  # of white: below it chromaticity is noise
_DARK32, _EDGE32, _LN2 = np.float32(_DARK), np.float32(EDGE), np.float32(np.log(2))
_PER_CELL = np.float32((CELLS - 1) / (2 * EDGE))
_MILLI, _HALF = np.float32(1e-3), np.float32(0.5)


@jit
def look_up(x: Any, away: Any, luminance: Any, out: Any) -> None:
    """Say of each colour x (n, 3) whether its cell of `away` is true and it is not too dark."""
    for i in range(out.size):
        r, g, b = x[i, 0], x[i, 1], x[i, 2]
        out[i] = False
        if r * luminance[0] + g * luminance[1] + b * luminance[2] > _DARK32:
            most = max(r, max(g, b))
            floor = most * _MILLI
            up = log2(max(g, floor))
            u = (log2(max(r, floor)) - up) * _LN2
            v = (log2(max(b, floor)) - up) * _LN2
            u = min(max(u, -_EDGE32), _EDGE32)
            v = min(max(v, -_EDGE32), _EDGE32)
            p = np.int32((u + _EDGE32) * _PER_CELL + _HALF)
            q = np.int32((v + _EDGE32) * _PER_CELL + _HALF)
            out[i] = away[p, q]
