"""How noise grows with light: what it says of a curve, without any chart value.

A sensor's noise is read noise and shot noise: in scene-linear its variance is a constant and a part
in proportion to light. Under a wrong curve it is not. Noise reduction and compression change this,
so a misfit is weak evidence between log curves, and strong between a log and a display curve only.

Source: the photon transfer curve (EMVA Standard 1288, release 4.0, section 2).
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray
from scipy.optimize import nnls

from syntonos.core.encodings import Encoding, decode, take_levels_off

A = NDArray[np.float64]
_STEP = 1e-4
_LEAST_LIGHT = 1e-4
_LEAST_LEVELS = 4
_BLOCK = 4  # pixels
_FLAT = 0.004  # codes from block to block
_NEUTRAL = 0.05  # codes between channels


def temporal_noise(first: NDArray[np.float32], second: NDArray[np.float32]) -> A:
    """Return the standard deviation per channel (3,) of noise between two frames' pixels.

    Parameters
    ----------
    first, second : (n, 3) float32
        Stored code values of the same pixels in two frames, of one level or of flat areas.

    Returns
    -------
    (3,) float64
        In code values; what all pixels changed by together (flicker) is not noise, and what lies
        beyond three and a half deviations (motion, a hand) does not count.
    """
    apart = second.astype(np.float64) - first.astype(np.float64)
    apart = apart - np.median(apart, axis=0)
    sigma = np.sqrt(np.mean(apart**2, axis=0))
    for _ in range(3):
        kept = np.abs(apart) <= 3.5 * sigma + 1e-12
        sigma = np.sqrt((apart**2 * kept).sum(axis=0) / np.maximum(kept.sum(axis=0), 1))
    return np.asarray(sigma / np.sqrt(2), np.float64)


def noise_misfit(
    code: A, noise: A, encoding: Encoding, levels: str, quantum: float = 0.0
) -> float | None:
    """Return how far noise is from a constant and a part in proportion to light.

    Parameters
    ----------
    code, noise : (n,) float64
        Stored code values of one channel (or of neutrals), and the noise at each, in code values.
    encoding, levels
        What the codes are tried as.
    quantum : float
        Step between stored codes; levels with less noise than half of it are left out.

    Returns
    -------
    float or None
        rms over the levels, in stops of the standard deviation; None with fewer than four levels.
    """

    def light(value: A) -> A:
        return np.asarray(decode(take_levels_off(value, levels), encoding.curve), np.float64)

    slope = (light(code + _STEP) - light(code - _STEP)) / (2 * _STEP)
    lin = light(code)
    # Sheppard: rounding adds a twelfth of the step squared.
    own = np.sqrt(np.maximum(noise**2 - quantum**2 / 12, 0))
    used = (lin > _LEAST_LIGHT) & (own > max(0.5 * quantum, 1e-7)) & (slope > 0)
    if used.sum() < _LEAST_LEVELS:
        return None
    lin, sigma = lin[used], (own * slope)[used]
    model = np.column_stack([np.ones_like(lin), lin])
    parts, _ = nnls(model / (sigma**2)[:, None], np.ones(len(lin)))
    variance = np.maximum(model @ parts, 1e-18)
    return float(np.sqrt(np.mean((0.5 * np.log2(variance / sigma**2)) ** 2)))


def noise_by_level(
    first: NDArray[np.float32], second: NDArray[np.float32], levels: int = 16, least: int = 400
) -> tuple[A, A]:
    """Return codes (n,) and noise (n,) of the neutral, flat pixels of two following frames.

    Parameters
    ----------
    first, second : (h, w, 3) float32
        Stored code values, as recorded: not scaled, which averages noise away.
    levels : int
        Codes are gathered in as many steps over the full scale, at most.
    least : int
        Pixels that a step needs.
    """
    codes: list[float] = []
    sigmas: list[float] = []
    mean = (first + second) * np.float32(0.5)
    height, width = (n // _BLOCK * _BLOCK for n in mean.shape[:2])
    small = _blocks(mean[:height, :width])
    # Flat: no edge near, judged on means of neighbours, which noise hardly moves.
    edges = np.maximum(*(np.abs(np.gradient(small[..., 1], axis=axis)) for axis in (0, 1)))
    usable = (edges < _FLAT) & (np.ptp(small, axis=-1) < _NEUTRAL)
    step = np.clip((small[..., 1] * levels).astype(int), 0, levels - 1)
    step = np.where(usable, step, -1).repeat(_BLOCK, axis=0).repeat(_BLOCK, axis=1)
    for level in range(levels):
        chosen = step == level
        if chosen.sum() < least:
            continue
        pair = [frame[:height, :width][chosen] for frame in (first, second)]
        codes.append(float(np.mean(pair[0][:, 1]) + np.mean(pair[1][:, 1])) / 2)
        sigmas.append(float(temporal_noise(*pair)[1]))
    return np.array(codes), np.array(sigmas)


def _blocks(picture: NDArray[np.float32]) -> NDArray[np.float32]:
    """Return the means of blocks of a picture whose sides are whole blocks."""
    height, width = (n // _BLOCK for n in picture.shape[:2])
    cut = picture.reshape(height, _BLOCK, width, _BLOCK, 3)
    return np.asarray(cut.mean(axis=(1, 3)), np.float32)
