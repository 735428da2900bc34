"""The compiled part of drawing: in a module of its own, so that it is seldom compiled again."""

from __future__ import annotations

from typing import Any

import numpy as np

from syntonos.core._jit import jit
from syntonos.core.chain.tiles import TILE, load, room_of_tile, run_tile, store_bytes
from syntonos.core.scopes.counts import tally


@jit
def draw_part(
    src: Any, dst: Any, chain: Any, screen: Any, columns: Any, first: int, width: int, into: Any
) -> Any:
    """Draw pixels (n, 3) from number `first` on into bytes (n, 3), and count them."""
    n = src.shape[0]
    x, room = np.zeros((3, TILE), np.float32), room_of_tile()
    places = np.empty((4, TILE), np.int32)
    below, above = 0, 0
    for start in range(0, n, TILE):
        count = min(TILE, n - start)
        load(x, src[start : start + count])
        run_tile(x, room, chain[0], chain[1], chain[2])
        at = (first + start) % width
        few, many = tally(
            x, columns[at : at + count], places, into[0], into[1], into[2], into[3], into[4],
            into[5],
        )  # fmt: skip
        below, above = below + few, above + many
        run_tile(x, room, screen[0], screen[1], screen[2])
        store_bytes(x, dst[start : start + count])
    return below, above
