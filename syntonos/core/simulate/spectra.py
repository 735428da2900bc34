"""Spectra on one grid, 380 to 730 nm in 10 nm: lights, the chart's patches, materials."""

from __future__ import annotations

import functools
import warnings
from typing import Any, Final

import numpy as np
from numpy.typing import ArrayLike, NDArray

from syntonos.core import library_keys
from syntonos.core.colorimetry._observer import CMF_1931_5NM
from syntonos.core.errors import ColourError

Spectrum = NDArray[np.float64]

NM: Final[Spectrum] = np.arange(380.0, 731.0, 10.0)
CMF: Final[Spectrum] = np.stack(
    [np.interp(NM, CMF_1931_5NM[:, 0], CMF_1931_5NM[:, i]) for i in (1, 2, 3)], axis=-1
)


@functools.cache
def library() -> Any:
    """Import colour-science; it takes seconds, so only when something is simulated.

    Raises
    ------
    ColourError
        simulate.library where it is not installed: it comes with the extra "demo" only.
    """
    with warnings.catch_warnings():
        warnings.simplefilter("ignore")
        try:
            import colour
        except ModuleNotFoundError as error:
            raise ColourError(
                "colour-science, which spectra and comparisons come from, is not installed.",
                code="simulate.library",
                hint="Install the extra: pip install 'syntonos[demo]'.",
            ) from error  # fmt: skip
    return colour


def planck(kelvin: float) -> Spectrum:
    """Return a black body's spectrum, (36,), 1 at 560 nm. Source: Planck's law."""
    wavelength = NM * 1e-9
    power = wavelength**-5.0 / np.expm1(1.438776877e-2 / (wavelength * kelvin))
    return np.asarray(power / power[NM == 560], np.float64)


def daylight(kelvin: float) -> Spectrum:
    """Return CIE daylight of 4000 to 25 000 K, (36,), 1 at 560 nm. Source: CIE 15:2018, 4.1.2."""
    colour = library()
    xy = colour.temperature.CCT_to_xy_CIE_D(kelvin)
    spectrum = colour.sd_CIE_illuminant_D_series(xy)
    power = np.interp(NM, spectrum.wavelengths, spectrum.values)
    return np.asarray(power / power[NM == 560], np.float64)


def illuminant(name: str) -> Spectrum:
    """Return a CIE illuminant such as "A", "FL2" or "LED-B3", (36,), 1 at 560 nm."""
    spectrum = library().SDS_ILLUMINANTS[name]
    power = np.interp(NM, spectrum.wavelengths, spectrum.values)
    return np.asarray(power / power[NM == 560], np.float64)


@functools.cache
def chart_reflectances() -> Spectrum:
    """Return the 24 patches' reflectances in reading order, (24, 36), a measured average."""
    patches = library().SDS_COLOURCHECKERS[library_keys.CHART_SPECTRA]
    rows = [np.interp(NM, p.wavelengths, p.values) for p in patches.values()]
    return np.asarray(rows, np.float64)


def edge(low: float, high: float, centre: float, width: float) -> Spectrum:
    """Return a reflectance (36,) that rises (or falls) smoothly from low to high."""
    return np.asarray(low + (high - low) / (1 + np.exp(-(NM - centre) / width)), np.float64)


def bump(height: float, centre: float, width: float) -> Spectrum:
    """Return a Gaussian bump, (36,)."""
    return np.asarray(height * np.exp(-0.5 * ((NM - centre) / width) ** 2), np.float64)


def random_reflectances(rng: np.random.Generator, count: int) -> Spectrum:
    """Return smooth reflectances as things have them: edges and bumps, (count, 36), 0.02..0.95."""
    level = rng.uniform(0.03, 0.7, (count, 1))
    out = np.repeat(level, len(NM), axis=1)
    for _ in range(2):
        centre, width = rng.uniform(420, 690, (count, 1)), rng.uniform(8, 60, (count, 1))
        step = rng.normal(0, 0.3, (count, 1)) * (rng.random((count, 1)) < 0.7)
        out = out + step / (1 + np.exp(-(NM - centre) / width))
        centre, width = rng.uniform(400, 700, (count, 1)), rng.uniform(15, 70, (count, 1))
        out = out + rng.normal(0, 0.2, (count, 1)) * np.exp(-0.5 * ((NM - centre) / width) ** 2)
    return np.asarray(np.clip(out, 0.02, 0.95), np.float64)


def to_xyz(spectra: ArrayLike) -> NDArray[np.float64]:
    """Return XYZ (..., 3) of radiance spectra (..., 36); the scale is arbitrary."""
    return np.asarray(np.asarray(spectra, np.float64) @ CMF, np.float64)
