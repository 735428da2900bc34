"""Film negatives as densities: what a scanner wrote, back to the light that the film saw.

Source: SMPTE ST 2065-3:2020 (Academy Density Exchange Encoding), and the transform from it to
ACES2065-1 that the Academy publishes with the Academy Color Encoding System (S-2008-002, unbuild):
the density of a channel of the scanner, the density that an idealised print film sees, the
characteristic of a general negative undone, and the sensitivities of that negative. It fits any
negative roughly and none exactly: a match takes up what is left.
"""

from __future__ import annotations

from typing import Final

import numpy as np
from numpy.typing import NDArray

from syntonos.core.colorimetry.constants import MIDDLE_GREY
from syntonos.core.encodings.gamuts import AP1, GAMUTS, gamut_matrix
from syntonos.core.errors import EncodingError

A = NDArray[np.float64]
# By slug: code values of the scale, that of the film's base, and code values to a density of 1.
DENSITIES: Final[dict[str, tuple[int, int, int]]] = {
    "adx10": (1023, 95, 500), "adx16": (65535, 1520, 8000),
}  # fmt: skip
DENSITY_NAMES: Final = {"adx10": "ADX10, film negative", "adx16": "ADX16, film negative"}
_TO_PRINT: Final = np.array([
    [0.75573, 0.22197, 0.02230], [0.05901, 0.96928, -0.02829], [0.16134, 0.07406, 0.76460],
])  # fmt: skip
# The toe, density and logarithm of exposure; above its last point a straight line.
_TOE: Final = np.array([
    [-0.19, -6.0], [0.01, -2.721718645], [0.028, -2.521718645], [0.054, -2.321718645],
    [0.095, -2.121718645], [0.145, -1.921718645], [0.22, -1.721718645], [0.3, -1.521718645],
    [0.4, -1.321718645], [0.5, -1.121718645], [0.6, -0.926545676714876],
])  # fmt: skip
_GAMMA: Final = 0.55
_MIDDLE: Final = (7120 - 1520) / 8000 / _GAMMA - np.log10(MIDDLE_GREY)
_TO_AP0: Final = np.array([
    [0.72286, 0.12630, 0.15084], [0.11923, 0.76418, 0.11659], [0.01427, 0.08213, 0.90359],
])  # fmt: skip


def decode_density(code: NDArray[np.floating], slug: str) -> A:
    """Return the light that a scanned negative saw.

    Parameters
    ----------
    code : (..., 3)
        Code values as shares of full scale.
    slug : str
        "adx10" or "adx16".

    Returns
    -------
    (..., 3) scene-linear AP1, middle grey at 0.18.

    Raises
    ------
    EncodingError
        encoding.unknown for another slug.
    """
    if slug not in DENSITIES:
        raise EncodingError(
            f"{slug} is no encoding of film.", hint=f"Known: {', '.join(DENSITIES)}.",
            code="encoding.unknown",
        )  # fmt: skip
    top, base, one = DENSITIES[slug]
    scanned = (np.asarray(code, np.float64) * top - base) / one
    density = scanned @ _TO_PRINT.T
    toe = np.interp(density, _TOE[:, 0], _TOE[:, 1])
    exposure = 10 ** np.where(density <= _TOE[-1, 0], toe, density / _GAMMA - _MIDDLE)
    lin = exposure @ _TO_AP0.T @ gamut_matrix(GAMUTS["ap0"], AP1).T
    return np.asarray(lin, np.float64)
