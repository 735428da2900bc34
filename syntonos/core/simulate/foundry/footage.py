"""The demo production's footage.

Rendering takes minutes, so what each sensor receives is rendered once into *plates* that are kept
in the repository (`python -m syntonos.core.simulate.foundry.footage` renders them again). Setting
the demo up only develops the plates: white, exposure, flare, noise, curve, levels, quantisation.
"""

from __future__ import annotations

import sys
from collections.abc import Iterator, Mapping
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass, replace
from pathlib import Path
from typing import Any, Final

import cv2
import numpy as np
from numpy.typing import NDArray

from syntonos.core.encodings import keep_encoding
from syntonos.core.media import read_frame, write_frame
from syntonos.core.media.video_write import write_video
from syntonos.core.simulate.camera import SimulatedCamera
from syntonos.core.simulate.dng import mosaic, next_timecode, write_dng
from syntonos.core.simulate.foundry.materials import lamp_sets, yellowed_reflectances
from syntonos.core.simulate.foundry.scene import CHART_CENTRE, VIEWS, View, build_scene
from syntonos.core.simulate.foundry.tracing import render_lights
from syntonos.core.simulate.sensors import measured_sensor, random_sensor
from syntonos.core.simulate.spectra import daylight, planck

WIDTH, HEIGHT = 960, 540
PLATES: Final = Path(__file__).parent / "plates"
FRAMES: Final = 4
YELLOWED: Final = "yellowed"  # the moulding hall's old chart, under its lamps
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
            sets = lamp_sets()
            old = folder / f"{name}-{YELLOWED}.exr"
            if shot == "chart" and not old.is_file():
                part = render_lights(
                    build_scene(with_chart=True), VIEWS[name], plate.sensor, plate.white_gains(),
                    sets["led"][None], width=WIDTH, height=HEIGHT, side=7,
                    reflect=yellowed_reflectances(),
                )[0, 0]  # fmt: skip
                write_frame(old, part.astype(np.float32), compression="dwaa:15")
            if all(path.is_file() for path in paths.values()):
                continue
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
    """A stretch of the day: how strong each lighting is, and how the cameras are set."""

    name: str
    conditions: str
    parts: Mapping[str, float]  # of LAYERS
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
    return DemoClip(letter, day, 2, "scene", frames=24 if letter in "BE" else FRAMES, **more)


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


def _camera_of(demo: DemoCamera, clip: DemoClip) -> SimulatedCamera:
    """Return the camera as it was set for a clip."""
    light = LIGHTS[clip.day - 1]
    camera = replace(demo.camera, stops=demo.camera.stops + clip.stops + light.stops)
    if light.white_kelvin is not None:
        camera = replace(camera, white_light=planck(light.white_kelvin))
    if clip.encoding:
        camera = replace(camera, encoding=clip.encoding)
    return replace(camera, levels=clip.levels or camera.levels)


def _veil(view: View, share: float) -> NDArray[np.float64]:
    """Return a lamp's glare (h, w, 1) over the upper right of the chart."""
    eye, target = np.array(view.eye), np.array(view.target)
    ahead = (target - eye) / np.linalg.norm(target - eye)
    right = np.cross(ahead, [0, 1, 0])
    right /= np.linalg.norm(right)
    to = np.array(CHART_CENTRE) + np.array([0.13, 0.09, 0.05]) - eye
    scale = view.focal / 36 * WIDTH / (to @ ahead)
    x = WIDTH / 2 + (to @ right) * scale
    y = HEIGHT / 2 - (to @ np.cross(right, ahead)) * scale
    rows, columns = np.mgrid[0:HEIGHT, 0:WIDTH]
    size = 0.055 * scale
    return np.asarray(
        share * np.exp(-((rows - y) ** 2 + (columns - x) ** 2) / (2 * size**2))[..., None],
        np.float64,
    )


def _raw_frames(
    demo: DemoCamera, clip: DemoClip, plates: Path, camera: SimulatedCamera,
    rng: np.random.Generator,
) -> Iterator[NDArray[np.float64]]:  # fmt: skip
    """Yield balanced raw of each frame: the furnace flickers, a hand-held camera sways."""
    name = f"{demo.letter.lower()}-{clip.kind}"
    light = LIGHTS[clip.day - 1]
    file = {"led": YELLOWED} if clip.kind == "chart" else {}
    layers = {
        layer: read_frame(plates / f"{name}-{file.get(layer, layer)}.exr").code_rgb.astype(
            np.float64
        )
        for layer in light.parts
    }
    plate = replace(demo.camera, white_light=daylight(_PLATE_LIGHT_KELVIN))
    balance = camera.white_gains() / plate.white_gains() * _STOP_DOWN
    veil = _veil(VIEWS[name], clip.glare) if clip.glare else None
    for number in range(clip.frames):
        flicker = rng.uniform(0.9, 1.1)
        weights = {**light.parts}
        if "furnace" in weights:
            weights["furnace"] *= flicker
        raw = sum((layers[n] * w for n, w in weights.items()), np.zeros(())) * balance
        if veil is not None:
            raw = raw + veil
        if clip.kind == "scene" and number and clip.frames > FRAMES:
            turn = 2 * np.pi * number / 48
            shift = np.array([[1, 0, 5 * np.sin(turn)], [0, 1, 2.5 * np.sin(2.3 * turn)]])
            raw = cv2.warpAffine(raw, shift, (WIDTH, HEIGHT), borderMode=cv2.BORDER_REFLECT_101)
        yield raw


def develop(demo: DemoCamera, clip: DemoClip, plates: Path = PLATES) -> list[NDArray[np.float32]]:
    """Return a clip's frames as stored code values, (HEIGHT, WIDTH, 3) each.

    The noise is new in each. Of a raw camera they are the balanced sensor's values.
    """
    camera = _camera_of(demo, clip)
    rng = np.random.default_rng([ord(demo.letter), clip.day, clip.number])
    frames = []
    for raw in _raw_frames(demo, clip, plates, camera, rng):
        stray = raw.mean(axis=(0, 1)) / raw.mean()
        if demo.ending == ".dng":
            frames.append(camera.sense(raw, rng, flare_light=stray).astype(np.float32))
        else:
            frames.append(camera.record(raw, rng, flare_light=stray))
    return frames


def is_video(demo: DemoCamera) -> bool:
    """Whether a camera's clips are one file each."""
    return demo.ending in (".mov", ".mp4")


def clip_files(demo: DemoCamera, clip: DemoClip) -> list[str]:
    """Return the names of a clip's files."""
    if is_video(demo):
        return [f"{clip.reel}{demo.ending}"]
    return [f"{clip.reel}_{i + 1:04d}{demo.ending}" for i in range(clip.frames)]


def clip_facts(demo: DemoCamera, clip: DemoClip) -> dict[str, str]:
    """Return what the camera writes into a clip's file."""
    light = LIGHTS[clip.day - 1]
    white = f"{light.white_kelvin:.0f} K" if light.white_kelvin else "5600 K"
    return {
        "camera": demo.name, "reel_name": clip.reel[:4], "scene": f"{10 + clip.day}",
        "take": f"{clip.number}", "lens": clip.lens, "exposure_index": "800", "white": white,
        "shutter": "172.8", "slate": "chart" if clip.kind == "chart" else light.name,
    }  # fmt: skip


_DNG_BLACK, _DNG_WHITE = 256, 4095  # twelve bit


def write_clip(demo: DemoCamera, clip: DemoClip, folder: Path, plates: Path = PLATES) -> list[Path]:
    """Write one clip's files into a folder; what is there already is kept."""
    folder.mkdir(parents=True, exist_ok=True)
    paths = [folder / name for name in clip_files(demo, clip)]
    if all(path.is_file() for path in paths):
        return paths
    frames = develop(demo, clip, plates)
    facts = clip_facts(demo, clip)
    if is_video(demo):
        codec = "prores-422-hq" if demo.ending == ".mov" else "hevc-10"
        write_video(paths[0], frames, codec, rate=24, timecode=clip.timecode, metadata=facts, crf=8)
        return paths
    camera = _camera_of(demo, clip)
    for number, (path, frame) in enumerate(zip(paths, frames, strict=True)):
        timecode = next_timecode(clip.timecode, number, 24)
        if demo.ending == ".dng":
            gains = camera.white_gains()
            neutral = gains.min() / gains
            write_dng(
                path, mosaic(frame * neutral / camera.clip, black=_DNG_BLACK, white=_DNG_WHITE),
                model=demo.name, color_matrix=camera.color_matrix(daylight(6504)),
                color_matrix_2=camera.color_matrix(planck(2856)), neutral=neutral,
                black=_DNG_BLACK, white=_DNG_WHITE, baseline_stops=float(np.log2(camera.clip)),
                timecode=timecode, reel=facts["reel_name"], exposure_index=800,
                description=facts["slate"],
            )  # fmt: skip
        elif demo.ending == ".dpx":
            write_frame(path, frame, metadata={"smpte:TimeCode": timecode,
                                               "dpx:InputDevice": demo.name})  # fmt: skip
        else:
            write_frame(path, frame, metadata={"Model": demo.name,
                                               "ImageDescription": facts["slate"]})  # fmt: skip
    return paths


# A card that nobody has brought in yet: more of the moulding hall, in two parts, with a gap, and
# a file whose copy broke off.
CARD: Final = "Second card"


def write_card(root: Path, plates: Path = PLATES) -> Path:
    """Write a card of new recordings below a folder; what is there already is kept."""
    card = root / CARD
    if card.is_dir():
        return card
    partial = root / f".{CARD}.part"
    for demo in demo_cameras():
        clip = DemoClip(demo.letter, 3, 5, "scene", frames=12 if is_video(demo) else 3)
        if demo.letter == "A":
            continue
        folder = partial / demo.name
        if demo.letter == "B":
            whole = develop(demo, clip, plates)
            folder.mkdir(parents=True, exist_ok=True)
            for part, start in enumerate((0, 6)):
                write_video(
                    folder / f"B003_05_{part + 1}.mov", whole[start : start + 6], "prores-422-hq",
                    timecode=next_timecode(clip.timecode, start, 24),
                    metadata=clip_facts(demo, clip),
                )  # fmt: skip
            broken = (folder / "B003_05_1.mov").read_bytes()
            (folder / "B003_06.mov").write_bytes(broken[: len(broken) // 2])
            continue
        paths = write_clip(demo, clip, folder, plates)
        if demo.letter == "C":
            paths[1].unlink()
    partial.replace(card)
    return card


def write_footage(root: Path, plates: Path = PLATES) -> list[Path]:
    """Write all clips below a folder, a folder per camera; what is there already is kept."""
    with ThreadPoolExecutor(2) as pool:
        parts = pool.map(
            lambda job: write_clip(job[0], job[1], root / job[0].name, plates),
            [(demo, clip) for demo in demo_cameras() for clip in CLIPS
             if clip.letter == demo.letter],
        )  # fmt: skip
        return [path for part in parts for path in part]


if __name__ == "__main__":
    render_plates(Path(sys.argv[1]) if len(sys.argv) > 1 else PLATES)
