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
MIRROR_LOG   code = a log2(1 + b lin) + c    from cut up,  -a log2(1 - b lin) + d  below -cut,
             e lin + f  between
             p = (a, b, c, d, e, f, cut_lin, code at -cut, code at +cut, one)
TWO_LOG      code = a log2(lin) + d          from cut_lin up,   a log2(lin / 2 + h) + d  below,
             below 0 the code of 0, as the standard has it
             p = (a, d, h, cut_lin, cut_code, code at 0, one half)
PQ           SMPTE ST 2084 with lin = 1 at 100 cd/m2, mirrored for negatives, a chord below tiny
             p = (m1, m2, c1, c2, c3, 1/m1, 1/m2, light of 1 as a share of the peak, tiny,
                  slope of the chord, one, code at tiny)
HLG          ITU-R BT.2100, E = lin / 3: sqrt(3 E) up to 1/12, a ln(12 E - b) + c above;
             mirrored, a chord below tiny
             p = (a ln 2, b, c, cut_lin, cut_code, 4, tiny, slope of the chord, code at tiny,
                  one half)
TABLE        lin at evenly spaced codes, straight between them and beyond
             p = (count, first code, step, lin...)
"""

from __future__ import annotations

from typing import Any

from syntonos.core._jit import jit
from syntonos.core._math import exp2, exp2_near, log2

LINEAR, LOG_LIN, CUBE_LOG, POWER, POWER_LIN, MIRROR_LOG, TWO_LOG, PQ, HLG, TABLE = range(10)


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
def clamped_root(x: Any, p: Any) -> Any:
    """Clamp to p[6]..p[7], p[6] not under zero, then do as `power_encode`; NaN stays NaN."""
    a = x if x > p[6] else p[6]
    a = a if a < p[7] else p[7]
    q = exp2_near(log2(a if a > p[2] else p[2]) * p[1])
    q = q if a > p[2] else a * p[3]
    return q if x == x else x


@jit
def power_lin_decode(v: Any, p: Any) -> Any:
    """Take a display value to linear light: a power with a straight piece at the bottom."""
    return exp2(log2((v + p[3]) / p[2]) * p[0]) if v >= p[6] else v / p[4]


@jit
def power_lin_encode(x: Any, p: Any) -> Any:
    """Take linear light to a display value: a root with a straight piece at the bottom."""
    return p[2] * exp2(log2(x) * p[1]) - p[3] if x >= p[5] else p[4] * x


@jit
def mirror_log_decode(v: Any, p: Any) -> Any:
    """Take a value of a log curve that is mirrored about black to scene-linear."""
    if v > p[8]:
        return (exp2((v - p[2]) / p[0]) - p[9]) / p[1]
    if v < p[7]:
        return -(exp2((p[3] - v) / p[0]) - p[9]) / p[1]
    return (v - p[5]) / p[4]


@jit
def mirror_log_encode(x: Any, p: Any) -> Any:
    """Take scene-linear to a value of a log curve that is mirrored about black."""
    if x > p[6]:
        return p[0] * log2(p[9] + p[1] * x) + p[2]
    if x < -p[6]:
        return p[3] - p[0] * log2(p[9] - p[1] * x)
    return p[4] * x + p[5]


@jit
def two_log_decode(v: Any, p: Any) -> Any:
    """Take a value of two joined logs to scene-linear."""
    q = exp2((v - p[1]) / p[0])
    q = q if v >= p[4] else (q - p[2]) / p[6]
    return q if v == v else v


@jit
def two_log_encode(x: Any, p: Any) -> Any:
    """Take scene-linear to a value of two joined logs."""
    if x >= p[3]:
        return p[0] * log2(x) + p[1]
    if x >= p[3] - p[3]:
        return p[0] * log2(p[6] * x + p[2]) + p[1]
    return p[5] if x == x else x


@jit
def pq_decode(v: Any, p: Any) -> Any:
    """Take a PQ value to display light."""
    a = abs(v)
    q = exp2(log2(a if a > p[11] else p[11]) * p[6])
    n = (q - p[2]) / (p[3] - p[4] * q)
    n = exp2(log2(n if n > p[8] * p[7] else p[8] * p[7]) * p[5]) / p[7]
    n = n if a > p[11] else a / p[9]
    return n if v > p[8] - p[8] else -n


@jit
def pq_encode(x: Any, p: Any) -> Any:
    """Take display light to a PQ value."""
    a = abs(x)
    y = exp2(log2((a if a > p[8] else p[8]) * p[7]) * p[0])
    c = exp2(log2((p[2] + p[3] * y) / (p[10] + p[4] * y)) * p[1])
    c = c if a > p[8] else a * p[9]
    return c if x > p[8] - p[8] else -c


@jit
def hlg_decode(v: Any, p: Any) -> Any:
    """Take an HLG value to scene-linear."""
    a = abs(v)
    q = a * a if a > p[8] else a / p[7]
    q = (exp2((a - p[2]) / p[0]) + p[1]) / p[5] if a > p[4] else q
    return q if v > p[6] - p[6] else -q


@jit
def hlg_encode(x: Any, p: Any) -> Any:
    """Take scene-linear to an HLG value."""
    a = abs(x)
    c = exp2(log2(a if a > p[6] else p[6]) * p[9]) if a > p[6] else a * p[7]
    c = p[0] * log2(p[5] * (a if a > p[3] else p[3]) - p[1]) + p[2] if a > p[3] else c
    return c if x > p[6] - p[6] else -c


@jit
def table_decode(v: Any, t: Any, at: int) -> Any:
    """Look a code up in the table that begins at t[at]."""
    top = int(t[at]) - 2
    pos = (v - t[at + 1]) / t[at + 2]
    i = int(pos) if pos > 0 else 0  # a NaN goes to the bottom and comes out as NaN
    i = i if i < top else top
    low = t[at + 3 + i]
    return low + (pos - t.dtype.type(i)) * (t[at + 4 + i] - low)


@jit
def table_encode(x: Any, t: Any, at: int) -> Any:
    """Find the code of a value in the table that begins at t[at]."""
    low, left = 0, int(t[at]) - 1
    while left > 1:  # halved without a branch, which would be guessed wrong half of the time
        half = left >> 1
        low += half if t[at + 3 + low + half] <= x else 0
        left -= half
    base = t[at + 3 + low]
    pos = t.dtype.type(low) + (x - base) / (t[at + 4 + low] - base)
    return t[at + 1] + pos * t[at + 2]
