"""The curve families, each formula once.

Compiled for the type it is called with: float64 runs exactly, float32 with the fast logarithm.
`p` is the family's parameter vector (`Curve.params`), of the same type as the value. Literals are
kept out of the formulas, since a literal would lift float32 to float64. Both sides of a choice are
computed where that lets the compiler use vector instructions.

LOG_LIN      code = a log2(b lin + c) + d    from cut_lin up,   e lin + f   below
             p = (a, b, c, d, e, f, cut_lin, cut_code)
CUBE_LOG     code = a log2(lin) + d          from cut_lin up,   e cbrt(lin + f) below
             p = (a, d, e, f, cut_lin, cut_code, tiny, 1/3, slope of the chord below tiny)
POWER        code = lin^(1/g), mirrored for negatives; a chord below a tiny value
             p = (g, 1/g, tiny, slope of the chord, its code, 0)
POWER_LIN    code = (1 + c) lin^(1/g) - c    from cut_lin up,   e lin  below
             p = (g, 1/g, 1 + c, c, e, cut_lin, cut_code)
"""

from __future__ import annotations

from typing import Any

from syntonos.core._jit import jit
from syntonos.core._math import exp2, log2

LINEAR, LOG_LIN, CUBE_LOG, POWER, POWER_LIN = range(5)


@jit
def log_lin_decode(v: Any, p: Any) -> Any:
    """Take a log curve's value to scene-linear."""
    return (exp2((v - p[3]) / p[0]) - p[2]) / p[1] if v >= p[7] else (v - p[5]) / p[4]


@jit
def log_lin_encode(x: Any, p: Any) -> Any:
    """Take scene-linear to a log curve's value."""
    return p[0] * log2(p[1] * x + p[2]) + p[3] if x >= p[6] else p[4] * x + p[5]


@jit
def cube_log_decode(v: Any, p: Any) -> Any:
    """Take a value of a cube-root-then-log curve to scene-linear."""
    if v >= p[5]:
        return exp2((v - p[1]) / p[0])
    q = v / p[2]
    return q * q * q - p[3]


@jit
def cube_log_encode(x: Any, p: Any) -> Any:
    """Take scene-linear to a value of a cube-root-then-log curve; odd about the root's zero."""
    if x >= p[4]:
        return p[0] * log2(x) + p[1]
    y = x + p[3]
    if y > p[6]:
        return p[2] * exp2(log2(y) * p[7])
    if y < -p[6]:
        return -p[2] * exp2(log2(-y) * p[7])
    return y * p[8]


@jit
def power_decode(v: Any, p: Any) -> Any:
    """Take a display value to linear light by a power, mirrored for negatives."""
    a = abs(v)
    q = exp2(log2(a if a > p[4] else p[4]) * p[0])
    q = q if a > p[4] else a / p[3]
    return q if v > p[5] else -q


@jit
def power_encode(x: Any, p: Any) -> Any:
    """Take linear light to a display value by a root, mirrored for negatives."""
    a = abs(x)
    q = exp2(log2(a if a > p[2] else p[2]) * p[1])
    q = q if a > p[2] else a * p[3]
    return q if x > p[5] else -q


@jit
def power_lin_decode(v: Any, p: Any) -> Any:
    """Take a display value to linear light: a power with a straight piece at the bottom."""
    return exp2(log2((v + p[3]) / p[2]) * p[0]) if v >= p[6] else v / p[4]


@jit
def power_lin_encode(x: Any, p: Any) -> Any:
    """Take linear light to a display value: a root with a straight piece at the bottom."""
    return p[2] * exp2(log2(x) * p[1]) - p[3] if x >= p[5] else p[4] * x
