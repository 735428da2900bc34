"""Video and raw against the formulas: the table of `syntonos media --check`.

A synthetic frame is written by each codec in either range, at either curve levels, and read again.
Our R'G'B' is compared with the formula of ITU-R BT.709 in float64 on the very codes that the
codec gives back, and with the frame that was written (which has the codec's own loss in it).
"""

from __future__ import annotations

import tempfile
from collections.abc import Iterator
from dataclasses import dataclass
from pathlib import Path
from typing import Any, Final

import av
import numpy as np
import rawpy
from numpy.typing import NDArray

from syntonos.core.encodings import put_levels_on, take_levels_off
from syntonos.core.media import (
    MATRICES,
    RawDevelopment,
    VideoReader,
    develop_raw,
)
from syntonos.core.media.raw_colour import RawColour
from syntonos.core.media.video_write import CODECS, write_video
from syntonos.core.media.ycbcr import quantisation_scales
from syntonos.core.simulate.dng import mosaic, write_dng

HEIGHT, WIDTH = 270, 480
_EDGE: Final = 4  # pixels about the rim, where chroma has no neighbours


@dataclass(frozen=True, slots=True)
class VideoRow:
    """Largest errors in code values of ten bits."""

    codec: str
    quantisation: str
    levels: str
    formula: float  # ours against the formula on the same codes
    written: float  # ours against the frame that was written
    tag: str  # the range that the file says


@dataclass(frozen=True, slots=True)
class RawRow:
    """Largest differences of scene light, 1 = white."""

    quality: str
    highlights: str
    truth: float
    libraw: float | None  # against LibRaw's own numbers through the same matrix


def _frame() -> NDArray[np.float64]:
    y, x = np.mgrid[0:HEIGHT, 0:WIDTH]
    return np.stack(
        [0.06 + 0.8 * x / WIDTH, 0.12 + 0.7 * y / HEIGHT, 0.25 + 0.4 * (x + y) / (WIDTH + HEIGHT)],
        axis=-1,
    )


def _wide(plane: NDArray[np.float64], height: int, width: int) -> NDArray[np.float64]:
    """Interpolate chroma to luma's places, sited left: columns on the even ones, rows between."""
    if plane.shape[1] != width:
        wide = np.repeat(plane, 2, axis=1)[:, :width]
        wide[:, 1:-1:2] = (plane[:, :-1] + plane[:, 1:])[:, : wide[:, 1:-1:2].shape[1]] / 2
        plane = wide
    if plane.shape[0] != height:
        up = np.concatenate([plane[:1], plane[:-1]])
        down = np.concatenate([plane[1:], plane[-1:]])
        tall = np.empty((height, plane.shape[1]))
        tall[0::2] = 0.75 * plane + 0.25 * up
        tall[1::2] = 0.75 * plane + 0.25 * down
        plane = tall
    return plane


def _formula(path: Path, quantisation: str) -> NDArray[np.float64]:
    """Return R'G'B' by the standard's equations from the first frame's codes."""
    with av.open(str(path)) as container:
        frame = next(container.decode(container.streams.video[0]))
        bits = frame.format.components[0].bits
        planes = []
        for plane in list(frame.planes)[:3]:
            kind: Any = np.uint8 if bits == 8 else np.uint16
            rows = np.frombuffer(memoryview(plane), kind)
            rows = rows.reshape(plane.height, -1)[:, : plane.width]
            planes.append(rows.astype(np.float64))
    y_scale, y_off, c_scale, c_off = quantisation_scales(bits, quantisation)
    height, width = planes[0].shape
    luma = (planes[0] - y_off) * y_scale
    cb, cr = (_wide((p - c_off) * c_scale, height, width) for p in planes[1:])
    red, blue = MATRICES["bt709"]
    r, b = luma + 2 * (1 - red) * cr, luma + 2 * (1 - blue) * cb
    return np.stack([r, (luma - red * r - blue * b) / (1 - red - blue), b], axis=-1)


def compare_video() -> Iterator[VideoRow]:
    """Yield a row for every codec, quantisation range and curve levels."""
    inner = (slice(_EDGE, -_EDGE), slice(_EDGE, -_EDGE))
    curve = _frame()
    with tempfile.TemporaryDirectory() as folder:
        for codec, kind in CODECS.items():
            for quantisation in ("legal", "full"):
                for levels in ("full", "legal"):
                    path = Path(folder) / f"{codec}-{quantisation}-{levels}{kind.ending}"
                    code = put_levels_on(curve, levels)
                    write_video(path, [code] * 2, codec, quantisation=quantisation)
                    with VideoReader(path) as video:
                        ours = video.read(0, quantisation=quantisation, matrix="bt709")
                        tag = video.recording.tagged_range
                    theirs = _formula(path, quantisation)
                    back = take_levels_off(ours.astype(np.float64), levels)
                    yield VideoRow(
                        codec, quantisation, levels,
                        float(np.abs(ours - theirs)[inner].max() * 1023),
                        float(np.abs(back - curve)[inner].max() * 1023), tag,
                    )  # fmt: skip


def compare_raw() -> Iterator[RawRow]:
    """Yield a row for each quality and handling of highlights."""
    matrix = np.array(
        [[0.4716, 0.0603, -0.0830], [-0.7798, 1.5474, 0.2480], [-0.1496, 0.1937, 0.6651]]
    )
    colour = RawColour(matrix, 6504.0)
    xy = (0.32816244, 0.34698169)
    neutral = colour.neutral_of(xy)
    linear = _frame()
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "a.dng"
        # The development of a grey that is 1 tells the matrix; its inverse makes the sensor's
        # values.
        to_ap1 = _matrix_of(path, matrix, neutral)
        camera = linear @ np.linalg.inv(to_ap1).T
        _write(path, camera, matrix, neutral)
        gains = neutral.max() / neutral
        with rawpy.imread(str(path)) as raw:
            stored = raw.postprocess(
                output_color=rawpy.ColorSpace.raw, output_bps=16, gamma=(1, 1),
                no_auto_bright=True, adjust_maximum_thr=0.0, user_wb=[*gains, gains[1]],
                highlight_mode=rawpy.HighlightMode(0),
            )  # fmt: skip
        theirs = (stored / 65535 * neutral) @ to_ap1.T
        for preview, quality in ((True, "preview"), (False, "full")):
            truth = (linear[::2, ::2] + linear[1::2, 1::2]) / 2 if preview else linear
            for highlights in ("clip", "blend", "rebuild"):
                ours = develop_raw(path, RawDevelopment(highlights=highlights), preview=preview)
                inner = (slice(_EDGE, -_EDGE), slice(_EDGE, -_EDGE))
                is_theirs = not preview and highlights == "clip"
                yield RawRow(
                    quality, highlights, float(np.abs(ours - truth)[inner].max()),
                    float(np.abs(ours - theirs)[inner].max()) if is_theirs else None,
                )  # fmt: skip


def _write(path: Path, camera: NDArray[np.float64], matrix: NDArray[np.float64],
           neutral: NDArray[np.float64]) -> None:  # fmt: skip
    write_dng(path, mosaic(camera, black=512, white=16383), model="Dogwood", color_matrix=matrix,
              neutral=neutral, black=512, white=16383)  # fmt: skip


def _matrix_of(path: Path, matrix: NDArray[np.float64],
               neutral: NDArray[np.float64]) -> NDArray[np.float64]:  # fmt: skip
    """Return the matrix from sensor values to AP1 that development takes, from flat patches."""
    columns = []
    for i in range(3):
        flat = np.full((64, 64, 3), 0.2) + 0.2 * np.eye(3)[i]
        _write(path, flat, matrix, neutral)
        lifted = develop_raw(path, preview=True)[4, 4].astype(np.float64)
        _write(path, np.full((64, 64, 3), 0.2), matrix, neutral)
        columns.append((lifted - develop_raw(path, preview=True)[4, 4]) / 0.2)
    return np.stack(columns, axis=-1)
