"""The demo production's footage.

Rendering takes minutes, so what each sensor receives is rendered once into *plates* that are kept
in the repository (`python -m syntonos.core.simulate.foundry.footage` renders them again). Setting
the demo up only develops the plates: white, exposure, flare, noise, curve, levels, quantisation.
"""

from __future__ import annotations

import sys
from dataclasses import dataclass, replace
from pathlib import Path
from typing import Final

import numpy as np
from numpy.typing import NDArray

from syntonos.core.media import read_frame, write_frame
from syntonos.core.simulate.camera import SimulatedCamera
from syntonos.core.simulate.foundry.scene import VIEWS, build_scene
from syntonos.core.simulate.foundry.tracing import render_light
from syntonos.core.simulate.sensors import measured_sensor, random_sensor
from syntonos.core.simulate.spectra import daylight

WIDTH, HEIGHT = 960, 540
PLATES: Final = Path(__file__).parent / "plates"
FRAMES: Final = 4


@dataclass(frozen=True, slots=True)
class DemoCamera:
    """One camera of the production, and how its files are written."""

    letter: str
    name: str
    camera: SimulatedCamera
    ending: str


def demo_cameras() -> tuple[DemoCamera, ...]:
    """Return the three cameras: three sensors, three encodings, one of them at legal levels."""
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
    return (
        DemoCamera("A", "Alder", alder, ".tif"),
        DemoCamera("B", "Birch", birch, ".png"),
        DemoCamera("C", "Cedar", cedar, ".dpx"),
    )


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
            layers = render_light(
                build_scene(with_chart=shot == "chart"), VIEWS[name], plate.sensor,
                plate.white_gains(), width=WIDTH, height=HEIGHT, side=7,
            )  # fmt: skip
            for layer, part in zip(("lamps", "furnace"), layers, strict=True):
                write_frame(folder / f"{name}-{layer}.exr", part.astype(np.float32))


def develop(demo: DemoCamera, shot: str, plates: Path = PLATES) -> list[NDArray[np.float32]]:
    """Return a clip's frames as stored code values, (HEIGHT, WIDTH, 3) each.

    The furnace flickers from frame to frame, the noise is new in each.
    """
    name = f"{demo.letter.lower()}-{shot}"
    lamps, furnace = (
        read_frame(plates / f"{name}-{layer}.exr").code_rgb.astype(np.float64)
        for layer in ("lamps", "furnace")
    )
    plate = replace(demo.camera, white_light=daylight(_PLATE_LIGHT_KELVIN))
    balance = demo.camera.white_gains() / plate.white_gains()
    rng = np.random.default_rng([ord(demo.letter), len(shot)])
    frames = []
    for _ in range(FRAMES):
        raw = (lamps + furnace * rng.uniform(0.9, 1.1)) * balance * _STOP_DOWN
        stray = raw.mean(axis=(0, 1)) / raw.mean()
        frames.append(demo.camera.record(raw, rng, flare_light=stray))
    return frames


def clip_files(demo: DemoCamera, shot: str, day: int = 1) -> tuple[str, list[str]]:
    """Return a clip's reel name and its files' names."""
    reel = f"{demo.letter}{day:03d}_{'01' if shot == 'chart' else '02'}"
    return reel, [f"{reel}_{i + 1:04d}{demo.ending}" for i in range(FRAMES)]


def write_footage(root: Path, plates: Path = PLATES) -> list[Path]:
    """Write all clips below a folder, a folder per camera; what is there already is kept."""
    written = []
    for demo in demo_cameras():
        folder = root / demo.name
        folder.mkdir(parents=True, exist_ok=True)
        for shot in ("chart", "scene"):
            _, names = clip_files(demo, shot)
            paths = [folder / name for name in names]
            if not all(path.is_file() for path in paths):
                for path, frame in zip(paths, develop(demo, shot, plates), strict=True):
                    write_frame(path, frame)
            written += paths
    return written


if __name__ == "__main__":
    render_plates(Path(sys.argv[1]) if len(sys.argv) > 1 else PLATES)
