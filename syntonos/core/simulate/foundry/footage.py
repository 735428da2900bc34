"""The demo production's footage.

Rendering takes minutes, so what each sensor receives is rendered once into *plates* that are kept
in the repository (`python -m syntonos.core.simulate.foundry.footage` renders them again). Setting
the demo up only develops the plates: white, exposure, flare, noise, curve, levels, quantisation.
"""

from __future__ import annotations

import sys
from dataclasses import dataclass, replace
from pathlib import Path
from typing import Any, Final

import numpy as np
from numpy.typing import NDArray

from syntonos.core.encodings import keep_encoding
from syntonos.core.media import read_frame, write_frame
from syntonos.core.simulate.camera import SimulatedCamera
from syntonos.core.simulate.foundry.materials import lamp_sets
from syntonos.core.simulate.foundry.scene import VIEWS, build_scene
from syntonos.core.simulate.foundry.tracing import render_lights
from syntonos.core.simulate.sensors import measured_sensor, random_sensor
from syntonos.core.simulate.spectra import daylight, planck

WIDTH, HEIGHT = 960, 540
PLATES: Final = Path(__file__).parent / "plates"
FRAMES: Final = 4
LAYERS: Final = ("lamps", "led", "tungsten", "furnace")  # light adds up: a lighting is a sum


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
        DemoCamera("B", "Birch", birch, ".png"),
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


# Plates are rendered with the sensors balanced for one light; development rebalances them.
_PLATE_LIGHT_KELVIN: Final = 5700
_STOP_DOWN: Final = 0.53  # brings the chart's white to about 90 %


def render_plates(folder: Path) -> None:
    """Render what every camera's sensor receives in every view; takes minutes."""
    folder.mkdir(parents=True, exist_ok=True)
    for demo in demo_cameras():
        plate = replace(demo.camera, white_light=daylight(_PLATE_LIGHT_KELVIN))
        for shot in ("scene", "chart"):
            name = f"{demo.letter.lower()}-{shot}"
            paths = {layer: folder / f"{name}-{layer}.exr" for layer in LAYERS}
            if all(path.is_file() for path in paths.values()):
                continue
            sets = lamp_sets()
            drawn = render_lights(
                build_scene(with_chart=shot == "chart"), VIEWS[name], plate.sensor,
                plate.white_gains(), np.stack(list(sets.values())), width=WIDTH, height=HEIGHT,
                side=7,
            )  # fmt: skip
            layers = dict(zip(sets, drawn[:, 0], strict=True)) | {"furnace": drawn[0, 1]}
            for layer, path in paths.items():
                if not path.is_file():
                    write_frame(path, layers[layer].astype(np.float32), compression="dwaa:15")


@dataclass(frozen=True, slots=True)
class DemoLight:
    """A stretch of the day: how strong lamps and furnace are, and how the cameras are set."""

    name: str
    conditions: str
    lamps: float
    furnace: float
    stops: float = 0.0
    white_kelvin: float | None = None  # a black body all cameras are balanced for; else their own


LIGHTS: Final = (
    DemoLight("Foundry", "roof light, window, furnace glow; about 5700 K", 1.0, 1.0),
    DemoLight("Night casting", "furnace, a little moonlight; about 2700 K", 0.03, 4.0, 1.3, 2900.0),
)


@dataclass(frozen=True, slots=True)
class DemoClip:
    """One recording: which camera, in which light, of what."""

    letter: str
    day: int  # from 1, the place of its light in LIGHTS
    number: int
    kind: str  # "chart" or "scene"
    stops: float = 0.0  # beside the exposure of the scene
    frames: int = FRAMES

    @property
    def reel(self) -> str:
        """The clip's name."""
        return f"{self.letter}{self.day:03d}_{self.number:02d}"


# Birch shot no chart at night, and a bracket of it by day.
CLIPS: Final = (
    *(DemoClip(letter, 1, n, kind) for letter in "ABC" for n, kind in ((1, "chart"), (2, "scene"))),
    DemoClip("B", 1, 3, "chart", 2.0, 1), DemoClip("B", 1, 4, "chart", -2.0, 1),
    *(DemoClip(letter, 2, n, kind) for letter in "AC" for n, kind in ((1, "chart"), (2, "scene"))),
    DemoClip("B", 2, 2, "scene"),
)  # fmt: skip


def develop(demo: DemoCamera, clip: DemoClip, plates: Path = PLATES) -> list[NDArray[np.float32]]:
    """Return a clip's frames as stored code values, (HEIGHT, WIDTH, 3) each.

    The furnace flickers from frame to frame, the noise is new in each.
    """
    name = f"{demo.letter.lower()}-{clip.kind}"
    light = LIGHTS[clip.day - 1]
    lamps, furnace = (
        read_frame(plates / f"{name}-{layer}.exr").code_rgb.astype(np.float64)
        for layer in ("lamps", "furnace")
    )
    camera = replace(demo.camera, stops=demo.camera.stops + clip.stops + light.stops)
    if light.white_kelvin is not None:
        camera = replace(camera, white_light=planck(light.white_kelvin))
    plate = replace(demo.camera, white_light=daylight(_PLATE_LIGHT_KELVIN))
    balance = camera.white_gains() / plate.white_gains()
    rng = np.random.default_rng([ord(demo.letter), clip.day, clip.number])
    frames = []
    for _ in range(clip.frames):
        flicker = rng.uniform(0.9, 1.1)
        raw = (lamps * light.lamps + furnace * light.furnace * flicker) * balance * _STOP_DOWN
        stray = raw.mean(axis=(0, 1)) / raw.mean()
        frames.append(camera.record(raw, rng, flare_light=stray))
    return frames


def clip_files(demo: DemoCamera, clip: DemoClip) -> list[str]:
    """Return the names of a clip's files."""
    return [f"{clip.reel}_{i + 1:04d}{demo.ending}" for i in range(clip.frames)]


def write_footage(root: Path, plates: Path = PLATES) -> list[Path]:
    """Write all clips below a folder, a folder per camera; what is there already is kept."""
    written = []
    for demo in demo_cameras():
        folder = root / demo.name
        folder.mkdir(parents=True, exist_ok=True)
        for clip in (c for c in CLIPS if c.letter == demo.letter):
            paths = [folder / name for name in clip_files(demo, clip)]
            if not all(path.is_file() for path in paths):
                for path, frame in zip(paths, develop(demo, clip, plates), strict=True):
                    write_frame(path, frame)
            written += paths
    return written


if __name__ == "__main__":
    render_plates(Path(sys.argv[1]) if len(sys.argv) > 1 else PLATES)
