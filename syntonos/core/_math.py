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
def _bits(typingctx: Any, x: Any) -> Any:
    """Reinterpret a float32 as int32."""

    def codegen(context: Any, builder: Any, sig: Any, args: Any) -> Any:
        return builder.bitcast(args[0], context.get_value_type(types.int32))

    return types.int32(types.float32), codegen


@intrinsic  # type: ignore[untyped-decorator]
def _float(typingctx: Any, i: Any) -> Any:
    """Reinterpret an int32 as float32."""

    def codegen(context: Any, builder: Any, sig: Any, args: Any) -> Any:
        return builder.bitcast(args[0], context.get_value_type(types.float32))

    return types.float32(types.int32), codegen


_SQRT_HALF_BITS = np.int32(0x3F3504F3)
_MANTISSA = np.int32(23)
_ONE = np.float32(1.0)
_S1, _S3, _S5, _S7 = (np.float32(2 / math.log(2) / k) for k in (1, 3, 5, 7))
_S9 = np.float32(2 / math.log(2) / 9)
_E1, _E2, _E3, _E4, _E5, _E6, _E7 = (
    np.float32(math.log(2) ** k / math.factorial(k)) for k in range(1, 8)
)
_EXP_TOP, _EXP_BOTTOM, _HALF = np.float32(127.999), np.float32(-126.0), np.float32(0.5)
_BIAS = np.int32(127)


def log2(x: Any) -> Any:
    """Return the logarithm to base two of x > 0 (within 6e-7 in float32)."""
    return math.log2(x)


def exp2(x: Any) -> Any:
    """Return two to the power of x (within 3e-7 relative in float32)."""
    return 2.0**x


@overload(log2, inline="always")  # type: ignore[untyped-decorator]
def _log2_overload(x: Any) -> Any:
    if x == types.float32:

        def fast(x: Any) -> Any:
            # x = 2^e m with m in sqrt(1/2)..sqrt(2); log2 m by the series in (m-1)/(m+1).
            bits = _bits(x)
            e = (bits - _SQRT_HALF_BITS) >> _MANTISSA
            m = _float(np.int32(bits - (e << _MANTISSA)))
            s = (m - _ONE) / (m + _ONE)
            q = s * s
            return np.float32(e) + s * (_S1 + q * (_S3 + q * (_S5 + q * (_S7 + q * _S9))))

        return fast

    def exact(x: Any) -> Any:
        return math.log2(x)

    return exact


@overload(exp2, inline="always")  # type: ignore[untyped-decorator]
def _exp2_overload(x: Any) -> Any:
    if x == types.float32:

        def fast(x: Any) -> Any:
            c = min(max(x, _EXP_BOTTOM), _EXP_TOP)
            n = np.int32(math.floor(c + _HALF))
            f = c - np.float32(n)
            p = _ONE + f * (
                _E1 + f * (_E2 + f * (_E3 + f * (_E4 + f * (_E5 + f * (_E6 + f * _E7)))))
            )
            return p * _float(np.int32((n + _BIAS) << _MANTISSA))

        return fast

    def exact(x: Any) -> Any:
        return 2.0**x

    return exact


__all__ = ["exp2", "log2"]
