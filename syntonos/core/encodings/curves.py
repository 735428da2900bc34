"""Curves: published transfer functions as a family with parameters, and their array functions."""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import Any, TypeVar

import numpy as np
from numpy.typing import NDArray

from syntonos.core._jit import jit
from syntonos.core.colorimetry.difference import PQ_CONSTANTS
from syntonos.core.encodings import loops, scalar
from syntonos.core.encodings.levels import LEGAL_OFFSET, LEGAL_SCALE
from syntonos.core.encodings.scalar import (
    CUBE_LOG,
    HLG,
    LINEAR,
    LOG_LIN,
    MIRROR_LOG,
    POWER,
    POWER_LIN,
    PQ,
    TABLE,
    TWO_LOG,
)

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


def log_with_tangent(
    slug: str, name: str, *, log: tuple[float, float, float, float], cut_lin: float, source: str
) -> Curve:
    """Build code = a log10(b lin + c) + d from cut_lin up, continued by its tangent below.

    What a publication leaves open under its black is decided so: straight on, and invertible.
    """
    a, b, c, d = log
    slope = a / math.log(10) * b / (b * cut_lin + c)
    at_cut = a * math.log10(b * cut_lin + c) + d
    lin = (slope, at_cut - slope * cut_lin)
    return _log_lin(slug, name, log=log, lin=lin, cut_lin=cut_lin, source=source)


# EI: cut, c, d of the log, its offset, and the straight part's slope and offset.
_LOG_C3 = {
    160: (0.005561, 0.080216, 0.269036, 0.381991, 5.842037, 0.092778),
    200: (0.006208, 0.076621, 0.266007, 0.382478, 5.776265, 0.092782),
    250: (0.006871, 0.072941, 0.262978, 0.382966, 5.710494, 0.092786),
    320: (0.007622, 0.068768, 0.259627, 0.383508, 5.637732, 0.092791),
    400: (0.008318, 0.064901, 0.256598, 0.383999, 5.571960, 0.092795),
    500: (0.009031, 0.060939, 0.253569, 0.384493, 5.506188, 0.092800),
    640: (0.009840, 0.056443, 0.250219, 0.385040, 5.433426, 0.092805),
    800: (0.010591, 0.052272, 0.247190, 0.385537, 5.367655, 0.092809),
    1000: (0.011361, 0.047996, 0.244161, 0.386036, 5.301883, 0.092814),
    1280: (0.012235, 0.043137, 0.240810, 0.386590, 5.229121, 0.092819),
    1600: (0.013047, 0.038625, 0.237781, 0.387093, 5.163350, 0.092824),
}


def _log_c3(index: int) -> Curve:
    cut, b, c, d, e, f = _LOG_C3[index]
    return _log_lin(
        f"logc3-ei{index}", f"LogC3 EI {index}", log=(c, 5.555556, b, d), lin=(e, f), cut_lin=cut,
        source="Log C Curve: Usage in VFX (2012), table of linear scene exposure factors",
    )  # fmt: skip


def _s_log(slug: str, name: str, gain: float, source: str) -> Curve:
    # Published for IRE / 100 = reflectance / 0.9, as a share of the range 64..940.
    size, black = LEGAL_SCALE, LEGAL_OFFSET
    k = gain / 0.9
    return _log_lin(
        slug, name, log=(0.432699 * size, k, 0.037584, (0.616596 + 0.03) * size + black),
        lin=(5 * k * size, 0.030001222851889303 * size + black), cut_lin=0.0, source=source,
    )  # fmt: skip


def _c_log(
    slug: str, name: str, *, log: tuple[float, float], ends: tuple[float, float],
    straight: tuple[float, float] | None = None, cut: float = 0.0,
) -> Curve:  # fmt: skip
    """Build a curve that is mirrored about black; published for IRE / 100 = reflectance / 0.9."""
    (a, b), (c, d) = log, ends
    a2, b = a * math.log10(2), b / 0.9
    cut *= 0.9
    e, f = (straight[0] / 0.9, straight[1]) if straight else (a2 * b / math.log(2), c)
    low, high = (e * -cut + f, e * cut + f)
    params = (a2, b, c, d, e, f, cut, low, high, 1.0)
    source = "Log Gamma Curves, activation of log recording, version 1.2 (2020)"
    return Curve(slug, name, MIRROR_LOG, params, source)


def _acescc() -> Curve:
    a, d, h, cut = 1 / 17.52, 9.72 / 17.52, 2.0**-16, 2.0**-15
    params = (a, d, h, cut, a * -15 + d, a * -16 + d, 0.5)
    return Curve("acescc", "ACEScc", TWO_LOG, params, "Academy S-2014-003, section 4.4")


def _pq() -> Curve:
    m1, m2, c1, c2, c3 = PQ_CONSTANTS
    tiny, share = 1e-7, 0.01
    y = (tiny * share) ** m1
    code = ((c1 + c2 * y) / (1 + c3 * y)) ** m2
    params = (m1, m2, c1, c2, c3, 1 / m1, 1 / m2, share, tiny, code / tiny, 1.0, code)
    return Curve("pq", "PQ, 1.0 = 100 cd/m²", PQ, params, "SMPTE ST 2084:2014", is_display=True)


def _hlg() -> Curve:
    a = 0.17883277
    b = 1 - 4 * a
    c = 0.5 - a * math.log(4 * a)
    tiny = 1e-7
    params = (
        a * math.log(2), b, c, 0.25, 0.5, 4.0, tiny, tiny**-0.5, tiny**0.5, 0.5,
    )  # fmt: skip
    return Curve("hlg", "HLG", HLG, params, "ITU-R BT.2100-2, table 5; light 3 at signal 1",
                 is_display=True)  # fmt: skip


def table_curve(slug: str, name: str, lin: Any, source: str, *, first: float = 0.0,
                last: float = 1.0) -> Curve:  # fmt: skip
    """Build a curve from light at evenly spaced codes.

    Parameters
    ----------
    lin : (n,) float
        Scene-linear at codes first..last, strictly rising; straight between and beyond.
    """
    values = np.asarray(lin, np.float64)
    step = (last - first) / (len(values) - 1)
    return Curve(slug, name, TABLE, (float(len(values)), first, step, *map(float, values)), source)


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


def _cineon() -> Curve:
    black = 10 ** ((95 - 685) / 300)
    return log_with_tangent(
        "cineon", "Cineon", log=(300 / 1023, 1 - black, black, 685 / 1023), cut_lin=0.0,
        source="film scans in log: white 685, black 95, 0.002 density per code, gamma 0.6",
    )  # fmt: skip


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
        *(_log_c3(index) for index in _LOG_C3),
        _s_log("s-log", "S-Log", 1.0, "S-Log technical paper (2009)"),
        _s_log("s-log2", "S-Log2", 155 / 219, "S-Log2 technical paper (2012)"),
        _c_log("c-log", "C-Log", log=(0.45310179, 10.1596), ends=(0.12512248, 0.12512248)),
        _c_log("c-log2", "C-Log 2", log=(0.24136077, 87.09937546), ends=(0.092864125,) * 2),
        _c_log(
            "c-log3",
            "C-Log 3",
            log=(0.36726845, 14.98325),
            ends=(0.12240537, 0.12783901),
            straight=(1.9754798, 0.12512219),
            cut=0.014,
        ),
        log_with_tangent(
            "protune",
            "Protune",
            log=(1 / math.log10(113), 112.0, 1.0, 0.0),
            cut_lin=0.0,
            source="Protune curve, as in colour-science (2016)",
        ),
        _cineon(),
        _acescc(),
        log_with_tangent(
            "acesproxy",
            "ACESproxy (10 bit)",
            cut_lin=2.0**-9.72,
            log=(50 / math.log10(2) / 1023, 1.0, 0.0, (2.5 * 50 + 425) / 1023),
            source="Academy S-2013-001; without its rounding to whole codes",
        ),
        _log_lin(
            "f-log",
            "F-Log",
            log=(0.344676, 0.555556, 0.009468, 0.790453),
            lin=(8.735631, 0.092864),
            cut_lin=0.00089,
            cut_code=0.100537775223865,
            source="F-Log Data Sheet 1.2",
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
        _power("gamma2.2", "gamma 2.2", 2.2, "pure power"),
        _power("gamma2.4", "gamma 2.4", 2.4, "pure power"),
        _power("gamma2.6", "gamma 2.6", 2.6, "SMPTE RP 431-2, pure power"),
        Curve(
            "bt709",
            "BT.709 camera curve",
            POWER_LIN,
            (1 / 0.45, 0.45, 1.099, 0.099, 4.5, 0.018, 0.018 * 4.5),
            "ITU-R BT.709-6, item 1.2 (constants for 10 bit)",
        ),
        _pq(),
        _hlg(),
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
def _apply_table(values: Any, out: Any, inverse: bool, table: Any) -> None:
    for i in range(values.size):
        v = values[i]
        out[i] = scalar.table_decode(v, table, 0) if inverse else scalar.table_encode(v, table, 0)


def _run(values: A, curve: Curve, *, inverse: bool) -> A:
    array = np.ascontiguousarray(values)
    if array.dtype not in (np.float32, np.float64):
        array = array.astype(np.float64)
    params = np.array(curve.params, array.dtype)
    if curve.family == TABLE:
        out = np.empty_like(array)
        _apply_table(array.reshape(-1), out.reshape(-1), inverse, params)
    else:
        out = array.copy()
        params = np.pad(params, (0, 12 - params.size))
        loops.run_curve(out.reshape(-1), curve.family, inverse, params)
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
    """Turn linear light into values of a curve: of any shape, by the rules of `decode`."""
    return _run(lin_rgb, curve, inverse=False)
