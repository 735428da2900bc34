"""Lights drawn at random, by kind: what a set is lit with."""

from __future__ import annotations

from typing import Final

import numpy as np

from syntonos.core.simulate.spectra import NM, Spectrum, bump, daylight, illuminant, planck

ORDINARY: Final = ("daylight", "tungsten", "mixed", "led")
ODD: Final = ("poor-led", "lines", "stage")
KINDS: Final = (*ORDINARY, *ODD)
_TUBES: Final = ("FL2", "FL4", "FL6", "FL7", "FL10", "FL11", "FL12", "FL3.9", "FL3.13")


def _led(rng: np.random.Generator, *, poor: bool) -> Spectrum:
    """Draw a phosphor lamp over a blue pump; a poor one is narrow and short of red."""
    pump = bump(rng.uniform(0.3, 1.0), rng.uniform(443, 462), rng.uniform(9, 13))
    if poor:
        return pump * rng.uniform(1.0, 1.6) + bump(1.0, rng.uniform(545, 570), rng.uniform(32, 46))
    red = bump(rng.uniform(0.3, 0.9), rng.uniform(615, 640), rng.uniform(32, 50))
    return pump * 0.7 + bump(1.0, rng.uniform(545, 580), rng.uniform(48, 65)) + red


def _lines(rng: np.random.Generator) -> Spectrum:
    """Draw a discharge lamp: a published tube, or three narrow lines on a little continuum."""
    if rng.random() < 0.5:
        return illuminant(str(rng.choice(_TUBES)))
    peaks = sum(
        bump(rng.uniform(0.4, 1.2), centre + rng.normal(0, 4), rng.uniform(6, 10))
        for centre in (436, 490, 545, 587, 611)
    )
    return np.asarray(peaks + 0.04, np.float64)


def _stage(rng: np.random.Generator) -> Spectrum:
    """Draw coloured emitters of unequal strength with a little white light beside them."""
    strength = np.exp(rng.normal(0, 0.9, 3))
    peaks = sum(
        bump(float(s), centre + rng.normal(0, 5), rng.uniform(9, 14))
        for s, centre in zip(strength, (628, 525, 460), strict=True)
    )
    return np.asarray(peaks + rng.uniform(0.02, 0.12) * planck(rng.uniform(3000, 6000)), np.float64)


def random_light(rng: np.random.Generator, kind: str) -> Spectrum:
    """Draw a light of a kind, (36,), relative to its own power.

    Parameters
    ----------
    kind : one of KINDS

    Raises
    ------
    ValueError
        For a kind that is not known.
    """
    if kind == "daylight":
        light = daylight(rng.uniform(4400, 8500))
    elif kind == "tungsten":
        light = planck(rng.uniform(2600, 3500))
    elif kind == "mixed":
        share = rng.uniform(0.2, 0.8)
        light = share * daylight(rng.uniform(5000, 7500)) + (1 - share) * planck(
            rng.uniform(2600, 3400)
        )
    elif kind in ("led", "poor-led"):
        light = _led(rng, poor=kind == "poor-led")
    elif kind == "lines":
        light = _lines(rng)
    elif kind == "stage":
        light = _stage(rng)
    else:
        raise ValueError(f"There is no kind of light {kind!r}.")
    if kind in ("daylight", "tungsten", "mixed") and rng.random() < 0.4:
        # A gel or coating: a smooth tilt or bump of the transmission.
        light = light * np.exp(
            rng.normal(0, 0.15) * (NM - 550) / 150
            + rng.normal(0, 0.12) * np.exp(-0.5 * ((NM - 540) / 50) ** 2)
        )
    return np.asarray(light / light.mean(), np.float64)
