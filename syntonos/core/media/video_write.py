"""Writing video: R'G'B' by our own arithmetic into a few codecs."""

from __future__ import annotations

import os
from collections.abc import Iterable, Mapping
from dataclasses import dataclass
from fractions import Fraction
from pathlib import Path
from typing import Any, Final

import av
import numpy as np
from av.video.frame import VideoFrame
from numpy.typing import NDArray

from syntonos.core.errors import MediaError
from syntonos.core.media.ycbcr import MATRICES, rgb_to_ycbcr


@dataclass(frozen=True, slots=True)
class Codec:
    """How one kind of video is written."""

    encoder: str
    layout: str  # of the planes, as the host library names it
    bits: int
    options: Mapping[str, str]
    ending: str


# Without B frames: with them x265 gives clips of a few frames times that no container takes.
_QUIET: Final = {"x265-params": "log-level=none:pools=2:frame-threads=1:bframes=0"}
CODECS: Final = {
    "prores-422-hq": Codec("prores_ks", "yuv422p10le", 10, {"profile": "3"}, ".mov"),
    "prores-4444": Codec("prores_ks", "yuv444p10le", 10, {"profile": "4"}, ".mov"),
    "dnxhr-hqx": Codec("dnxhd", "yuv422p10le", 10, {"profile": "dnxhr_hqx"}, ".mxf"),
    "h264": Codec("libx264", "yuv420p", 8, {"crf": "12", "preset": "fast"}, ".mp4"),
    "hevc-10": Codec("libx265", "yuv420p10le", 10, {"crf": "10", "preset": "ultrafast", **_QUIET},
                     ".mp4"),
    "ffv1": Codec("ffv1", "yuv422p10le", 10, {}, ".mkv"),
    "ffv1-444": Codec("ffv1", "yuv444p10le", 10, {}, ".mkv"),
    "v210": Codec("v210", "yuv422p10le", 10, {}, ".mov"),
}  # fmt: skip
_MATRIX_NUMBERS: Final = {"bt709": 1, "bt601": 6, "bt2020": 9}  # ITU-T H.273 table 4


def _sampled(plane: NDArray[np.uint16], layout: str) -> NDArray[np.uint16]:
    """Return chroma at its own, coarser places: on every second luma column, between two rows."""
    values = plane.astype(np.float64)
    if "444" not in layout:
        wide = np.pad(values, ((0, 0), (1, 1)), mode="edge")
        values = (0.25 * wide[:, :-2] + 0.5 * wide[:, 1:-1] + 0.25 * wide[:, 2:])[:, ::2]
    if "420" in layout:
        even = values if len(values) % 2 == 0 else np.pad(values, ((0, 1), (0, 0)), mode="edge")
        values = (even[::2] + even[1::2]) / 2
    return np.rint(values).astype(np.uint16)


def write_video(
    path: str | os.PathLike[str],
    frames: Iterable[NDArray[Any]],
    codec: str,
    *,
    rate: Fraction | int = 24,
    quantisation: str = "legal",
    matrix: str = "bt709",
    timecode: str = "",
    metadata: Mapping[str, str] | None = None,
    bit_rate: int | None = None,
    crf: int | None = None,
) -> None:
    """Write R'G'B' frames (h, w, 3), 1.0 = white, as video.

    Parameters
    ----------
    codec
        Key of CODECS; `crf` (quality, lower is better) replaces that of h264 and hevc-10,
        `bit_rate` (bits a second) that of the others.
    rate
        Frames a second.
    quantisation, matrix
        As `ycbcr_to_rgb`; tagged where the format has a place for it.

    Raises
    ------
    MediaError
        When codec or matrix are not known, or the disc refuses. What was begun is taken away.
    """
    if codec not in CODECS or matrix not in MATRICES:
        raise MediaError(f"Codec {codec!r} with matrix {matrix!r} is not written.",
                         hint=f"Codecs: {', '.join(CODECS)}.", code="media.codec")  # fmt: skip
    kind, path = CODECS[codec], Path(path)
    partial = path.with_name(f".{path.stem}.part{path.suffix}")
    options = dict(kind.options)
    if crf is not None and "crf" in options:
        options["crf"] = str(crf)
    flags = {"movflags": "use_metadata_tags"} if path.suffix in (".mov", ".mp4") else {}
    try:
        with av.open(str(partial), "w", options=flags) as container:
            container.metadata.update(metadata or {})
            if timecode:
                container.metadata["timecode"] = timecode
            stream: Any = container.add_stream(kind.encoder, rate=Fraction(rate), options=options)
            stream.pix_fmt = kind.layout
            if bit_rate:
                stream.bit_rate = bit_rate
            if kind.encoder == "libx265" and path.suffix in (".mov", ".mp4"):
                stream.codec_context.codec_tag = "hvc1"
            for number, code in enumerate(frames):
                if number == 0:
                    stream.height, stream.width = code.shape[:2]
                    stream.codec_context.color_range = 2 if quantisation == "full" else 1
                    stream.codec_context.colorspace = _MATRIX_NUMBERS[matrix]
                for packet in stream.encode(
                    _frame(code, kind, number, quantisation=quantisation, matrix=matrix)
                ):
                    container.mux(packet)
            for packet in stream.encode():
                container.mux(packet)
        partial.replace(path)
    except (av.FFmpegError, OSError) as error:
        why = getattr(error, "strerror", None) or str(error)
        raise MediaError(f"{path.name} could not be written: {why}.",
                         hint="Check space and rights.",
                         code="media.write") from error  # fmt: skip
    finally:
        partial.unlink(missing_ok=True)


def _frame(
    code: NDArray[Any], kind: Codec, number: int, *, quantisation: str, matrix: str
) -> VideoFrame:
    planes = rgb_to_ycbcr(code, bits=kind.bits, quantisation=quantisation, matrix=matrix)
    frame = VideoFrame(code.shape[1], code.shape[0], kind.layout)
    frame.pts = number
    frame.color_range = 2 if quantisation == "full" else 1
    frame.colorspace = _MATRIX_NUMBERS[matrix]
    depth = np.uint8 if kind.bits == 8 else np.uint16
    for i, plane in enumerate(frame.planes):
        values = planes[..., i] if i == 0 else _sampled(planes[..., i], kind.layout)
        rows = np.zeros((plane.height, plane.line_size // depth().itemsize), depth)
        rows[:, : plane.width] = values
        plane.update(rows.tobytes())
    return frame
