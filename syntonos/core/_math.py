"""Logarithm and power to base two: exact in float64, fast polynomials in float32.

One name, two precisions: `log2(x)` and `exp2(x)` are chosen by the type of x when a kernel is
compiled, so a formula that is written once runs exactly on fits and fast on pixels.
"""

from __future__ import annotations

import math
from typing import Any

import numpy as np
from numba import types
from numba.extending import intrinsic, overload


@intrinsic  # type: ignore[untyped-decorator]
def _split(typingctx: Any, x: Any) -> Any:
    """Return (e, m) of a float32 x = 2^e m, m in sqrt(1/2)..sqrt(2), both as float32.

    In 32 bit throughout: numba's own integers are 64 bit wide and cost half of the vectors.
    """

    def codegen(context: Any, builder: Any, sig: Any, args: Any) -> Any:
        i32 = context.get_value_type(types.int32)
        f32 = context.get_value_type(types.float32)
        mantissa = i32(23)
        bits = builder.bitcast(args[0], i32)
        e = builder.ashr(builder.sub(bits, i32(0x3F3504F3)), mantissa)
        m = builder.bitcast(builder.sub(bits, builder.shl(e, mantissa)), f32)
        return context.make_tuple(builder, sig.return_type, (builder.sitofp(e, f32), m))

    return types.UniTuple(types.float32, 2)(types.float32), codegen


@intrinsic  # type: ignore[untyped-decorator]
def _raise(typingctx: Any, p: Any, t: Any) -> Any:
    """Return float32 p times two to the integer that t = integer + 1.5 * 2^23 carries."""

    def codegen(context: Any, builder: Any, sig: Any, args: Any) -> Any:
        i32 = context.get_value_type(types.int32)
        f32 = context.get_value_type(types.float32)
        p, t = (builder.bitcast(arg, i32) for arg in args)
        return builder.bitcast(builder.add(p, builder.shl(t, i32(23))), f32)

    return types.float32(types.float32, types.float32), codegen


_ONE = np.float32(1.0)
# Smallest greatest error, by linear programming over 2001 Chebyshev points: 3.0e-8 for
# log2 m = s1 s + s3 s^3 + s5 s^5 with s = (m-1)/(m+1), and 9.1e-8 of 2^f for |f| <= 1/2.
_S1, _S3, _S5 = (np.float32(c) for c in (2.885391289370497, 0.9614708085500611, 0.5989738985213171))
_E1, _E2, _E3, _E4, _E5 = (
    np.float32(c)
    for c in (0.6931469776002886, 0.24022242085258316, 0.05550733741751479,
              0.009671512646243281, 0.0013264727630390976)
)  # fmt: skip
_EXP_TOP, _EXP_BOTTOM = np.float32(127.999), np.float32(-125.0)
_ROUND = np.float32(12582912.0)  # 1.5 * 2^23: what is added to it is rounded to an integer


def log2(x: Any) -> Any:
    """Return the logarithm to base two of x > 0 (within 6e-7 in float32)."""
    return math.log2(x)


def exp2(x: Any) -> Any:
    """Return two to the power of x (within 3e-7 relative in float32)."""
    return 2.0**x


def exp2_near(x: Any) -> Any:
    """Return two to the power of x as `exp2` does, for x between -125 and 127 only."""
    return 2.0**x


@overload(log2, inline="always")  # type: ignore[untyped-decorator]
def _log2_overload(x: Any) -> Any:
    if x == types.float32:

        def fast(x: Any) -> Any:
            e, m = _split(x)
            s = (m - _ONE) / (m + _ONE)
            q = s * s
            return e + s * (_S1 + q * (_S3 + q * _S5))

        return fast

    def exact(x: Any) -> Any:
        return math.log2(x)

    return exact


@overload(exp2, inline="always")  # type: ignore[untyped-decorator]
def _exp2_overload(x: Any) -> Any:
    if x == types.float32:

        def fast(x: Any) -> Any:
            return exp2_near(min(max(x, _EXP_BOTTOM), _EXP_TOP))

        return fast

    def exact(x: Any) -> Any:
        return 2.0**x

    return exact


@overload(exp2_near, inline="always")  # type: ignore[untyped-decorator]
def _exp2_near_overload(x: Any) -> Any:
    if x == types.float32:

        def fast(x: Any) -> Any:
            t = x + _ROUND
            f = x - (t - _ROUND)
            p = _ONE + f * (_E1 + f * (_E2 + f * (_E3 + f * (_E4 + f * _E5))))
            return _raise(p, t)

        return fast

    def exact(x: Any) -> Any:
        return 2.0**x

    return exact


__all__ = ["exp2", "exp2_near", "log2"]
