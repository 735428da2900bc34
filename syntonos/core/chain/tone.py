"""The tone scale of display outputs.

Per channel, in linear light of the display's primaries. Display light is 1 at 100 cd/m2 (SDR
white); P is the display's peak, L the light of black.

    u(x) = k (x / 0.18)^c                        a power: the contrast c is its slope in stops
    y    = u                                     up to u_s = u(0.18 2^start)
    y    = u_s + w / (1 + w / b),  w = u - u_s   the shoulder, of slope one where it begins
    f(x) = L + y (1 - L / P),  at most P, and L for x <= 0

k is such that middle grey, 0.18, goes to a fixed display light; b such that a stated number of
stops above middle grey reaches P. Between black and there it is undone by `invert`.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import ArrayLike, NDArray

from syntonos.core._jit import jit
from syntonos.core._math import exp2, log2
from syntonos.core.colorimetry.constants import MIDDLE_GREY
from syntonos.core.errors import ChainError

_TINY = 1e-9


@dataclass(frozen=True, slots=True)
class ToneScale:
    """Contrast, where middle grey lands, where the shoulder begins and ends, and black."""

    contrast: float = 1.05
    # Display light of middle grey: code 0.409 through BT.1886, the code that BT.709's own camera
    # curve gives 18 % reflectance. So a picture in tone and one from a plain camera sit alike.
    grey: float = 0.1170
    start: float = 0.0  # stops above middle grey
    stops_to_white: float = 6.0
    black: float = 0.0  # display light of black

    def check(self, peak: float = 1.0) -> None:
        """Refuse what makes no tone scale on a display of this peak.

        Raises
        ------
        ChainError
            tone.invalid, with what to change.
        """
        limits = (
            ("contrast", self.contrast, 0.5, 2.5), ("grey", self.grey, 0.01, 0.9 * peak),
            ("start", self.start, -12.0, 8.0), ("stops_to_white", self.stops_to_white, 1.5, 14.0),
            ("black", self.black, 0.0, 0.5 * self.grey),
        )  # fmt: skip
        for name, value, low, high in limits:
            if not (np.isfinite(value) and low <= value <= high):
                raise ChainError(
                    f"The tone scale's {name} is {value:g}.", code="tone.invalid",
                    hint=f"Choose a value from {low:g} to {high:g}.",
                )  # fmt: skip
        if self.start > self.stops_to_white - 0.5:
            raise ChainError(
                f"The shoulder begins {self.start:g} stops above grey, and white is reached "
                f"{self.stops_to_white:g} stops above it.", code="tone.invalid",
                hint="Begin it at least half a stop before.",
            )  # fmt: skip
        _, _, start, over, _, _ = self.params(peak)
        if over <= 0 or start >= peak:
            least = np.log2(peak / self.grey) / self.stops_to_white
            raise ChainError(
                f"With this contrast white is not reached {self.stops_to_white:g} stops above "
                "grey.", code="tone.invalid",
                hint=f"Raise the contrast above {least:.2f}, or the stops.",
            )  # fmt: skip

    def params(self, peak: float = 1.0) -> tuple[float, float, float, float, float, float]:
        """(c, k, u_s, 1/b, L, 1 - L/P) of the formula."""
        c, scale = self.contrast, 1 - self.black / peak
        want = (self.grey - self.black) / scale

        def rest(k: float) -> tuple[float, float]:
            start = k * 2.0 ** (c * self.start)
            w = k * 2.0 ** (c * self.stops_to_white) - start
            return start, 1 / (peak - start) - 1 / w if peak > start else 0.0

        k = want
        if self.start < 0:
            low, high = want, 64 * max(want, peak)
            for _ in range(80):  # grey lies on the shoulder: its light rises with k
                k = 0.5 * (low + high)
                start, over = rest(k)
                y = start + (k - start) / (1 + (k - start) * over)
                low, high = (k, high) if y < want and start < peak else (low, k)
        start, over = rest(k)
        return c, k, start, over, self.black, scale

    def apply(self, lin: ArrayLike, peak: float = 1.0) -> NDArray[np.float64]:
        """Return the display light of scene-linear values, any shape; for plots and tests."""
        c, k, start, over, black, scale = self.params(peak)
        u = k * (np.maximum(np.asarray(lin, np.float64), 0.0) / MIDDLE_GREY) ** c
        w = np.maximum(u - start, 0.0)
        y = np.minimum(np.where(u <= start, u, start + w / (1 + w * over)), peak)
        return np.asarray(black + y * scale, np.float64)

    def invert(self, disp_light: ArrayLike, peak: float = 1.0) -> NDArray[np.float64]:
        """Return the scene-linear values of display light from black to peak, any shape."""
        c, k, start, over, black, scale = self.params(peak)
        y = (np.asarray(disp_light, np.float64) - black) / scale
        v = np.maximum(y - start, 0.0)
        u = np.where(y <= start, y, start + v / (1 - v * over))
        return np.asarray(MIDDLE_GREY * (u / k) ** (1 / c), np.float64)

    def packed(self, peak: float) -> tuple[float, ...]:
        """Return what `tone_scalar` takes."""
        c, k, start, over, black, scale = self.params(peak)
        return (c, np.log2(k) - c * np.log2(MIDDLE_GREY), start, over, black, scale, peak, _TINY,
                1.0, 0.0)  # fmt: skip


TONE = ToneScale()
# What documents before version 3 meant: m x^c / (x^c + s), the shoulder from black on.
TONE_OF_VERSION_2 = ToneScale(contrast=1.16, grey=0.1170, start=-12.0, stops_to_white=6.0)


@jit
def tone_scalar(x: Any, p: Any) -> Any:
    """Evaluate the formula; p from `ToneScale.packed`. NaN stays NaN."""
    u = exp2(log2(x if x > p[7] else p[7]) * p[0] + p[1])
    w = u - p[2]
    w = w if w > p[9] else p[9]
    y = u - w + w / (p[8] + w * p[3])
    y = y if y < p[6] else p[6]
    y = y if x > p[7] else x - x
    return p[4] + y * p[5]
