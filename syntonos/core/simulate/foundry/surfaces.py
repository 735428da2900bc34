"""What surfaces look like: bricks, boards, chalk, patches, fire, the sky outside."""

from __future__ import annotations

import math
from typing import Any

from syntonos.core._jit import jit
from syntonos.core.simulate.foundry.materials import INDEX

_BRICK, _BRICK_PALE, _BRICK_DARK = INDEX["brick"], INDEX["brick_pale"], INDEX["brick_dark"]
_MORTAR, _PLANK, _PLANK_DARK = INDEX["mortar"], INDEX["plank"], INDEX["plank_dark"]
_BOARD, _CHALK, _BODY = INDEX["board"], INDEX["chalk"], INDEX["chart_body"]
_SHIRT, _OVERALLS, _SKIN = INDEX["shirt"], INDEX["overalls"], INDEX["skin"]
_PATCH = INDEX["patch_1"]
_MELT, _MOUTH = INDEX["melt"], INDEX["mouth"]


@jit
def scatter(a: int, b: int) -> float:
    """Return a number 0..1 that two integers decide."""
    h = (a * 374761393 + b * 668265263) & 0x7FFFFFFF
    h = ((h ^ (h >> 13)) * 1274126177) & 0x7FFFFFFF
    return (h ^ (h >> 16)) / 2147483648.0


@jit
def _noise(x: float, y: float) -> float:
    i, j = int(math.floor(x)), int(math.floor(y))
    u, v = x - i, y - j
    u, v = u * u * (3 - 2 * u), v * v * (3 - 2 * v)
    a = scatter(i, j) + u * (scatter(i + 1, j) - scatter(i, j))
    b = scatter(i, j + 1) + u * (scatter(i + 1, j + 1) - scatter(i, j + 1))
    return a + v * (b - a)


@jit
def surface(rows: Any, row: int, chart_row: int, x: float, y: float, z: float) -> Any:
    """Return (material, brightness) at a point: bricks, boards, chalk and patches are drawn."""
    q = rows[row]
    m = int(q[1])
    if m == _BRICK:
        course = math.floor(y / 0.078)
        along = x / 0.235 + 0.5 * (course % 2) + 0.03 * _noise(x * 9, y * 9)
        col = math.floor(along)
        fy, fx = y / 0.078 - course, along - col
        soot = 0.62 + 0.5 * _noise(x * 0.9 + 7, y * 0.8 + 3)
        if fy < 0.13 or fx < 0.05:
            return _MORTAR, (0.6 + 0.3 * _noise(x * 30, y * 30)) * soot
        h = scatter(int(col) + 1000, int(course) + 1000)
        kind = _BRICK if h < 0.6 else (_BRICK_PALE if h < 0.82 else _BRICK_DARK)
        grain = 0.86 + 0.28 * _noise(x * 55, y * 70)
        return kind, (0.75 + 0.5 * scatter(int(course), int(col) + 77)) * grain * soot
    if m == _PLANK and y < 0.02:
        col = math.floor(x / 0.19)
        if x / 0.19 - col < 0.035:
            return _PLANK_DARK, 0.35
        grain = 0.7 + 0.5 * _noise(x * 60 + 13 * col, z * 2.2)
        return (_PLANK if scatter(int(col) + 50, 3) < 0.6 else _PLANK_DARK), grain
    if m == _PLANK or m == _PLANK_DARK:
        return m, 0.75 + 0.5 * _noise(x * 8 + z * 8, y * 40)
    if m == _BOARD:
        u, v = (x - 0.42) / 0.78, (y - 1.92) / 0.5
        wobble = 0.012 * _noise(x * 25, y * 25)
        outline = 0.16 + 0.16 * math.exp(-(v + 0.75) * 3.2)
        d = abs(abs(u + 0.35) - outline)
        if (d < 0.014 + wobble and -0.7 < v < 0.62) or (
            abs(v - 0.62) < 0.025 and abs(u + 0.35) < 0.17
        ):
            return _CHALK, 0.75
        if abs(v + 0.7) < 0.022 and abs(u + 0.35) < 0.36:
            return _CHALK, 0.7
        if abs(u + 0.35) < 0.006 and abs(v) < 0.85 and math.sin(v * 60) > 0:
            return _CHALK, 0.55
        line = (v + 0.6) / 0.2
        row_of = int(math.floor(line))
        written = 0.18 < u < min(0.85, 0.5 + 0.4 * scatter(row_of, 5)) and 0 < line < 6.3
        stroke = abs(line - row_of - 0.5) < 0.2 and _noise(x * 46, row_of * 9.1 + y * 20) > 0.55
        if written and stroke:
            return _CHALK, 0.6
        return m, 0.8 + 0.8 * _noise(x * 3, y * 3)
    if row == chart_row:
        px = q[2] * x + q[3] * y + q[4] * z + q[5]
        py = q[6] * x + q[7] * y + q[8] * z + q[9]
        pz = q[10] * x + q[11] * y + q[12] * z + q[13]
        if pz > 0.9:
            u, v = (px * 0.5 + 0.5) * 6.9 - 0.45, (0.5 - py * 0.5) * 4.72 - 0.36
            i, j = math.floor(u), math.floor(v)
            if 0 <= i < 6 and 0 <= j < 4 and 0.08 < u - i < 0.92 and 0.08 < v - j < 0.92:
                return _PATCH + int(j) * 6 + int(i), 1.0
        return _BODY, 1.0
    if m == _OVERALLS or m == _SHIRT:
        return m, 0.9 + 0.2 * _noise(x * 38 + z * 11, y * 26)
    if m == _SKIN:
        return m, 0.95 + 0.1 * _noise(x * 50, y * 50)
    return m, 1.0


@jit
def _flames(u: float, v: float, moved: float) -> float:
    """Return a noise over (u, v) whose pattern rises and comes round as `moved` goes to 1."""
    total, size = 0.0, 1.0
    for octave in range(4):
        # Two patterns that fade into each other, each rising by a whole period.
        a = _noise(u * 3.1 * size, v * 1.7 * size - 3.4 * moved * size + 31 * octave)
        b = _noise(u * 3.1 * size, v * 1.7 * size - 3.4 * (moved - 1) * size + 31 * octave)
        total += (a * (1 - moved) + b * moved) / size
        size *= 2
    return total / 1.875


@jit
def glow(q: Any, m: int, x: float, y: float, z: float, ny: float) -> float:
    """Return what a surface sends out itself, as a share of the furnace's light."""
    if m == _MELT:
        if ny < 0.5:
            return 0.0
        # Bright metal with a skin of dross that drifts.
        dross = _flames(x * 2.6 + 0.3, z * 3.9 + 5, q[14])
        return 0.12 + 0.9 * min(max((dross - 0.34) * 4.5, 0.0), 1.0)
    if m != _MOUTH:
        return 0.0
    # An arch of 0.92 by 0.76 m, coke at its foot, flames above.
    u, v = (z + 1.95) / 0.46, (y - 0.49) / 0.76
    arch = 0.62 + 0.38 * math.sqrt(max(0.0, 1 - u * u))
    if v > arch:
        return 0.0
    coke = 0.16 + 0.10 * _noise(u * 6 + 9, 2.0) + 0.05 * _noise(u * 19, 5.0)
    if v < coke:
        ember = _noise(u * 9 + 3, v * 22)
        return 0.05 + 0.85 * ember * ember * ember
    f = _flames(u * 1.5 + 4, v * 1.4, q[14])
    depth = min((arch - v) * 6, 1.0) * min((1 - abs(u)) * 8 + 0.15, 1.0)
    return (0.14 + 1.1 * min(max((f - 0.30) * 2.4, 0.0), 1.0) * (1.15 - 0.75 * v)) * depth


@jit
def sky(y: float, z: float) -> float:
    """Return the window's own brightness: sky over a tree line."""
    trees = 1.35 + 0.3 * _noise(z * 2.3, 4.2) + 0.12 * _noise(z * 9, 1.7)
    return 1.4 + 0.5 * (y - 1) if y > trees else 0.35
