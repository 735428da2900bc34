"""The tone scale of the `rec709-tone` output.

Per channel, in linear light with BT.709 primaries:

    f(x) = m x^c / (x^c + s)   for x > 0, f(x) = 0 below, at most 1

It is a power at the bottom and saturates at the top; c is the contrast, and m and s follow from
two fixed points: middle grey goes to a fixed display light, and a stated number of stops above
middle grey reaches display white. Invertible between black and that white.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import ArrayLike, NDArray

from syntonos.core._jit import jit
from syntonos.core._math import exp2, log2

MIDDLE_GREY = 0.18


@dataclass(frozen=True, slots=True)
class ToneScale:
    """Contrast, where middle grey lands (display light, 1 = white), and where white is reached."""

    contrast: float = 1.16
    # Display light of middle grey: code 0.409 through BT.1886, the code that BT.709's own camera
    # curve gives 18 % reflectance. So a picture in tone and one from a plain camera sit alike.
    grey: float = 0.1170
    stops_to_white: float = 6.0

    @property
    def params(self) -> tuple[float, float, float]:
        """(c, m, s) of the formula."""
        c, y = self.contrast, self.grey
        g = MIDDLE_GREY**c
        p = (MIDDLE_GREY * 2.0**self.stops_to_white) ** c
        s = g * p * (1 - y) / (y * p - g)
        return c, (p + s) / p, s

    def apply(self, lin: ArrayLike) -> NDArray[np.float64]:
        """Return the display light of scene-linear values, any shape; for plots and tests."""
        c, m, s = self.params
        p = np.maximum(np.asarray(lin, np.float64), 0.0) ** c
        return np.minimum(m * p / (p + s), 1.0)

    def invert(self, disp_light: ArrayLike) -> NDArray[np.float64]:
        """Return the scene-linear values of display light in 0..1, any shape."""
        c, m, s = self.params
        y = np.asarray(disp_light, np.float64)
        return np.asarray((s * y / (m - y)) ** (1 / c), np.float64)


TONE = ToneScale()


@jit
def tone_scalar(x: Any, p: Any) -> Any:
    """Evaluate the formula; p = (c, m, s, tiny, one). NaN stays NaN."""
    q = exp2(log2(x if x > p[3] else p[3]) * p[0])
    y = p[1] * q / (q + p[2])
    y = p[4] if y > p[4] else y
    return y if x > p[3] else x - x
