"""CIE L*a*b*, the CIEDE2000 colour difference, and the difference in ICtCp."""

from __future__ import annotations

from typing import Final

import numpy as np
from numpy.typing import ArrayLike, NDArray

_EPS = (6 / 29) ** 3
_25_POW_7 = 25.0**7


def xyz_to_lab(xyz: ArrayLike, white_xyz: ArrayLike) -> NDArray[np.float64]:
    """Turn XYZ into L*a*b*.

    Parameters
    ----------
    xyz : (..., 3) float
        Same scale as the white; negatives follow the linear part.
    white_xyz : (3,) float
        The white that gets L* = 100.

    Source: CIE 15:2018, equations 8.3 to 8.9.
    """
    t = np.asarray(xyz, np.float64) / np.asarray(white_xyz, np.float64)
    f = np.where(t > _EPS, np.cbrt(np.maximum(t, _EPS)), t * (841 / 108) + 4 / 29)
    return np.stack(
        [
            116 * f[..., 1] - 16,
            500 * (f[..., 0] - f[..., 1]),
            200 * (f[..., 1] - f[..., 2]),
        ],
        axis=-1,
    )


def lab_to_xyz(lab: ArrayLike, white_xyz: ArrayLike) -> NDArray[np.float64]:
    """Turn L*a*b* (..., 3) into XYZ in the scale of the white (3,).

    Source: CIE 15:2018, equations 8.14 to 8.19.
    """
    light, a, b = np.moveaxis(np.asarray(lab, np.float64), -1, 0)
    fy = (light + 16) / 116
    f = np.stack([fy + a / 500, fy, fy - b / 200], axis=-1)
    t = np.where(f > 6 / 29, f**3, (f - 4 / 29) * 108 / 841)
    return np.asarray(t * np.asarray(white_xyz, np.float64), np.float64)


def delta_e_2000(lab_1: ArrayLike, lab_2: ArrayLike) -> NDArray[np.float64]:
    """Return the CIEDE2000 difference of L*a*b* values, k_L = k_C = k_H = 1.

    Parameters
    ----------
    lab_1, lab_2 : (..., 3) float
        Broadcast against each other.

    Returns
    -------
    (...) float64

    Source: Sharma, Wu, Dalal (2005), "The CIEDE2000 Color-Difference Formula: Implementation
    Notes, Supplementary Test Data, and Mathematical Observations", equations 2 to 22.
    """
    p, q = np.broadcast_arrays(np.asarray(lab_1, np.float64), np.asarray(lab_2, np.float64))
    l1, a1, b1 = np.moveaxis(p, -1, 0)
    l2, a2, b2 = np.moveaxis(q, -1, 0)
    c_mean7 = ((np.hypot(a1, b1) + np.hypot(a2, b2)) / 2) ** 7
    g = 0.5 * (1 - np.sqrt(c_mean7 / (c_mean7 + _25_POW_7)))
    a1, a2 = (1 + g) * a1, (1 + g) * a2
    c1, c2 = np.hypot(a1, b1), np.hypot(a2, b2)
    h1 = np.degrees(np.arctan2(b1, a1)) % 360
    h2 = np.degrees(np.arctan2(b2, a2)) % 360
    chromatic = c1 * c2 != 0
    dh = h2 - h1
    dh = np.where(dh > 180, dh - 360, np.where(dh < -180, dh + 360, dh))
    dh = np.where(chromatic, dh, 0.0)
    d_h = 2 * np.sqrt(c1 * c2) * np.sin(np.radians(dh) / 2)
    d_l, d_c = l2 - l1, c2 - c1
    l_mean, c_mean = (l1 + l2) / 2, (c1 + c2) / 2
    h_sum = h1 + h2
    h_mean = np.where(
        np.abs(h1 - h2) <= 180,
        h_sum / 2,
        np.where(h_sum < 360, (h_sum + 360) / 2, (h_sum - 360) / 2),
    )
    h_mean = np.where(chromatic, h_mean, h_sum)
    t = (
        1
        - 0.17 * np.cos(np.radians(h_mean - 30))
        + 0.24 * np.cos(np.radians(2 * h_mean))
        + 0.32 * np.cos(np.radians(3 * h_mean + 6))
        - 0.20 * np.cos(np.radians(4 * h_mean - 63))
    )
    d_theta = 30 * np.exp(-(((h_mean - 275) / 25) ** 2))
    c7 = c_mean**7
    r_t = -2 * np.sqrt(c7 / (c7 + _25_POW_7)) * np.sin(np.radians(2 * d_theta))
    l50 = (l_mean - 50) ** 2
    s_l = 1 + 0.015 * l50 / np.sqrt(20 + l50)
    s_c, s_h = 1 + 0.045 * c_mean, 1 + 0.015 * c_mean * t
    kl, kc, kh = d_l / s_l, d_c / s_c, d_h / s_h
    return np.asarray(np.sqrt(np.maximum(kl**2 + kc**2 + kh**2 + r_t * kc * kh, 0)), np.float64)


# ITU-R BT.2100-2, table 7: BT.2020 to LMS, and L'M'S' to I, C_T, C_P.
_TO_LMS = np.array([[1688, 2146, 262], [683, 2951, 462], [99, 309, 3688]]) / 4096
_TO_ICTCP = np.array([[2048, 2048, 0], [6610, -13613, 7003], [17933, -17390, -543]]) / 4096
# SMPTE ST 2084:2014 (BT.2100-2, table 4): m1, m2, c1, c2, c3.
PQ_CONSTANTS: Final = (
    2610 / 16384, 2523 / 4096 * 128, 3424 / 4096, 2413 / 4096 * 32, 2392 / 4096 * 32,
)  # fmt: skip


def _pq(nits: NDArray[np.float64]) -> NDArray[np.float64]:
    """SMPTE ST 2084 (BT.2100-2, table 4): light in cd/m2 to a signal."""
    m1, m2, c1, c2, c3 = PQ_CONSTANTS
    y = (np.maximum(nits, 0) / 10000) ** m1
    return np.asarray(((c1 + c2 * y) / (1 + c3 * y)) ** m2, np.float64)


def delta_e_itp(rgb_1: ArrayLike, rgb_2: ArrayLike) -> NDArray[np.float64]:
    """Return the difference of BT.2020 colours in ITP; one is about a just visible step.

    Unlike CIEDE2000 it is meant for saturated and bright colours too.

    Parameters
    ----------
    rgb_1, rgb_2 : (..., 3) float
        Linear light in cd/m2; LMS below zero count as zero.

    Source: ITU-R BT.2124-0, equation 1; BT.2100-2, table 7.
    """
    first, second = (
        _pq(np.asarray(v, np.float64) @ _TO_LMS.T) @ _TO_ICTCP.T for v in (rgb_1, rgb_2)
    )
    step = (first - second) * np.array([1, 0.5, 1])
    return np.asarray(720 * np.sqrt((step**2).sum(axis=-1)), np.float64)
