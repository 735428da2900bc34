"""Sensors: three spectral sensitivities, measured or drawn at random."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from syntonos.core.simulate import library_keys
from syntonos.core.simulate.spectra import NM, library

Sensor = NDArray[np.float64]  # (36, 3), each channel with maximum one


def measured_sensor(index: int) -> Sensor:
    """Return one of the library's two measured sensors, (36, 3)."""
    data = library().MSDS_CAMERA_SENSITIVITIES[library_keys.MEASURED_SENSORS[index]]
    rows = np.stack(
        [np.interp(NM, data.wavelengths, data.values[:, i], right=0.0) for i in range(3)], axis=-1
    )
    return np.asarray(np.maximum(rows, 0) / rows.max(axis=0), np.float64)


def random_sensor(rng: np.random.Generator) -> Sensor:
    """Draw a plausible sensor: three skewed bumps with tails that reach under each other.

    Returns
    -------
    (36, 3) float64, each channel with maximum one.
    """
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
    rows = (body + tails) * (cut * uv)[:, None]
    return np.asarray(rows / rows.max(axis=0), np.float64)
