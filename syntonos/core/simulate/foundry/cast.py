"""Who and what is in the demo production: cameras, lights of the day, recordings."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any, Final

import numpy as np

from syntonos.core.encodings import keep_encoding
from syntonos.core.simulate.camera import SimulatedCamera
from syntonos.core.simulate.sensors import measured_sensor, random_sensor
from syntonos.core.simulate.spectra import daylight

FRAMES: Final = 4  # of a chart's clip
SCENE_FRAMES: Final = 24  # a second


@dataclass(frozen=True, slots=True)
class DemoCamera:
    """One camera of the production, and how its files are written."""

    letter: str
    name: str
    camera: SimulatedCamera
    ending: str


def demo_cameras() -> tuple[DemoCamera, ...]:
    """Return the five cameras: five sensors, five encodings, one of them at legal levels."""
    alder = SimulatedCamera(
        measured_sensor(0), "logc3-ei800/awg3", daylight(5700), noise=0.010, flare=0.002,
        clip=11.0, bits=16,
    )  # fmt: skip
    birch = SimulatedCamera(
        random_sensor(np.random.default_rng(15)), "s-log3/s-gamut3.cine", daylight(6700),
        stops=-0.34, noise=0.014, flare=0.006, clip=7.0, bits=16,
        taste=((1.13, -0.16, 0.03), (-0.06, 1.15, -0.09), (0.03, -0.17, 1.14)),
    )  # fmt: skip
    cedar = SimulatedCamera(
        random_sensor(np.random.default_rng(10)), "v-log/v-gamut", daylight(4900), levels="legal",
        stops=0.27, noise=0.012, flare=0.004, clip=9.0, bits=10,
        taste=((0.86, 0.17, -0.03), (0.09, 0.82, 0.09), (-0.06, 0.18, 0.88)),
    )  # fmt: skip
    dogwood = SimulatedCamera(
        random_sensor(np.random.default_rng(23)), "linear/ap1", daylight(5200), noise=0.012,
        flare=0.003, clip=8.0, bits=None,
    )  # fmt: skip
    elm = SimulatedCamera(
        random_sensor(np.random.default_rng(31)), keep_encoding(own_curve()).slug, daylight(6100),
        stops=0.15, noise=0.02, flare=0.008, clip=4.0, bits=10,
        taste=((1.24, -0.2, -0.04), (-0.1, 1.22, -0.12), (0.02, -0.24, 1.22)),
    )  # fmt: skip
    return (
        DemoCamera("A", "Alder", alder, ".tif"),
        DemoCamera("B", "Birch", birch, ".mov"),
        DemoCamera("C", "Cedar", cedar, ".dpx"),
        DemoCamera("D", "Dogwood", dogwood, ".dng"),
        DemoCamera("E", "Elm", elm, ".mp4"),
    )


def own_curve() -> dict[str, Any]:
    """Return the small camera's own tone curve as a definition: no list has it.

    It reaches its top 3.6 stops above middle grey, with a soft toe.
    """
    gain, top = 9.0, 2.2
    codes = np.linspace(0, 1, 257)
    table = ((1 + gain * top) ** (codes**1.2) - 1) / gain
    return {"name": "Elm's own curve", "gamut": "bt709", "table": [float(v) for v in table],
            "first": 0.0, "last": 1.0}  # fmt: skip


@dataclass(frozen=True, slots=True)
class DemoLight:
    """A stretch of the day: how strong each lighting is, and how the cameras are set."""

    name: str
    conditions: str
    parts: Mapping[str, float]  # of plates.LAYERS
    hour: int
    stops: float = 0.0
    white_kelvin: float | None = None  # a black body all cameras are balanced for; else their own


LIGHTS: Final = (
    DemoLight("Foundry", "roof light, window, furnace glow; about 5700 K",
              {"lamps": 1.0, "furnace": 1.0}, 9),
    DemoLight("Night casting", "furnace, a little moonlight; about 2700 K",
              {"lamps": 0.03, "furnace": 4.0}, 21, 1.3, 2900.0),
    DemoLight("Moulding hall", "cheap lamps in the roof, little red in them", {"led": 0.9}, 11),
    DemoLight("Tuning room", "bulbs against the window; about 3900 K",
              {"lamps": 0.25, "tungsten": 1.1}, 15, 0.2, 3900.0),
)  # fmt: skip


@dataclass(frozen=True, slots=True)
class DemoClip:
    """One recording: which camera, in which light, of what.

    `encoding` and `levels` are what it really carries, where that is not what its camera is set to:
    somebody changed the camera's menu.
    """

    letter: str
    day: int  # from 1, the place of its light in LIGHTS
    number: int
    kind: str  # "chart" or "scene"
    stops: float = 0.0  # beside the exposure of the scene
    frames: int = FRAMES
    encoding: str = ""
    levels: str = ""
    glare: float = 0.0  # a lamp's veil over part of the chart, in shares of its white
    lens: str = "35 mm"

    @property
    def reel(self) -> str:
        """The clip's name."""
        return f"{self.letter}{self.day:03d}_{self.number:02d}"

    @property
    def timecode(self) -> str:
        """The cameras' clocks are set alike."""
        return f"{LIGHTS[self.day - 1].hour:02d}:{10 + 2 * self.number:02d}:00:00"


def _scene(letter: str, day: int, **more: Any) -> DemoClip:
    return DemoClip(letter, day, 2, "scene", frames=SCENE_FRAMES, **more)


# The moulding hall's chart is an old, yellowed one. Birch shot no chart at night, and a bracket of
# it by day; in the moulding hall its menu stood on
# another curve; Cedar's stood on full levels in the tuning room, where a bulb glared on its chart.
CLIPS: Final = (
    *(DemoClip(letter, 1, 1, "chart") for letter in "ABCDE"),
    *(_scene(letter, 1) for letter in "ABCDE"),
    DemoClip("B", 1, 3, "chart", 2.0, 1), DemoClip("B", 1, 4, "chart", -2.0, 1),
    *(DemoClip(letter, 2, 1, "chart") for letter in "ACDE"),
    *(_scene(letter, 2) for letter in "ABCDE"),
    *(DemoClip(letter, 3, 1, "chart") for letter in "ACDE"),
    DemoClip("B", 3, 1, "chart", encoding="s-log2/s-gamut3.cine"),
    *(_scene(letter, 3) for letter in "ACDE"),
    _scene("B", 3, encoding="s-log2/s-gamut3.cine"),
    *(DemoClip(letter, 4, 1, "chart") for letter in "ABDE"),
    DemoClip("C", 4, 1, "chart", levels="full", glare=0.16),
    *(_scene(letter, 4) for letter in "ABD"), _scene("E", 4, lens="28 mm"),
    _scene("C", 4, levels="full"),
)  # fmt: skip
