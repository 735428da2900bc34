"""What each sensor receives, rendered once and kept: plates, and the parts of them that move.

Rendering takes the better part of an hour, developing a plate does not
(`python -m syntonos.core.simulate.foundry.plates` renders what is not there). A plate is a picture
at rest under one lighting. What moves (the bell and the arm that pushes it, the fire) is rendered
as small boxes in a few positions, which are laid into the plate.
"""

from __future__ import annotations

import math
import sys
from collections.abc import Iterator
from dataclasses import dataclass, replace
from pathlib import Path
from typing import Final

import numpy as np
from numpy.typing import NDArray

from syntonos.core.media import read_frame, write_frame
from syntonos.core.simulate.foundry.cast import DemoCamera, demo_cameras
from syntonos.core.simulate.foundry.materials import lamp_sets, yellowed_reflectances
from syntonos.core.simulate.foundry.scene import (
    BELL,
    CRUCIBLE,
    SWAY,
    VIEWS,
    build_scene,
    project,
)
from syntonos.core.simulate.foundry.tracing import render_lights
from syntonos.core.simulate.spectra import daylight

WIDTH, HEIGHT = 960, 540
PLATES: Final = Path(__file__).parent / "plates"
YELLOWED: Final = "yellowed"  # the moulding hall's old chart, under its lamps
LAYERS: Final = ("lamps", "led", "tungsten", "furnace")  # light adds up: a lighting is a sum
SWINGS: Final = 8  # positions of the bell beside rest
FIRES: Final = 12  # positions of the fire, after which it comes round
# Plates are rendered with the sensors balanced for one light; development rebalances them.
PLATE_LIGHT_KELVIN: Final = 5700
_SIDE, _SIDE_MOVING = 7, 6  # samples per pixel and axis

Picture = NDArray[np.float64]
Frame = NDArray[np.float32]
Box = tuple[int, int, int, int]


def plate_name(demo: DemoCamera, shot: str) -> str:
    """Return the name of a camera's view: `a-scene`, `a-chart`."""
    return f"{demo.letter.lower()}-{shot}"


def _around(name: str, points: list[tuple[float, float, float]], margin: int) -> Box | None:
    """Return the box (left, top, right, bottom) of points, if the picture has it."""
    seen = project(VIEWS[name], points, WIDTH, HEIGHT)
    low = np.floor(seen.min(axis=0)).astype(int) - margin
    high = np.ceil(seen.max(axis=0)).astype(int) + margin
    left, top = max(int(low[0]), 0), max(int(low[1]), 0)
    right, bottom = min(int(high[0]), WIDTH), min(int(high[1]), HEIGHT)
    return (left, top, right, bottom) if right - left > 8 and bottom - top > 8 else None


def bell_box(name: str) -> Box | None:
    """Return where the bell, its rods and the founder's arm move in a view."""
    reach, (x0, z0) = 0.66, BELL
    mouth = [
        (x0 + (reach + 0.01) * math.cos(a), y, z0 + reach * math.sin(a))
        for a in np.linspace(0, 2 * math.pi, 24)
        for y in (0.95, 1.12)
    ]
    rods = [(x0 + side, 3.4, z0) for side in (-0.5, 0.5)]
    arm = [(0.0, 1.42, -0.95), (0.1, 1.1, -0.8)]
    pushed = [(x + SWAY, y, z) for x, y, z in mouth]
    return _around(name, [*mouth, *pushed, *rods, *arm], 6)


def fire_boxes(name: str) -> list[Box]:
    """Return where the furnace's mouth and the crucible glow in a view."""
    mouth = [(2.14, y, z) for y in (0.49, 1.25) for z in (-2.41, -1.49)]
    x, z = CRUCIBLE
    melt = [(x + dx, 0.47, z + dz) for dx in (-0.19, 0.19) for dz in (-0.19, 0.19)]
    boxes = (_around(name, mouth, 2), _around(name, melt, 2))
    return [box for box in boxes if box]


def _save(path: Path, picture: Picture, quality: int = 15) -> None:
    write_frame(path, picture.astype(np.float32), compression=f"dwaa:{quality}")


def render_plates(folder: Path = PLATES) -> None:
    """Render what every camera's sensor receives in every view, where it is not there yet."""
    folder.mkdir(parents=True, exist_ok=True)
    for demo in demo_cameras():
        for shot in ("scene", "chart"):
            _render_view(demo, shot, folder)
            if shot == "scene":
                _render_bell(demo, folder)
                _render_fire(demo, folder)


def _drawn(demo: DemoCamera, shot: str, *, swing: float = 0.0, fire: float = 0.0,
           box: Box | None = None, side: int = _SIDE, reflect: Picture | None = None
           ) -> dict[str, Picture]:  # fmt: skip
    """Return a view's layers, or a box of them."""
    plate = replace(demo.camera, white_light=daylight(PLATE_LIGHT_KELVIN))
    sets = lamp_sets()
    drawn = render_lights(
        build_scene(with_chart=shot == "chart", swing=swing, fire=fire),
        VIEWS[plate_name(demo, shot)], plate.sensor, plate.white_gains(),
        np.stack(list(sets.values())), width=WIDTH, height=HEIGHT, side=side, box=box,
        reflect=reflect,
    )  # fmt: skip
    return dict(zip(sets, drawn[:, 0], strict=True)) | {"furnace": drawn[0, 1]}


def _render_view(demo: DemoCamera, shot: str, folder: Path) -> None:
    name = plate_name(demo, shot)
    old = folder / f"{name}-{YELLOWED}.exr"
    if shot == "chart" and not old.is_file():
        part = _drawn(demo, shot, reflect=yellowed_reflectances())["led"]
        _save(old, part)
    paths = {layer: folder / f"{name}-{layer}.exr" for layer in LAYERS}
    if not all(path.is_file() for path in paths.values()):
        for layer, picture in _drawn(demo, shot).items():
            _save(paths[layer], picture)


def _render_bell(demo: DemoCamera, folder: Path) -> None:
    """Render the bell's positions, one below the other, in each lighting."""
    name = plate_name(demo, "scene")
    box = bell_box(name)
    paths = {layer: folder / f"{name}-bell-{layer}.exr" for layer in LAYERS}
    if box is None or all(path.is_file() for path in paths.values()):
        return
    steps = [
        _drawn(demo, "scene", swing=(i + 1) / SWINGS, fire=(i + 1) / FIRES, box=box,
               side=_SIDE_MOVING)
        for i in range(SWINGS)
    ]  # fmt: skip
    for layer, path in paths.items():
        _save(path, np.concatenate([step[layer] for step in steps]), 60)


def _render_fire(demo: DemoCamera, folder: Path) -> None:
    """Render the fire's positions, one below the other, in its own light."""
    name = plate_name(demo, "scene")
    for number, box in enumerate(fire_boxes(name)):
        path = folder / f"{name}-fire-{number + 1}.exr"
        if not path.is_file():
            steps = [
                _drawn(demo, "scene", fire=i / FIRES, box=box, side=_SIDE_MOVING)["furnace"]
                for i in range(FIRES)
            ]
            _save(path, np.concatenate(steps))


@dataclass(frozen=True, slots=True)
class _Moving:
    """A box of a plate in several positions: (positions, height, width, 3)."""

    box: Box
    steps: Frame

    def lay_into(self, plate: Frame, step: int) -> None:
        """Replace the box by one of its positions, with a soft edge inside the picture."""
        left, top, right, bottom = self.box
        edge = np.ones((bottom - top, right - left, 1), np.float32)
        rows, columns = np.arange(bottom - top), np.arange(right - left)
        soft = 4.0
        for near, axis, at in (
            (rows, 0, top > 0), (rows[::-1], 0, bottom < HEIGHT),
            (columns, 1, left > 0), (columns[::-1], 1, right < WIDTH),
        ):  # fmt: skip
            if at:
                ramp = np.clip((near + 0.5) / soft, 0, 1).astype(np.float32)
                edge *= ramp[:, None, None] if axis == 0 else ramp[None, :, None]
        part = plate[top:bottom, left:right]
        part += edge * (self.steps[step] - part)


def _strip(path: Path, box: Box, count: int) -> _Moving:
    steps = read_frame(path).code_rgb
    return _Moving(box, steps.reshape(count, box[3] - box[1], box[2] - box[0], 3))


def swing_of(frame: int) -> int:
    """Return the bell's position in a frame, 0 (rest) to SWINGS.

    The founder pushes it; on rods of 1.1 m it is back after a second (half of 2 pi sqrt(l / g)).
    """
    return round(SWINGS * abs(math.sin(math.pi * frame / 24)))


def layer_frames(
    name: str, layer: str, frames: int, *, folder: Path = PLATES, file: str = ""
) -> Iterator[Frame]:
    """Yield what a sensor receives from one lighting, frame by frame: (HEIGHT, WIDTH, 3) float32.

    Parameters
    ----------
    name : str
        A view (`plate_name`); in scenes bell, arm and fire move, charts stand still.
    layer : str
        One of LAYERS.
    file : str
        The plate's layer where it is not the lighting's own: YELLOWED.
    """
    rest = read_frame(folder / f"{name}-{file or layer}.exr").code_rgb
    bell, fires = None, []
    if name.endswith("scene"):
        box = bell_box(name)
        bell = _strip(folder / f"{name}-bell-{layer}.exr", box, SWINGS) if box else None
        if layer == "furnace":
            fires = [
                _strip(folder / f"{name}-fire-{i + 1}.exr", box, FIRES)
                for i, box in enumerate(fire_boxes(name))
            ]
    for number in range(frames):
        plate = rest.copy()
        step = swing_of(number)
        if bell is not None and step:
            bell.lay_into(plate, step - 1)
        for fire in fires:
            fire.lay_into(plate, number % FIRES)
        yield plate


if __name__ == "__main__":
    render_plates(Path(sys.argv[1]) if len(sys.argv) > 1 else PLATES)
