"""The demo production's footage: plates developed as each camera records them, and written.

White, exposure, flicker, flare, noise, curve, levels, quantisation; what is written on the slate.
"""

from __future__ import annotations

from collections.abc import Iterator
from concurrent.futures import ThreadPoolExecutor
from dataclasses import replace
from functools import cache
from pathlib import Path
from typing import Any, Final

import cv2
import numpy as np
from numpy.typing import NDArray

from syntonos.core.media import write_frame
from syntonos.core.media.video_write import write_video
from syntonos.core.simulate.camera import SimulatedCamera
from syntonos.core.simulate.dng import clock_tags, mosaic, next_timecode, write_dng
from syntonos.core.simulate.foundry.cast import (
    CLIPS,
    LIGHTS,
    DemoCamera,
    DemoClip,
    demo_cameras,
)
from syntonos.core.simulate.foundry.plates import (
    HEIGHT,
    PLATE_LIGHT_KELVIN,
    PLATES,
    WIDTH,
    YELLOWED,
    layer_frames,
    plate_name,
)
from syntonos.core.simulate.foundry.scene import (
    CHART_CENTRE,
    SLATE_HALF,
    VIEWS,
    View,
    project,
    slate_corners,
)
from syntonos.core.simulate.spectra import daylight, planck

_STOP_DOWN: Final = 0.53  # brings the chart's white to about 90 %


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
    at = np.array(CHART_CENTRE) + np.array([0.13, 0.09, 0.05])
    # About the chart's own plane: 55 mm to either side.
    (x, y), (beside, _) = project(view, np.stack([at, at + np.array([0.055, 0, 0])]), WIDTH, HEIGHT)
    rows, columns = np.mgrid[0:HEIGHT, 0:WIDTH]
    return np.asarray(
        share
        * np.exp(-((rows - y) ** 2 + (columns - x) ** 2) / (2 * (beside - x) ** 2))[..., None],
        np.float64,
    )


def _writing(demo: DemoCamera, clip: DemoClip) -> NDArray[np.float64]:
    """Return what the slate's ink leaves of its light (HEIGHT, WIDTH, 1)."""
    wide, scale = 760, 760 / (2 * SLATE_HALF[0])
    high = round(2 * SLATE_HALF[1] * scale)
    board = np.zeros((high, wide), np.uint8)
    facts, light = clip_facts(demo, clip), LIGHTS[clip.day - 1]
    lines = (
        ("The Bellfounders", 1.7, 4, (30, 70)),
        (f"{facts['reel_name']}", 4.6, 13, (30, 250)),
        (f"Sc {facts['scene']}", 2.1, 7, (450, 170)), (f"Tk {facts['take']}", 2.1, 7, (450, 250)),
        (f"{light.name}, {clip.timecode[:5]}", 1.7, 5, (30, 350)),
        (f"{demo.name}, {clip.lens}", 1.7, 5, (30, 440)),
    )  # fmt: skip
    for text, size, stroke, at in lines:
        cv2.putText(board, text, at, cv2.FONT_HERSHEY_SIMPLEX, size, 255, stroke, cv2.LINE_AA)
    cv2.rectangle(board, (8, 8), (wide - 9, high - 9), 255, 5)
    corners = project(VIEWS[plate_name(demo, clip.kind)], slate_corners(), WIDTH, HEIGHT)
    # Drawn far larger than it is seen: blurred to what a pixel covers before it is laid in.
    smaller = wide / np.linalg.norm(corners[1] - corners[0])
    board = cv2.GaussianBlur(board, (0, 0), 0.45 * float(smaller))
    own = np.array([[0, 0], [wide, 0], [wide, high], [0, high]], np.float32)
    turn = cv2.getPerspectiveTransform(own, (corners - 0.5).astype(np.float32))
    ink = cv2.warpPerspective(board, turn, (WIDTH, HEIGHT), flags=cv2.INTER_LINEAR)
    return np.asarray(1 - 0.93 / 255 * ink[..., None], np.float64)


def _raw_frames(
    demo: DemoCamera, clip: DemoClip, plates: Path, camera: SimulatedCamera,
    rng: np.random.Generator,
) -> Iterator[NDArray[np.float32]]:  # fmt: skip
    """Yield balanced raw of each frame, in float32: a frame's noise is far above its steps.

    The furnace flickers, the founder pushes the bell; a hand-held video camera sways.
    """
    name = plate_name(demo, clip.kind)
    light = LIGHTS[clip.day - 1]
    layers = {
        layer: layer_frames(
            name, layer, clip.frames, folder=plates,
            file=YELLOWED if clip.kind == "chart" and layer == "led" else "",
        )
        for layer in light.parts
    }  # fmt: skip
    plate = replace(demo.camera, white_light=daylight(PLATE_LIGHT_KELVIN))
    balance = (camera.white_gains() / plate.white_gains() * _STOP_DOWN).astype(np.float32)
    if clip.kind == "chart":
        balance = balance * _writing(demo, clip).astype(np.float32)
    veil = _veil(VIEWS[name], clip.glare).astype(np.float32) if clip.glare else None
    for number in range(clip.frames):
        flicker = rng.uniform(0.9, 1.1)
        weights = {**light.parts}
        if "furnace" in weights:
            weights["furnace"] *= flicker
        raw = np.zeros((HEIGHT, WIDTH, 3), np.float32)
        for layer, weight in weights.items():
            raw += next(layers[layer]) * np.float32(weight)
        raw *= balance
        if veil is not None:
            raw = raw + veil
        if clip.kind == "scene" and number and is_video(demo):
            turn = 2 * np.pi * number / 48
            shift = np.array([[1, 0, 5 * np.sin(turn)], [0, 1, 2.5 * np.sin(2.3 * turn)]])
            raw = cv2.warpAffine(raw, shift, (WIDTH, HEIGHT), borderMode=cv2.BORDER_REFLECT_101)
        yield raw


class _Grain:
    """Normal noise out of a bank of it, each time from another place: a tenth of the time.

    What lies at one pixel in two frames are different numbers of the bank.
    """

    def __init__(self, rng: np.random.Generator) -> None:
        self.rng = rng

    def standard_normal(self, size: Any, dtype: Any) -> Any:
        """Return what a generator's own would, of the bank."""
        bank, count = _bank(), int(np.prod(size))
        start = int(self.rng.integers(len(bank) - count))
        return bank[start : start + count].reshape(size).astype(dtype, copy=False)


@cache
def _bank() -> NDArray[np.float32]:
    return np.random.default_rng(1).standard_normal(12 * WIDTH * HEIGHT, dtype=np.float32)


def develop(demo: DemoCamera, clip: DemoClip, plates: Path = PLATES) -> list[NDArray[np.float32]]:
    """Return a clip's frames as stored code values, (HEIGHT, WIDTH, 3) each.

    The noise is new in each. Of a raw camera they are the balanced sensor's values.
    """
    camera = _camera_of(demo, clip)
    rng = np.random.default_rng([ord(demo.letter), clip.day, clip.number])
    grain = _Grain(rng)
    frames = []
    for raw in _raw_frames(demo, clip, plates, camera, rng):
        stray = raw.mean(axis=(0, 1)) / raw.mean()
        if demo.ending == ".dng":
            frames.append(camera.sense(raw, grain, flare_light=stray).astype(np.float32))
        else:
            frames.append(camera.record(raw, grain, flare_light=stray))
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
            _write_tiff(path, frame, demo, facts, timecode)
    return paths


def _write_tiff(
    path: Path, frame: NDArray[np.float32], demo: DemoCamera, facts: dict[str, str], timecode: str
) -> None:
    """Write a TIFF with the tags of a DNG sequence; not packed, since noise does not pack."""
    import tifffile

    partial = path.with_name(f".{path.name}.part")
    tifffile.imwrite(
        partial, np.rint(np.clip(frame, 0, 1) * 65535).astype(np.uint16), photometric="rgb",
        metadata=None, description=facts["slate"], software="", datetime=None,
        extratags=[(272, 2, 0, demo.name, True), (34855, 3, 1, int(facts["exposure_index"]), True),
                   *clock_tags(timecode, (24, 1), facts["reel_name"])],
    )  # fmt: skip
    partial.replace(path)


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
