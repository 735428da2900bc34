"""Sensors: three spectral sensitivities, measured or drawn at random from several families."""

from __future__ import annotations

from typing import Final

import numpy as np
from numpy.typing import NDArray

from syntonos.core import library_keys
from syntonos.core.simulate.spectra import CMF, NM, library

Sensor = NDArray[np.float64]  # (36, 3), each channel with maximum one

# "bumps": skewed bumps with tails; "warped": a measured sensor bent in wavelength and shape;
# "dyes": edges of dyes over silicon; "eye": mixtures of the observer's functions; "plateaus":
# flat tops with steep sides over a floor.
FAMILIES: Final = ("bumps", "warped", "dyes", "eye", "plateaus")


def measured_sensor(index: int) -> Sensor:
    """Return one of the library's two measured sensors, (36, 3)."""
    data = library().MSDS_CAMERA_SENSITIVITIES[library_keys.MEASURED_SENSORS[index]]
    rows = np.stack(
        [np.interp(NM, data.wavelengths, data.values[:, i], right=0.0) for i in range(3)], axis=-1
    )
    return np.asarray(np.maximum(rows, 0) / rows.max(axis=0), np.float64)


def random_sensor(rng: np.random.Generator, family: str = "bumps") -> Sensor:
    """Draw a plausible sensor of a family.

    Returns
    -------
    (36, 3) float64, each channel with maximum one.
    """
    draw = {"bumps": _bumps, "warped": _warped, "dyes": _dyes, "eye": _eye, "plateaus": _plateaus}[
        family
    ]
    rows = draw(rng)
    return np.asarray(rows / rows.max(axis=0), np.float64)


def _bumps(rng: np.random.Generator) -> Sensor:
    """Draw three skewed bumps with tails that reach under each other."""
    centres = np.array([600, 534, 455]) + rng.normal(0, [7, 6, 6])
    left = np.array([26, 38, 27]) * rng.uniform(0.85, 1.2, 3)
    right = np.array([44, 40, 34]) * rng.uniform(0.85, 1.2, 3)
    off = NM[:, None] - centres
    body = np.exp(-0.5 * (off / np.where(off < 0, left, right)) ** 2)
    tails = np.stack(
        [
            rng.uniform(0.0, 0.09) * np.exp(-0.5 * ((NM - 455) / 35) ** 2)
            + rng.uniform(0.0, 0.10) * np.exp(-0.5 * ((NM - 535) / 30) ** 2),
            rng.uniform(0.0, 0.16) * np.exp(-0.5 * ((NM - 610) / 40) ** 2)
            + rng.uniform(0.0, 0.10) * np.exp(-0.5 * ((NM - 455) / 25) ** 2),
            rng.uniform(0.0, 0.12) * np.exp(-0.5 * ((NM - 535) / 35) ** 2),
        ],
        axis=-1,
    )
    cut = 1 / (1 + np.exp((NM - rng.uniform(665, 695)) / rng.uniform(5, 9)))
    uv = 1 / (1 + np.exp(-(NM - rng.uniform(405, 420)) / 6))
    return np.asarray((body + tails) * (cut * uv)[:, None], np.float64)


def _warped(rng: np.random.Generator) -> Sensor:
    """Bend a measured sensor: a shift and stretch per channel, a power, and some cross-talk."""
    base = measured_sensor(int(rng.random() < 0.15))
    rows = np.empty_like(base)
    for c in range(3):
        stretch, shift = rng.normal(1, 0.05), rng.normal(0, 6)
        at = (NM - 540) * stretch + 540 + shift
        rows[:, c] = np.interp(at, NM, base[:, c], left=0.0, right=0.0) ** rng.uniform(0.85, 1.25)
    cross = np.eye(3) + rng.uniform(0, 0.06, (3, 3)) * (1 - np.eye(3))
    return np.asarray(rows @ cross.T, np.float64)


def _rise(centre: float, width: float) -> NDArray[np.float64]:
    return np.asarray(1 / (1 + np.exp(-(NM - centre) / width)), np.float64)


def _dyes(rng: np.random.Generator) -> Sensor:
    """Draw dye filters over silicon behind a cut filter."""
    leak = rng.uniform(0.0, 0.05, 3)
    width = rng.uniform(6, 14, 4)
    red = leak[0] + _rise(584 + rng.normal(0, 6), width[0])
    green = leak[1] + _rise(492 + rng.normal(0, 7), width[1]) * (
        1 - (1 - rng.uniform(0, 0.1)) * _rise(588 + rng.normal(0, 6), width[2] + 2)
    )
    blue = leak[2] + (1 - _rise(503 + rng.normal(0, 7), width[3]))
    silicon = (0.55 + 0.45 * np.exp(-0.5 * ((NM - rng.uniform(540, 600)) / 120) ** 2)) * _rise(
        rng.uniform(402, 420), 6
    )
    cut = 1 - _rise(rng.uniform(645, 690), rng.uniform(6, 14))
    return np.stack([red, green, blue], axis=-1) * (silicon * cut)[:, None]


def _eye(rng: np.random.Generator) -> Sensor:
    """Mix the 1931 observer's functions to sharpened cones, and disturb them smoothly."""
    mix = np.array([[0.90, 0.35, -0.22], [-0.70, 1.55, 0.12], [0.0, 0.0, 1.0]])
    rows = np.maximum(CMF @ (mix + rng.normal(0, 0.06, (3, 3))).T, 0.002)
    centres, sizes = rng.uniform(400, 700, (3, 3)), rng.normal(0, 0.12, (3, 3))
    ripple = 1 + sum(
        sizes[k] * np.exp(-0.5 * ((NM[:, None] - centres[k]) / 35) ** 2) for k in range(3)
    )
    return np.asarray(rows * ripple, np.float64)


def _plateaus(rng: np.random.Generator) -> Sensor:
    """Draw three flat-topped bands over a floor of cross-talk, behind a cut filter."""
    centres = np.array([612, 535, 458]) + rng.normal(0, 7, 3)
    widths = np.array([48, 46, 40]) * rng.uniform(0.85, 1.2, 3)
    off = np.abs(NM[:, None] - centres) / widths
    rows = np.exp(-(off ** rng.uniform(2.2, 3.6, 3))) * (1 + rng.normal(0, 0.15, 3) * off)
    rows = rows + rng.uniform(0.005, 0.06, 3)
    cut = (1 - _rise(rng.uniform(655, 690), 8)) * _rise(rng.uniform(400, 415), 6)
    return np.asarray(np.maximum(rows, 0) * cut[:, None], np.float64)
