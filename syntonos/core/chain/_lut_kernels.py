"""Compiled lookups: 3D LUTs over pixels, curves and cubes over a tile."""

from __future__ import annotations

from typing import Any

import numpy as np
from numpy.typing import NDArray

from syntonos.core._jit import jit
from syntonos.core.chain.tile import TILE

_F0, _TOP = np.float32(0), np.float32(1)


@jit
def lut_tetrahedral(
    src: NDArray[np.float32], dst: NDArray[np.float32], table: NDArray[np.float32]
) -> None:
    """Look pixels (n, 3) up in table[r, g, b]; input is clamped to 0..1."""
    size = table.shape[0]
    top = np.float32(size - 1)
    for i in range(src.shape[0]):
        pr = min(max(src[i, 0], _F0), _TOP) * top
        pg = min(max(src[i, 1], _F0), _TOP) * top
        pb = min(max(src[i, 2], _F0), _TOP) * top
        r, g, b = min(int(pr), size - 2), min(int(pg), size - 2), min(int(pb), size - 2)
        fr, fg, fb = pr - np.float32(r), pg - np.float32(g), pb - np.float32(b)
        # The cell's diagonal is shared; the order of the fractions picks one of six tetrahedra.
        ar, ag, ab, br, bg, bb = 0, 0, 0, 0, 0, 0
        if fr >= fg:
            if fg >= fb:
                ar, br, bg, f1, f2, f3 = 1, 1, 1, fr, fg, fb
            elif fr >= fb:
                ar, br, bb, f1, f2, f3 = 1, 1, 1, fr, fb, fg
            else:
                ab, br, bb, f1, f2, f3 = 1, 1, 1, fb, fr, fg
        elif fr >= fb:
            ag, br, bg, f1, f2, f3 = 1, 1, 1, fg, fr, fb
        elif fg >= fb:
            ag, bg, bb, f1, f2, f3 = 1, 1, 1, fg, fb, fr
        else:
            ab, bg, bb, f1, f2, f3 = 1, 1, 1, fb, fg, fr
        for c in range(3):
            v0 = table[r, g, b, c]
            v1 = table[r + ar, g + ag, b + ab, c]
            v2 = table[r + br, g + bg, b + bb, c]
            v3 = table[r + 1, g + 1, b + 1, c]
            dst[i, c] = v0 + f1 * (v1 - v0) + f2 * (v2 - v1) + f3 * (v3 - v2)


@jit
def lut_trilinear(
    src: NDArray[np.float32], dst: NDArray[np.float32], table: NDArray[np.float32]
) -> None:
    """Look pixels (n, 3) up in table[r, g, b]; input is clamped to 0..1."""
    size = table.shape[0]
    top = np.float32(size - 1)
    for i in range(src.shape[0]):
        pr = min(max(src[i, 0], _F0), _TOP) * top
        pg = min(max(src[i, 1], _F0), _TOP) * top
        pb = min(max(src[i, 2], _F0), _TOP) * top
        r, g, b = min(int(pr), size - 2), min(int(pg), size - 2), min(int(pb), size - 2)
        fr, fg, fb = pr - np.float32(r), pg - np.float32(g), pb - np.float32(b)
        for c in range(3):
            t00 = table[r, g, b, c] + fb * (table[r, g, b + 1, c] - table[r, g, b, c])
            t01 = table[r, g + 1, b, c] + fb * (table[r, g + 1, b + 1, c] - table[r, g + 1, b, c])
            t10 = table[r + 1, g, b, c] + fb * (table[r + 1, g, b + 1, c] - table[r + 1, g, b, c])
            t11 = table[r + 1, g + 1, b, c] + fb * (
                table[r + 1, g + 1, b + 1, c] - table[r + 1, g + 1, b, c]
            )
            t0, t1 = t00 + fg * (t01 - t00), t10 + fg * (t11 - t10)
            dst[i, c] = t0 + fr * (t1 - t0)


@jit
def look_up_curves(x: Any, a: Any, tables: Any) -> None:
    """Three curves: place and size of (n, 3); input is clamped to 0..1."""
    at, size = int(a[0]), int(a[1])
    top = np.float32(size - 1)
    for c in range(3):
        row = x[c]
        for i in range(TILE):
            v = row[i]
            p = min(max(v, _F0), _TOP) * top
            k = min(int(p), size - 2)
            low = tables[at + 3 * k + c]
            q = low + (p - np.float32(k)) * (tables[at + 3 * k + 3 + c] - low)
            row[i] = v if v != v else q


@jit
def look_up_cube(x: Any, a: Any, tables: Any) -> None:
    """Tetrahedral: place and size of (n, n, n, 3); input is clamped to 0..1."""
    at, size = int(a[0]), int(a[1])
    table = tables[at : at + 3 * size * size * size].reshape(size, size, size, 3)
    src, dst = np.empty((TILE, 3), np.float32), np.empty((TILE, 3), np.float32)
    for i in range(TILE):
        for c in range(3):
            v = x[c, i]
            src[i, c] = v if v == v else _F0
    lut_tetrahedral(src, dst, table)
    for i in range(TILE):
        bad = x[0, i] + x[1, i] + x[2, i]
        for c in range(3):
            x[c, i] = dst[i, c] if bad == bad else bad
