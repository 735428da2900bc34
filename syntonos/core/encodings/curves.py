"""Curves: published transfer functions as a family with parameters, and their array functions."""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import Any, TypeVar

import numpy as np
from numpy.typing import NDArray

from syntonos.core._jit import jit
from syntonos.core.encodings import scalar
from syntonos.core.encodings.scalar import CUBE_LOG, LINEAR, LOG_LIN, POWER, POWER_LIN

A = TypeVar("A", NDArray[np.float32], NDArray[np.float64])


@dataclass(frozen=True, slots=True)
class Curve:
    """A transfer function: which family, with which parameters, from which document."""

    slug: str
    name: str  # the published designation
    family: int
    params: tuple[float, ...]
    source: str
    is_display: bool = False


def _log_lin(
    slug: str,
    name: str,
    *,
    log: tuple[float, float, float, float],
    lin: tuple[float, float],
    cut_lin: float,
    source: str,
    cut_code: float | None = None,
) -> Curve:
    """Build a curve from code = a log10(b lin + c) + d and code = e lin + f below cut_lin."""
    a, b, c, d = log
    e, f = lin
    if cut_code is None:
        cut_code = e * cut_lin + f
    params = (a * math.log10(2), b, c, d, e, f, cut_lin, cut_code)
    return Curve(slug, name, LOG_LIN, params, source)


def _s_log3() -> Curve:
    slope = (171.2102946929 - 95) / (0.01125 * 1023)
    return _log_lin(
        "s-log3",
        "S-Log3",
        log=(261.5 / 1023, 1 / 0.19, 0.01 / 0.19, 420 / 1023),
        lin=(slope, 95 / 1023),
        cut_lin=0.01125,
        cut_code=171.2102946929 / 1023,
        source="Technical Summary for S-Gamut3.Cine/S-Log3 and S-Gamut3/S-Log3, appendix",
    )


def _log_c4() -> Curve:
    a, b, c = (2**18 - 16) / 117.45, (1023 - 95) / 1023, 95 / 1023
    s = (7 * math.log(2) * 2 ** (7 - 14 * c / b)) / (a * b)
    t = (2 ** (14 * (-c / b) + 6) - 64) / a
    # code = (log2(a lin + 64) - 6) / 14 b + c; below t the tangent (lin - t) / s.
    log10_factor = b / 14 / math.log10(2)
    return _log_lin(
        "logc4",
        "LogC4",
        log=(log10_factor, a, 64, c - 6 * b / 14),
        lin=(1 / s, -t / s),
        cut_lin=t,
        cut_code=0.0,
        source="LogC4 Logarithmic Color Space Specification (2022), section 3",
    )


def _log3g10() -> Curve:
    a, b, c, g = 0.224282, 155.975327, 0.01, 15.1927
    return _log_lin(
        "log3g10",
        "Log3G10",
        log=(a, b, b * c + 1, 0.0),
        lin=(g, g * c),
        cut_lin=-c,
        cut_code=0.0,
        source="White Paper on the wide gamut RGB and Log3G10, curve of version 3",
    )


def _n_log() -> Curve:
    a, b, c, d = 650 / 1023, 0.0075, 150 / 1023, 619 / 1023
    tiny = 1e-12
    params = (
        c * math.log(2), d, a, b, 0.328, 452 / 1023, tiny, 1 / 3, a * tiny ** (-2 / 3)
    )  # fmt: skip
    return Curve("n-log", "N-Log", CUBE_LOG, params, "N-Log Specification 1.0.0 (2018)")


def _power(slug: str, name: str, gamma: float, source: str) -> Curve:
    tiny = 1e-7  # below it the root is replaced by a chord: no infinite slope, no log of zero
    params = (gamma, 1 / gamma, tiny, tiny ** (1 / gamma - 1), tiny ** (1 / gamma), 0.0)
    return Curve(slug, name, POWER, params, source, is_display=True)


CURVES: dict[str, Curve] = {
    curve.slug: curve
    for curve in (
        _s_log3(),
        _log_lin(
            "logc3-ei800",
            "LogC3 EI 800",
            log=(0.247190, 5.555556, 0.052272, 0.385537),
            lin=(5.367655, 0.092809),
            cut_lin=0.010591,
            source="Log C Curve: Usage in VFX (2012), table of linear scene exposure factors",
        ),
        _log_c4(),
        _log_lin(
            "v-log",
            "V-Log",
            log=(0.241514, 1.0, 0.00873, 0.598206),
            lin=(5.6, 0.125),
            cut_lin=0.01,
            cut_code=0.181,
            source="V-Log/V-Gamut reference manual (2014)",
        ),
        _log3g10(),
        _log_lin(
            "f-log2",
            "F-Log2",
            log=(0.245281, 5.555556, 0.064829, 0.384316),
            lin=(8.799461, 0.092864),
            cut_lin=0.000889,
            cut_code=0.100686685370811,
            source="F-Log2 Data Sheet 1.0",
        ),
        _n_log(),
        _log_lin(
            "d-log",
            "D-Log",
            log=(0.256663, 0.9892, 0.0108, 0.584555),
            lin=(6.025, 0.0929),
            cut_lin=0.0078,
            cut_code=0.14,
            source="White Paper on D-Log and D-Gamut (2017)",
        ),
        _log_lin(
            "acescct",
            "ACEScct",
            log=(1 / (17.52 * math.log10(2)), 1.0, 0.0, 9.72 / 17.52),
            lin=(10.5402377416545, 0.0729055341958355),
            cut_lin=0.0078125,
            cut_code=0.155251141552511,
            source="Academy S-2016-001, section 4.4",
        ),
        Curve("linear", "linear", LINEAR, (), "identity"),
        _power("bt1886", "BT.1886", 2.4, "ITU-R BT.1886, L_W = 1, L_B = 0"),
        Curve(
            "srgb",
            "sRGB",
            POWER_LIN,
            (2.4, 1 / 2.4, 1.055, 0.055, 12.92, 0.0031308, 0.0031308 * 12.92),
            "IEC 61966-2-1:1999",
            is_display=True,
        ),
    )
}


@jit
def _apply(values: Any, out: Any, family: int, inverse: bool, p: Any) -> None:
    for i in range(values.size):
        v = values[i]
        if family == LOG_LIN:
            out[i] = scalar.log_lin_decode(v, p) if inverse else scalar.log_lin_encode(v, p)
        elif family == CUBE_LOG:
            out[i] = scalar.cube_log_decode(v, p) if inverse else scalar.cube_log_encode(v, p)
        elif family == POWER:
            out[i] = scalar.power_decode(v, p) if inverse else scalar.power_encode(v, p)
        elif family == POWER_LIN:
            out[i] = scalar.power_lin_decode(v, p) if inverse else scalar.power_lin_encode(v, p)
        else:
            out[i] = v


def _run(values: A, curve: Curve, *, inverse: bool) -> A:
    array = np.ascontiguousarray(values)
    if array.dtype not in (np.float32, np.float64):
        array = array.astype(np.float64)
    out = np.empty_like(array)
    params = np.array(curve.params or (0.0,), array.dtype)
    _apply(array.reshape(-1), out.reshape(-1), curve.family, inverse, params)
    return out


def decode(log_rgb: A, curve: Curve) -> A:
    """Turn values of a curve into linear light.

    Parameters
    ----------
    log_rgb : (...) float32 or float64
        Curve values, 0..1 of the curve's own scale (levels already taken off). Values outside
        follow the curve, unclipped.
    curve : Curve

    Returns
    -------
    (...), dtype of the input
        Scene-linear reflectance for a log curve: 0.18 is middle grey, unbounded, below 0 under
        black. Display light for a display curve. NaN stays NaN.

    Source: the document named in ``curve.source``.
    """
    return _run(log_rgb, curve, inverse=True)


def encode(lin_rgb: A, curve: Curve) -> A:
    """Turn linear light into values of a curve: the inverse of `decode`, same shapes and rules."""
    return _run(lin_rgb, curve, inverse=False)
