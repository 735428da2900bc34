"""Charts and colours as simulated cameras record them: what tests of charts and fits stand on."""

from dataclasses import dataclass, replace

import cv2
import numpy as np

from syntonos.core.charts import read_chart
from syntonos.core.encodings import AP1, decode, find_encoding, gamut_matrix, take_levels_off
from syntonos.core.simulate.camera import SimulatedCamera
from syntonos.core.simulate.chart import chart_image, place_chart
from syntonos.core.simulate.sensors import measured_sensor, random_sensor
from syntonos.core.simulate.spectra import (
    chart_reflectances,
    daylight,
    planck,
    random_reflectances,
)

DAY = 0.8 * daylight(5600) + 0.1 * planck(2850) + 0.05 * planck(1800)
TUNGSTEN = planck(3000)
CORNERS = np.array([[330, 150], [640, 180], [620, 390], [310, 350]], float)


def camera_a(**changes):
    camera = SimulatedCamera(measured_sensor(0), "logc3-ei800/awg3", daylight(5700), noise=0.008,
                             flare=0.001, bits=16)  # fmt: skip
    return replace(camera, **changes)


def camera_b(seed=15, **changes):
    camera = SimulatedCamera(
        random_sensor(np.random.default_rng(seed)), "s-log3/s-gamut3.cine", daylight(6500),
        stops=-0.3, noise=0.008, flare=0.001, bits=16,
        taste=((1.12, -0.15, 0.03), (-0.05, 1.13, -0.08), (0.03, -0.15, 1.12)),
    )  # fmt: skip
    return replace(camera, **changes)


@dataclass
class Shot:
    """Frames of a chart, and where its patches truly are."""

    frames: list
    centres: np.ndarray

    @property
    def corners(self):
        return self.centres[[0, 5, 23, 18]]


def background(height=540, width=960, seed=3):
    rng = np.random.default_rng(seed)
    return cv2.GaussianBlur(rng.random((height, width, 3)), (0, 0), 3) * 0.4


def shoot(camera, *, light=DAY, corners=CORNERS, frames=2, seed=1, patches=None, gradient=0.0):
    """Return a chart as a camera records it; `patches` changes the patches' light (24, 3)."""
    raw = camera.expose(chart_reflectances() * light) * 0.95
    if patches is not None:
        raw = patches(raw)
    picture, centres = place_chart(background(), *chart_image(raw, 60), corners)
    if gradient:
        picture = picture * (1 + gradient * np.linspace(-1, 1, picture.shape[1])[None, :, None])
    rng = np.random.default_rng(seed)
    return Shot([camera.record(picture, rng) for _ in range(frames)], centres)


PLACES = (np.array([[60, 60], [460, 80], [440, 350], [70, 330]], float),
          np.array([[560, 240], [880, 230], [890, 450], [565, 460]], float))  # fmt: skip


def shoot_charts(camera, lights, places=PLACES, *, frames=2):
    """Return frames with a chart in each of several lights, and the charts' corners."""
    picture, quads = background(), []
    for corners, light in zip(places, lights, strict=True):
        raw = camera.expose(chart_reflectances() * light) * 0.95
        picture, centres = place_chart(picture, *chart_image(raw, 60), corners)
        quads.append(centres[[0, 5, 23, 18]])
    shots = [camera.record(picture, np.random.default_rng(seed)) for seed in range(frames)]
    return shots, quads


def reading(camera, **how):
    shot = shoot(camera, **how)
    return read_chart(shot.frames, shot.corners, find_encoding(camera.encoding),
                      levels=camera.levels)  # fmt: skip


def off_chart(camera, *, light=DAY, count=400, seed=9):
    """Return colours that are not on the chart, scene-linear AP1, as the camera records them."""
    clean = replace(camera, flare=0.0, noise=0.0, bits=None)
    lit = random_reflectances(np.random.default_rng(seed), count) * light
    code = clean.record(clean.expose(lit) * 0.95).astype(np.float64)
    encoding = find_encoding(clean.encoding)
    return (
        decode(take_levels_off(code, clean.levels), encoding.curve)
        @ gamut_matrix(encoding.gamut, AP1).T
    )
