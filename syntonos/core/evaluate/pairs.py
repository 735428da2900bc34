"""Pairs of simulated cameras under one light, for learning and for judging."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Final

import numpy as np
from numpy.typing import NDArray

from syntonos.core.encodings import AP1, find_encoding, gamut_matrix
from syntonos.core.simulate.camera import SimulatedCamera
from syntonos.core.simulate.lights import random_light
from syntonos.core.simulate.objects import random_objects
from syntonos.core.simulate.sensors import Sensor, random_sensor
from syntonos.core.simulate.spectra import Spectrum, daylight, planck

A = NDArray[np.float64]
_ENCODINGS = (
    "s-log3/s-gamut3.cine", "logc3-ei800/awg3", "v-log/v-gamut", "log3g10/rwg", "logc4/awg4",
    "d-log/d-gamut",
)  # fmt: skip


@dataclass(frozen=True, slots=True)
class Pair:
    """Reference and angle under a light."""

    reference: SimulatedCamera
    angle: SimulatedCamera
    lamp: Spectrum


def random_taste(rng: np.random.Generator, spread: float = 0.05) -> tuple[tuple[float, ...], ...]:
    """Draw a maker's matrix beyond the neutral fit; its rows sum to one."""
    off = rng.normal(0, spread, (3, 3)) * (1 - np.eye(3))
    mat = off + np.diag(1 - off.sum(axis=1))
    return tuple(tuple(map(float, row)) for row in mat)


def balance_for(rng: np.random.Generator, lamp: Spectrum) -> Spectrum:
    """Return what a camera is balanced for, (36,): the light itself, or a preset near to it."""
    if rng.random() < 0.5:
        return lamp
    blue, red = lamp[:12].sum(), lamp[-15:].sum()
    return planck(3200) if red > 2.2 * blue else daylight(5600)


def random_camera(
    rng: np.random.Generator, sensor: Sensor, white: Spectrum, taste: float = 0.05
) -> SimulatedCamera:
    """Draw a camera about a sensor, white (36,): an encoding and a matrix."""
    return SimulatedCamera(
        sensor, str(rng.choice(_ENCODINGS)), white, bits=None,
        taste=random_taste(rng, taste),  # type: ignore[arg-type]
    )  # fmt: skip


def random_pair(
    rng: np.random.Generator, families: tuple[str, ...], kind: str, *, related: bool = False
) -> Pair:
    """Draw two cameras and a light of a kind; `related` sensors differ by a fifth."""
    light = random_light(rng, kind)
    first = random_sensor(rng, str(rng.choice(families)))
    second = random_sensor(rng, str(rng.choice(families)))
    if related:
        second = 0.72 * first + 0.28 * second
    cameras = [random_camera(rng, s, balance_for(rng, light)) for s in (first, second)]
    return Pair(cameras[0], cameras[1], light)


def seen(camera: SimulatedCamera, reflectances: A, lamp: Spectrum) -> A:
    """Return scene-linear AP1 (n, 3) of reflectances, without noise, flare or a curve."""
    gamut = find_encoding(camera.encoding).gamut
    lin = camera.develop(camera.expose(reflectances * lamp))
    return np.asarray(lin @ gamut_matrix(gamut, AP1).T, np.float64)


_GENERIC: Final = {
    "smooth": 240, "saturated": 80, "skin": 50, "foliage": 50, "fabric": 80, "metal": 40,
}  # fmt: skip
# What kinds of simulated objects the error is stated for by name.
STATED_AS: Final = {
    "grey": "greys", "skin": "skins", "foliage": "foliage", "saturated": "saturated",
}  # fmt: skip


def generic_objects(rng: np.random.Generator, scale: int = 1) -> A:
    """Return reflectances of all kinds, (540 * scale, 36)."""
    return np.concatenate([random_objects(rng, kind, n * scale) for kind, n in _GENERIC.items()])


def generic_kinds() -> NDArray[np.str_]:
    """Return what `generic_objects` are stated as, (540,)."""
    return np.repeat([STATED_AS.get(kind, "other") for kind in _GENERIC], list(_GENERIC.values()))
