"""Reflectances of things that are not on a chart, by kind."""

from __future__ import annotations

import functools
from typing import Final

import numpy as np
from numpy.typing import NDArray

from syntonos.core.simulate.spectra import NM, library, random_reflectances

A = NDArray[np.float64]
KINDS: Final = ("smooth", "saturated", "skin", "foliage", "fabric", "metal", "grey")


@functools.cache
def measured_objects() -> A:
    """Return the 99 colour evaluation samples of CIE 224:2017, (99, 36): paints, cloth, skin..."""
    library()
    from colour.quality.cfi2017 import load_TCS_CIE2017

    samples = load_TCS_CIE2017(library().SpectralShape(380, 780, 5))
    wide = np.arange(380, 781, 5.0)
    rows = [np.interp(NM, wide, samples.values[:, i]) for i in range(samples.values.shape[1])]
    return np.asarray(rows, np.float64)


def _edges(rng: np.random.Generator, count: int, low: A, high: A, centre: A, width: A) -> A:
    return np.asarray(low + (high - low) / (1 + np.exp(-(NM - centre) / width)), np.float64)


def _uniform(rng: np.random.Generator, low: float, high: float, count: int) -> A:
    return np.asarray(rng.uniform(low, high, (count, 1)), np.float64)


def _gauss(centre: A | float, width: A | float) -> A:
    return np.asarray(np.exp(-0.5 * ((NM - centre) / width) ** 2), np.float64)


def random_objects(rng: np.random.Generator, kind: str, count: int) -> A:
    """Draw reflectances of a kind, (count, 36), 0.01..0.97.

    The shapes are from memory: haemoglobin's two bands in skin, the red edge of leaves, the edge
    of copper alloys, narrow bands of strong dyes.

    Raises
    ------
    ValueError
        For a kind that is not known.
    """

    def u(low: float, high: float) -> A:
        return _uniform(rng, low, high, count)

    if kind == "smooth":
        rows = random_reflectances(rng, count)
    elif kind == "saturated":
        rows = random_reflectances(rng, count)
        band = u(0.3, 0.9) * _gauss(u(430, 660), u(14, 40)) + 0.02
        edge = _edges(rng, count, u(0.01, 0.05), u(0.4, 0.9), u(480, 620), u(5, 14))
        notch = u(0.4, 0.9) * (1 - 0.96 * _gauss(u(500, 600), u(20, 45)))
        pick = rng.integers(3, size=(count, 1))
        rows = np.where(pick == 0, band, np.where(pick == 1, edge, notch))
    elif kind == "skin":
        melanin = np.exp(-u(0.1, 1.6) * ((NM - 380) / 320 - 1.6) ** 2)
        blood = 1 - u(0.05, 0.2) * (_gauss(542, 13) + 1.1 * _gauss(577, 9)) - 0.2 * _gauss(420, 22)
        rows = (
            u(0.35, 0.8) * melanin * blood * (0.45 + 0.55 / (1 + np.exp(-(NM - 590) / u(25, 45))))
        )
    elif kind == "foliage":
        green = u(0.03, 0.22) * _gauss(u(545, 558), u(22, 34))
        rows = u(0.02, 0.06) + green + u(0.25, 0.5) / (1 + np.exp(-(NM - u(698, 712)) / 9))
        rows = rows + u(0, 0.25) / (1 + np.exp(-(NM - u(520, 590)) / u(12, 25))) * (
            rng.random((count, 1)) < 0.3
        )
    elif kind == "fabric":
        # One or two dyes over white cloth, by absorption over scatter (Kubelka-Munk).
        k = (
            u(0.02, 0.3)
            + u(0, 8) * _gauss(u(420, 650), u(25, 60))
            + u(0, 3) * _gauss(u(420, 650), u(20, 50))
        )
        rows = 1 + k - np.sqrt(k * k + 2 * k)
    elif kind == "metal":
        rows = _edges(rng, count, u(0.2, 0.5), u(0.6, 0.92), u(500, 580), u(15, 40))
        rows = rows * u(0.3, 1.0)
    elif kind == "grey":
        rows = np.repeat(np.geomspace(0.03, 0.85, count)[:, None], len(NM), axis=1)
    else:
        raise ValueError(f"There is no kind of object {kind!r}.")
    return np.asarray(np.clip(rows, 0.01, 0.97), np.float64)


def other_objects(rng: np.random.Generator, kind: str, count: int) -> A:
    """Draw reflectances of a kind by other formulas than `random_objects`, (count, 36), 0.01..0.97.

    What was learned from one family of shapes is judged on the other. Shapes from memory: skin by
    Beer's law over melanin's power law and haemoglobin, leaves by absorption of chlorophyll and
    carotenoids over scatter, dyes by their density, the rest band-limited in wavelength.

    Raises
    ------
    ValueError
        For a kind that is not known.
    """

    def u(low: float, high: float) -> A:
        return _uniform(rng, low, high, count)

    if kind == "skin":
        blood = _gauss(418, 18) * 3 + 0.55 * _gauss(542, 14) + 0.6 * _gauss(577, 11) + 0.05
        melanin = u(0.15, 1.7) * (NM / 500) ** -3.3
        rows = u(0.55, 0.75) * np.exp(-melanin - u(0.3, 0.9) * blood - 0.25 * _gauss(470, 40))
    elif kind == "foliage":
        leaf = 2.2 * _gauss(435, 28) + 1.6 * _gauss(480, 25) + 0.9 * _gauss(630, 40)
        k = u(0.6, 3.0) * (leaf + 2.0 * _gauss(675, 16) + 0.35) + u(0, 1.5) * _gauss(480, 40)
        rows = u(0.45, 0.95) * (1 + k - np.sqrt(k * k + 2 * k))
    elif kind == "saturated":
        density = sum(u(0.0, 2.2) * _gauss(u(400, 700), u(30, 70)) for _ in range(2))
        rows = u(0.5, 0.95) * 10.0**-density
    elif kind == "ordinary":
        t = (NM - 380) / 350
        waves = sum(
            rng.normal(0, 0.8 / k, (count, 1)) * np.cos(np.pi * k * t + u(0, 2 * np.pi))
            for k in range(1, 5)
        )
        rows = 0.9 / (1 + np.exp(-(u(-2.5, 1.0) + waves)))
    else:
        raise ValueError(f"There is no other kind of object {kind!r}.")
    return np.asarray(np.clip(rows, 0.01, 0.97), np.float64)
