"""A simulated camera: from light on the sensor to stored code values."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cache
from typing import Any, Protocol, TypeVar

import numpy as np
from numpy.typing import ArrayLike, NDArray

from syntonos.core.colorimetry import adaptation_matrix
from syntonos.core.encodings import encode, find_encoding, put_levels_on
from syntonos.core.encodings.gamuts import D65
from syntonos.core.simulate.sensors import Sensor
from syntonos.core.simulate.spectra import random_reflectances, to_xyz

A = TypeVar("A", NDArray[np.float32], NDArray[np.float64])


class Noise(Protocol):
    """Where normal noise comes from: numpy's generators, or what stands in for one."""

    def standard_normal(self, size: Any, dtype: Any) -> Any:
        """Return normal noise of a shape and dtype."""
        ...


@cache
def _smooth() -> NDArray[np.float64]:
    return random_reflectances(np.random.default_rng(7), 300)


@dataclass(frozen=True, slots=True)
class SimulatedCamera:
    """How one camera sees and stores.

    `white_light` is the spectrum the camera is balanced for; where it is not the light on set the
    picture is off in white. `stops` is the exposure beside the right one, `flare` stray light as a
    share of scene white, `noise` the standard deviation at middle grey as a share of it, `clip`
    the sensor's full well in balanced raw, where 1.0 is a white of 100 % at the right exposure.
    `taste` is what the maker's matrix does beyond a neutral fit: (3, 3), rows that sum to one.
    `twist` turns hues by as many radians at full saturation: a camera whose colour is no matrix.
    """

    sensor: Sensor
    encoding: str
    white_light: NDArray[np.float64]
    levels: str = "full"
    stops: float = 0.0
    flare: float = 0.0
    noise: float = 0.0
    clip: float = 16.0
    bits: int | None = 10
    taste: tuple[tuple[float, float, float], ...] = ((1, 0, 0), (0, 1, 0), (0, 0, 1))
    twist: float = 0.0

    def white_gains(self) -> NDArray[np.float64]:
        """Return the gains (3,) that bring the white it is balanced for to one."""
        return np.asarray(1 / (self.white_light @ self.sensor), np.float64)

    def raw_matrix(self) -> NDArray[np.float64]:
        """Return the matrix (3, 3) of balanced raw to the linear gamut, fitted under its light.

        White goes to white; the rest is least squares over 300 smooth reflectances.
        """
        lit = _smooth() * self.white_light
        raw = (lit @ self.sensor) * self.white_gains()
        white = to_xyz(self.white_light)
        xy = white[:2] / white.sum()
        xyz = to_xyz(lit) / white[1] @ adaptation_matrix(xy, D65, method="bradford").T
        gamut = find_encoding(self.encoding).gamut
        wanted = xyz @ np.linalg.inv(gamut.to_xyz).T
        # Rows that sum to one: fit the differences to green.
        weight = 1 / (0.1 + raw[:, 1:2])
        basis = (raw[:, [0, 2]] - raw[:, 1:2]) * weight
        target = (wanted - raw[:, 1:2]) * weight
        solved = np.linalg.lstsq(basis, target, rcond=None)[0].T
        mat = np.column_stack([solved[:, 0], 1 - solved.sum(axis=1), solved[:, 1]])
        return np.asarray(np.array(self.taste) @ mat, np.float64)

    def expose(self, radiance: ArrayLike) -> NDArray[np.float64]:
        """Return balanced raw (..., 3) of radiance (..., 36); a 100 % white gives about 1."""
        return np.asarray(np.asarray(radiance) @ self.sensor * self.white_gains(), np.float64)

    def develop(self, raw: A) -> A:
        """Turn balanced raw (..., 3) into scene-linear in the encoding's gamut; dtype of raw."""
        lin: A = raw @ self.raw_matrix().T.astype(raw.dtype)
        if self.twist == 0:
            return lin
        grey = lin.mean(axis=-1, keepdims=True)
        off = lin - grey
        size = np.sqrt((off**2).sum(axis=-1, keepdims=True))
        angle = self.twist * size / (size + np.abs(grey) + 1e-9)
        # Turning about the grey axis; the cross product with it is the channels' differences.
        across = (np.roll(off, 1, axis=-1) - np.roll(off, -1, axis=-1)) / 3**0.5
        turned: A = grey + off * np.cos(angle) + across * np.sin(angle)
        return turned

    def sense(
        self,
        raw: A,
        rng: Noise | None = None,
        *,
        flare_light: ArrayLike = (1.0, 1.0, 1.0),
    ) -> A:
        """Return what the sensor gives of balanced raw (..., 3): flare, noise, clipping.

        In the dtype of raw, float32 or float64.
        """
        seen = (raw + np.asarray(self.flare * np.asarray(flare_light), raw.dtype)) * 2.0**self.stops
        if rng is not None and self.noise > 0:
            # Shot noise grows with the square root of light; a fifth of it is there in black.
            sigma = self.noise * 0.18 * np.sqrt(np.maximum(seen, 0) / 0.18 + 0.04)
            seen = seen + rng.standard_normal(seen.shape, dtype=seen.dtype) * sigma
        clipped: A = np.minimum(seen, self.clip)
        return clipped

    def color_matrix(self, light: NDArray[np.float64]) -> NDArray[np.float64]:
        """Return the matrix (3, 3) from XYZ to the sensor's own values, as a raw file states it.

        Least squares over 300 smooth reflectances under a light (36,); a white's largest is 1.
        """
        lit = _smooth() * light
        xyz = to_xyz(lit) / to_xyz(light)[1]
        values = lit @ self.sensor / (light @ self.sensor).max()
        return np.asarray(np.linalg.lstsq(xyz, values, rcond=None)[0].T, np.float64)

    def record(
        self,
        raw: A,
        rng: Noise | None = None,
        *,
        flare_light: ArrayLike = (1.0, 1.0, 1.0),
    ) -> NDArray[np.float32]:
        """Turn balanced raw (..., 3) into stored code values (..., 3) float32.

        In the order of a camera: flare, exposure, noise, clipping, matrix, curve, levels,
        quantisation.
        """
        lin = self.develop(self.sense(raw, rng, flare_light=flare_light))
        code = put_levels_on(encode(lin, find_encoding(self.encoding).curve), self.levels)
        if self.bits is not None:
            top = 2**self.bits - 1
            code = np.clip(np.round(code * top), 0, top) / top
        return np.asarray(code, np.float32)
