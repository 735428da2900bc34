"""Materials of the foundry as reflectances, and its lights as spectra."""

from __future__ import annotations

from typing import Final

import numpy as np
from numpy.typing import NDArray

from syntonos.core.simulate.spectra import (
    NM,
    Spectrum,
    bump,
    chart_reflectances,
    daylight,
    edge,
    planck,
)


def _skin(level: float) -> Spectrum:
    # Haemoglobin's two bands dip at 542 and 577 nm.
    blood = 1 - bump(0.15, 542, 13) - bump(0.17, 577, 9) - bump(0.25, 425, 22)
    return level * edge(0.30, 0.95, 582, 36) * blood


_COLOURS: Final[dict[str, Spectrum]] = {
    "brick": edge(0.05, 0.25, 588, 20),
    "brick_pale": edge(0.09, 0.33, 580, 28),
    "brick_dark": edge(0.035, 0.11, 590, 26),
    "mortar": edge(0.17, 0.30, 520, 60),
    "plank": edge(0.05, 0.27, 575, 42),
    "plank_dark": edge(0.03, 0.14, 580, 45),
    "plaster": edge(0.38, 0.62, 470, 45),
    "iron": edge(0.05, 0.065, 560, 60),
    "skin": _skin(0.68),
    "hair": edge(0.03, 0.10, 610, 40),
    "overalls": 0.022 + bump(0.27, 452, 40) + edge(0.0, 0.22, 705, 12),
    "shirt": edge(0.55, 0.72, 440, 30),
    "leather": edge(0.04, 0.25, 595, 30),
    "cap": edge(0.10, 0.15, 540, 70),
    "leaf": 0.03 + bump(0.13, 552, 26) + edge(0.0, 0.42, 704, 9),
    "leaf_young": 0.05 + bump(0.26, 556, 32) + edge(0.0, 0.42, 704, 9),
    "terracotta": edge(0.07, 0.42, 590, 20),
    "board": edge(0.045, 0.05, 560, 80) + bump(0.015, 520, 40),
    "chalk": edge(0.6, 0.72, 450, 40),
    "bottle_blue": 0.02 + bump(0.34, 462, 30) + edge(0.0, 0.2, 710, 10),
    "bottle_green": 0.02 + bump(0.26, 528, 28),
    "bucket": edge(0.03, 0.52, 607, 11),
    "cloth_ochre": edge(0.05, 0.58, 535, 20),
    "verdigris": 0.08 + bump(0.24, 510, 42),
    "rope": edge(0.16, 0.46, 560, 50),
    "frame": edge(0.30, 0.42, 500, 60),
    "bronze": edge(0.24, 0.84, 556, 24),
    "bronze_pale": edge(0.30, 0.80, 540, 30),
    "chart_body": np.full(len(NM), 0.035),
    "slate": np.full(len(NM), 0.78),
    "clay": edge(0.22, 0.34, 540, 50),
    "melt": np.full(len(NM), 0.05),  # it glows: see tracing
    "mouth": np.full(len(NM), 0.04),  # of the furnace: fire
}
NAMES: Final = (*_COLOURS, *(f"patch_{i + 1}" for i in range(24)))
INDEX: Final = {name: i for i, name in enumerate(NAMES)}
LIGHTS: Final = ("sky", "sun", "lamp", "furnace", "roof")


def reflectances() -> NDArray[np.float64]:
    """Return all materials' reflectances, (n, 36), in the order of NAMES."""
    return np.concatenate([np.stack(list(_COLOURS.values())), chart_reflectances()])


def light_spectra() -> NDArray[np.float64]:
    """Return the lights' spectra, (5, 36), 1 at 560 nm, by day."""
    spectra = [daylight(8000), planck(4300), planck(2850), planck(1800), daylight(6600)]
    return np.stack(spectra)


def yellowed_reflectances() -> NDArray[np.float64]:
    """Return reflectances (n, 36) with a chart that lay in the sun for years: it is yellowed.

    Light goes twice through a film that takes away violet and blue.
    """
    film = 1 - 0.30 / (1 + np.exp((NM - 470) / 22))
    table = reflectances().copy()
    table[-24:] *= film**2
    return table


def poor_led() -> NDArray[np.float64]:
    """Return a cheap lamp's spectrum (36,): a narrow blue pump, a green phosphor, little red."""
    light = bump(1.3, 452, 10) + bump(1.0, 560, 42)
    return np.asarray(light / light[NM == 560], np.float64)


def lamp_sets() -> dict[str, NDArray[np.float64]]:
    """Return the lightings that plates are rendered under: (5, 36) each, spectra times strength.

    Window, sun, lamp, furnace and roof light, as in `light_spectra`.
    """
    day = light_spectra()
    led, bulb = poor_led(), planck(2900)
    return {
        "lamps": day * np.array([9.0, 7.0, 2.2, 4.0, 13.0])[:, None],
        "led": np.stack([0.4 * day[0], 0 * day[1], 6 * led, 0 * day[3], 13 * led]),
        "tungsten": np.stack([0.2 * day[0], 0 * day[1], 9 * bulb, 0 * day[3], 7 * bulb]),
    }
