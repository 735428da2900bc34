"""Whites: chromaticity, correlated colour temperature and distance from the Planckian locus."""

from __future__ import annotations

import functools
from typing import Final

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


_ENDS: Final = (-600.0, 1000.0)  # mired that a scale of whites goes to
_STEPS: Final = 20  # of the search for the nearest point of the locus


@functools.cache
def _scale() -> tuple[NDArray[np.float64], NDArray[np.float64], NDArray[np.float64]]:
    """Mired, uv and how uv changes with a mired, below the locus' end straight on."""
    mired, uv = _locus()
    first = (uv[20] - uv[0]) / (mired[20] - mired[0])
    before = np.arange(_ENDS[0], mired[0], mired[1] - mired[0])
    straight = uv[0] + (before - mired[0])[:, None] * first
    places, whole = np.concatenate([before, mired]), np.concatenate([straight, uv])
    return places, whole, np.gradient(whole, places, axis=0)


def _on_scale(mired: NDArray[np.float64]) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    """Return uv (..., 2) on the locus, and its change with a mired."""
    places, uv, slope = _scale()
    foot, along = (
        np.stack([np.interp(mired, places, of[:, i]) for i in range(2)], axis=-1)
        for of in (uv, slope)
    )
    return foot, along


def white_at(mired: float, duv: float) -> NDArray[np.float64]:
    """Return the white (3,) XYZ, Y = 1, at a place of the scale of whites.

    Parameters
    ----------
    mired : float
        -600 to 1000 reciprocal megakelvin. Below 10, where there is no colour temperature any more,
        the scale goes on straight, so that it has no end that a dial could meet.
    duv : float
        Distance in CIE 1960 uv, positive towards green.

    Source: CIE 15:2018 section 9.5; the inverse of `mired_and_duv`.
    """
    foot, along = _on_scale(np.asarray(np.clip(mired, *_ENDS), np.float64))
    normal = np.array([-along[1], along[0]]) / np.hypot(*along)
    u, v = foot + duv * np.where(normal[1] > 0, 1.0, -1.0) * normal
    return xy_to_xyz(np.array([3 * u, 2 * v]) / (2 * u - 8 * v + 4))


def mired_and_duv(xyz: ArrayLike) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    """Return where whites stand on the scale of `white_at`.

    Parameters
    ----------
    xyz : (..., 3)
        Any scale; positive sums.

    Returns
    -------
    mired, duv : (...) float64
        Of the nearest point of the locus; a strong colour has none of use.

    Source: CIE 15:2018 section 9.5; the nearest point by Gauss and Newton's steps.
    """
    point = xyz_to_uv(xyz)
    mired = np.full(point.shape[:-1], 200.0)
    for _ in range(_STEPS):
        foot, along = _on_scale(mired)
        step = ((point - foot) * along).sum(axis=-1) / (along**2).sum(axis=-1)
        mired = np.clip(mired + np.clip(step, -60.0, 60.0), *_ENDS)
    foot, along = _on_scale(mired)
    normal = np.stack([-along[..., 1], along[..., 0]], axis=-1)
    normal = normal / np.hypot(along[..., 0], along[..., 1])[..., None]
    normal = np.where(normal[..., 1:] > 0, normal, -normal)
    return mired, np.asarray(((point - foot) * normal).sum(axis=-1), np.float64)


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
