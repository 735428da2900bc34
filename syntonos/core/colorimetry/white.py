"""Whites: chromaticity, correlated colour temperature and distance from the Planckian locus."""

from __future__ import annotations

import functools

import numpy as np
from numpy.typing import ArrayLike, NDArray

# Planck's second constant as the CIE uses it for the locus (ITS-90), metre kelvin.
_C2 = 1.438776877e-2


def xy_to_xyz(xy: ArrayLike) -> NDArray[np.float64]:
    """Turn chromaticity (..., 2) into XYZ with Y = 1, shape (..., 3)."""
    pair = np.asarray(xy, np.float64)
    x, y = pair[..., 0], pair[..., 1]
    return np.stack([x / y, np.ones_like(x), (1 - x - y) / y], axis=-1)


def xyz_to_uv(xyz: ArrayLike) -> NDArray[np.float64]:
    """Turn XYZ (..., 3) into CIE 1960 u, v, shape (..., 2)."""
    v = np.asarray(xyz, np.float64)
    d = v[..., 0] + 15 * v[..., 1] + 3 * v[..., 2]
    return np.stack([4 * v[..., 0] / d, 6 * v[..., 1] / d], axis=-1)


@functools.cache
def _locus() -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    """Mired values and CIE 1960 uv of the locus, from Planck's law and the 1931 observer."""
    from syntonos.core.colorimetry._observer import CMF_1931_5NM

    nm, cmf = CMF_1931_5NM[:, 0], CMF_1931_5NM[:, 1:]
    mired = np.arange(10.0, 1001.0, 0.5)
    kelvin = 1e6 / mired
    wavelength = nm[None, :] * 1e-9
    spectra = wavelength**-5.0 / np.expm1(_C2 / (wavelength * kelvin[:, None]))
    spectra /= spectra.max(axis=1, keepdims=True)
    return mired, xyz_to_uv(spectra @ cmf)


def locus_white(mired: float, duv: float) -> NDArray[np.float64]:
    """Return the white (3,) XYZ, Y = 1, at a place on the locus and a distance from it.

    Parameters
    ----------
    mired : float
        10 to 1000 reciprocal megakelvin; beyond, the end of the locus is taken.
    duv : float
        Distance in CIE 1960 uv, positive towards green.

    Source: CIE 15:2018 section 9.5; the inverse of `white_to_cct_duv`.
    """
    places, uv = _locus()
    at = float(np.clip(mired, places[0], places[-1]))
    foot = np.array([np.interp(at, places, uv[:, i]) for i in range(2)])
    step = 1.0
    ends = [[np.interp(at + d, places, uv[:, i]) for i in range(2)] for d in (-step, step)]
    along = np.subtract(ends[1], ends[0])
    normal = np.array([-along[1], along[0]]) / np.hypot(*along)
    normal = normal if normal[1] > 0 else -normal
    u, v = foot + duv * normal
    xy = np.array([3 * u, 2 * v]) / (2 * u - 8 * v + 4)
    return xy_to_xyz(xy)


def white_to_cct_duv(xyz: ArrayLike) -> tuple[float, float]:
    """Return correlated colour temperature and Duv of a white.

    Parameters
    ----------
    xyz : (3,) float
        The white, any scale; positive sum.

    Returns
    -------
    kelvin : float
        1000 to 100 000 K; whites beyond the locus' ends are given its end.
    duv : float
        Distance from the locus in CIE 1960 uv, positive towards green.

    Source: CIE 15:2018 section 9.5 (definition); the nearest point is found on segments of the
    locus half a mired long, computed from Planck's law.
    """
    mired, uv = _locus()
    point = xyz_to_uv(xyz)
    start, step = uv[:-1], np.diff(uv, axis=0)
    along = np.clip(((point - start) * step).sum(1) / (step**2).sum(1), 0, 1)
    foot = start + along[:, None] * step
    distance = np.hypot(*(point - foot).T)
    i = int(np.argmin(distance))
    sign = 1.0 if point[1] >= foot[i, 1] else -1.0
    return 1e6 / float(mired[i] + along[i] * 0.5), sign * float(distance[i])
