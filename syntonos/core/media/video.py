"""Video files: any frame exactly, as R'G'B' by our own arithmetic.

Frames are counted in the order in which they are shown. The file is indexed by its own table or by
its packets, which decodes nothing; a frame is reached by decoding from the nearest key frame before
it.
"""

from __future__ import annotations

import contextlib
import hashlib
import os
import zipfile
from collections.abc import Iterator, Mapping
from fractions import Fraction
from pathlib import Path
from types import TracebackType
from typing import Any, Final

import av
import numpy as np
from av.video.frame import VideoFrame
from numpy.typing import NDArray

from syntonos.core.errors import MediaError
from syntonos.core.media.facts import Recording, known_facts
from syntonos.core.media.ycbcr import quantisation_scales, ycbcr_to_rgb

ENDINGS: Final = (".mov", ".mp4", ".mxf", ".mkv", ".m4v")
_LARGEST_SIDE: Final = 16_384
_MOST_FRAMES: Final = 2_000_000
# ITU-T H.273 tables 4 and 2: matrix coefficients and the sides of the quantisation range.
_MATRIX_TAGS: Final = {1: "bt709", 5: "bt601", 6: "bt601", 9: "bt2020", 10: "bt2020"}
_RANGE_TAGS: Final = {1: "legal", 2: "full"}
# As the host library numbers where chroma stands: AVChromaLocation.
_SITING_TAGS: Final = {1: "left", 2: "center", 3: "topleft"}
# The host library's names of codecs, and their designations.
_CODECS: Final = {
    "prores": "ProRes", "dnxhd": "DNxHR", "h264": "H.264", "hevc": "HEVC", "ffv1": "FFV1",
    "v210": "v210", "mpeg2video": "MPEG-2", "av1": "AV1", "libdav1d": "AV1", "vp9": "VP9",
}  # fmt: skip


def _opened(path: Path) -> Any:
    try:
        container = av.open(str(path))
    except (av.FFmpegError, OSError, ValueError) as error:
        raise MediaError(f"{path.name} is no video that can be read, or it breaks off.",
                         hint="Copy it again from the card; mov, mp4, mxf and mkv are read.",
                         code="media.unreadable") from error  # fmt: skip
    if not container.streams.video:
        container.close()
        raise MediaError(f"{path.name} holds no picture.", hint="Choose the file with the picture.",
                         code="media.no_picture")  # fmt: skip
    return container


def _moments(container: Any, stream: Any) -> Iterator[tuple[int, bool]]:
    """Yield each frame's presentation time, and whether it is a key frame."""
    # Where every frame stands alone the container's own table says it all. Else the packets are
    # gone through, which reads the file: the table has no presentation times.
    table = [entry for entry in stream.index_entries if not entry.is_discard]
    if stream.codec_context.codec.intra_only and 0 < len(table) == stream.frames:
        for entry in table:
            yield entry.timestamp, True
        return
    for packet in container.demux(stream):
        if packet.pts is not None and not packet.is_discard and packet.size:
            yield packet.pts, packet.is_keyframe


def _kept_at(path: Path, folder: Path) -> Path:
    """Return where a file's index is kept: another file of this name, or a longer one, has none."""
    now = path.stat()
    text = f"{path.resolve()} {now.st_size} {now.st_mtime_ns}"
    return folder / f"{hashlib.sha256(text.encode()).hexdigest()[:32]}.npz"


def _listed(
    path: Path, container: Any, stream: Any, folder: Path | None
) -> tuple[list[int], list[int]]:
    """Return presentation times and key frames' times, as they were kept or gathered now."""
    kept = _kept_at(path, folder) if folder else None
    if kept is not None and kept.is_file():
        # One that was cut short or is of something else is made anew.
        unusable = contextlib.suppress(OSError, ValueError, KeyError, zipfile.BadZipFile)
        with unusable, np.load(kept) as found:
            return found["times"].tolist(), found["keys"].tolist()
    times: list[int] = []
    keys: list[int] = []
    for time, is_key in _moments(container, stream):
        times.append(time)
        if is_key:
            keys.append(time)
        if len(times) > _MOST_FRAMES:
            raise MediaError(f"{path.name} has over {_MOST_FRAMES} frames.",
                             hint="Split the recording.", code="media.too_large")  # fmt: skip
    times.sort()
    keys.sort()
    if kept is not None and times:
        kept.parent.mkdir(parents=True, exist_ok=True)
        partial = kept.with_suffix(f".{os.getpid()}.part.npz")
        np.savez_compressed(partial, times=np.array(times), keys=np.array(keys))
        partial.replace(kept)
    return times, keys


def _index(
    path: Path, container: Any, stream: Any, folder: Path | None
) -> tuple[list[int], list[int], Fraction]:
    """Return presentation times, key frames' times and the rate."""
    times, keys = _listed(path, container, stream, folder)
    if not times or not keys:
        raise MediaError(f"{path.name} holds no frames.", hint="Copy it again from the card.",
                         code="media.truncated")  # fmt: skip
    base: Fraction = stream.time_base
    rate: Fraction | None = stream.average_rate or stream.guessed_rate
    if len(times) > 1:
        steps = np.diff(times)
        # Times are rounded to the container's ticks: a step may be one off either way.
        usual = float(np.median(steps))
        off = np.abs(steps - usual) > 1.001 * max(1.0, 0.001 * usual)
        if off.any():
            first = int(np.argmax(off))
            raise MediaError(
                f"{path.name} has no constant frame rate: frame {first + 2} comes after "
                f"{steps[first] * float(base) * 1000:.1f} ms, the others after "
                f"{usual * float(base) * 1000:.1f} ms.",
                hint="Timecode and matching frames need a constant rate: convert it first.",
                code="media.variable_rate",
            )
        mean = Fraction(times[-1] - times[0], len(times) - 1) * base
        measured = 1 / mean
        # The tag is exact (24000/1001) where it agrees with what was counted.
        if rate is None or abs(float(rate / measured) - 1) > 0.002:
            rate = measured.limit_denominator(1001)
    return times, keys, Fraction(rate or 24)


def _planes(frame: VideoFrame) -> tuple[list[NDArray[Any]], int]:
    """Return the planes of a frame without copying them, and their bits."""
    bits = int(frame.format.components[0].bits)
    planes = []
    for plane in list(frame.planes)[:3]:
        kind: type[Any] = np.uint8 if bits == 8 else np.uint16
        size = 1 if bits == 8 else 2
        rows: NDArray[Any] = np.frombuffer(memoryview(plane), kind).reshape(
            plane.height, plane.line_size // size
        )
        planes.append(rows[:, : plane.width])
    return planes, bits


def _said_range(codec: str, frame: VideoFrame) -> str:
    """Return the range that the file itself says; ProRes has no place for it (SMPTE RDD 36)."""
    return "" if codec == "prores" else _RANGE_TAGS.get(int(frame.color_range), "")


class VideoReader:
    """An open video file; not for two threads at a time.

    Parameters
    ----------
    path
        A .mov, .mp4, .mxf or .mkv file.
    threads
        For decoding; 0 lets the decoder choose.
    index_folder
        Where indexes are kept, so that a file is gone through once and not at each opening.

    Raises
    ------
    MediaError
        When it cannot be read, has no picture, an inconstant frame rate, or planes other than
        Y'CbCr or RGB of 8 to 16 bits.
    """

    def __init__(
        self, path: str | os.PathLike[str], *, threads: int = 0, index_folder: Path | None = None
    ) -> None:
        self._path = Path(path)
        self._container = _opened(self._path)
        try:
            self._stream = self._container.streams.video[0]
            self._stream.thread_type = "AUTO"
            self._stream.codec_context.thread_count = threads
            try:
                self._times, self._keys, rate = _index(
                    self._path, self._container, self._stream, index_folder
                )
            except av.FFmpegError as error:
                raise self._broken("Its index cannot be read") from error
            self._place = {time: i for i, time in enumerate(self._times)}
            self._frames: Any = None
            self._next = -1
            first = self._decode(0)
            self._first: VideoFrame | None = first
            self.recording = self._say(first, rate)
        except BaseException:
            self._container.close()
            raise

    def __enter__(self) -> VideoReader:
        return self

    def __exit__(
        self, kind: type[BaseException] | None, error: BaseException | None,
        trace: TracebackType | None,
    ) -> None:  # fmt: skip
        self.close()

    def close(self) -> None:
        """Give the file back."""
        self._container.close()

    def _broken(self, what: str) -> MediaError:
        return MediaError(f"{self._path.name} is damaged or breaks off: {what}.",
                          hint="Copy it again from the card.",
                          code="media.truncated")  # fmt: skip

    def _say(self, frame: VideoFrame, rate: Fraction) -> Recording:
        layout = frame.format
        bits = int(layout.components[0].bits)
        is_rgb = bool(layout.is_rgb)
        planar = layout.name.startswith(("yuv", "gbr")) and not layout.name.endswith("be")
        if not (planar and 8 <= bits <= 16):
            raise MediaError(f"{self._path.name} stores its picture as {layout.name}.",
                             hint="Y'CbCr or RGB planes of 8 to 16 bits are read: convert it.",
                             code="media.planes")  # fmt: skip
        if max(frame.width, frame.height) > _LARGEST_SIDE:
            raise MediaError(f"{self._path.name} is {frame.width} x {frame.height}.",
                             hint=f"At most {_LARGEST_SIDE} a side are read.",
                             code="media.too_large")  # fmt: skip
        metadata: dict[str, str] = {}
        sources: list[Mapping[str, str]] = [self._container.metadata]
        sources += [stream.metadata for stream in self._container.streams]
        for source in sources:
            for name, value in source.items():
                metadata.setdefault(str(name).lower(), str(value)[:200])
        warnings = []
        if frame.interlaced_frame:
            warnings.append("Interlaced: its fields are not taken apart.")
        if bits == 8:
            warnings.append("8 bit: log curves show steps.")
        turns = round(-frame.rotation / 90) % 4
        size = (frame.width, frame.height)[:: -1 if turns % 2 else 1]
        aspect = self._stream.sample_aspect_ratio
        matrix = "" if is_rgb else _MATRIX_TAGS.get(int(frame.colorspace), "")
        if not is_rgb and not matrix:
            # Untagged: the usual one for the size (common practice, no source).
            matrix = "bt601" if frame.width <= 720 and frame.height <= 576 else "bt709"
            warnings.append(f"No matrix is tagged; {matrix.upper()} is taken, as is usual.")
        codec = str(self._stream.codec_context.name)
        place = getattr(self._stream.codec_context, "chroma_location", None)
        return Recording(
            kind="video", format=_CODECS.get(codec, codec), width=size[0], height=size[1],
            bits=bits, frame_count=len(self._times), rate=rate,
            timecode=metadata.get("timecode", ""),
            pixel_aspect=float(aspect) if aspect else 1.0, turns=turns,
            tagged_range=_said_range(self._stream.codec_context.name, frame), matrix=matrix,
            siting="" if is_rgb else _SITING_TAGS.get(int(place or 0), "left"),
            facts=known_facts(metadata), metadata=metadata, warnings=tuple(warnings),
        )  # fmt: skip

    def _decode(self, index: int) -> VideoFrame:
        wanted = self._times[index]
        if self._frames is None or not self._reaches(index):
            try:
                self._container.seek(wanted, stream=self._stream, backward=True, any_frame=False)
            except av.FFmpegError as error:
                raise self._broken(f"frame {index + 1} cannot be reached") from error
            self._frames = self._container.decode(self._stream)
        try:
            for frame in self._frames:
                place = self._place.get(frame.pts)
                if place is None or place < index:
                    continue
                if place > index:
                    break
                self._next = index + 1
                return frame  # type: ignore[no-any-return]
        except av.FFmpegError as error:
            self._frames = None
            raise self._broken(f"frame {index + 1} cannot be decoded") from error
        self._frames = None
        raise self._broken(f"frame {index + 1} is not there")

    def _reaches(self, index: int) -> bool:
        """Whether going on from here is no longer than going back to a key frame."""
        if index < self._next:
            return False
        wanted = self._times[index]
        key = self._keys[max(int(np.searchsorted(self._keys, wanted, side="right")) - 1, 0)]
        return self._place.get(key, 0) <= self._next

    def read(
        self, index: int, *, quantisation: str = "", matrix: str = ""
    ) -> NDArray[np.float32]:  # fmt: skip
        """Return a frame's R'G'B' (h, w, 3) float32; 1.0 = white of the quantisation range.

        Parameters
        ----------
        index
            From 0, in the order of showing.
        quantisation, matrix
            In place of what the file says. Without either, Y'CbCr is legal and RGB is full.

        Raises
        ------
        MediaError
            When the frame is not there or cannot be decoded.
        """
        if not 0 <= index < len(self._times):
            raise MediaError(
                f"{self._path.name} has {len(self._times)} frames, frame {index + 1} was asked "
                "for.",
                hint="Choose a frame of the clip.", code="media.frame",
            )  # fmt: skip
        if index == 0 and self._first is not None:
            frame, self._first = self._first, None
        else:
            frame = self._decode(index)
        planes, bits = _planes(frame)
        said = self.recording
        if frame.format.is_rgb:
            scale, offset, *_ = quantisation_scales(bits, quantisation or "full")
            green, blue, red = planes
            code = np.stack([red, green, blue], axis=-1).astype(np.float32)
            code = (code - np.float32(offset)) * np.float32(scale)
        else:
            code = ycbcr_to_rgb(
                *planes, bits=bits, quantisation=quantisation or said.tagged_range or "legal",
                matrix=matrix or said.matrix, siting=said.siting,
            )  # fmt: skip
        return np.ascontiguousarray(np.rot90(code, -said.turns)) if said.turns else code


def read_video_info(path: str | os.PathLike[str]) -> Recording:
    """Return what a video file says of itself; its first frame is decoded to see that it can be.

    Raises
    ------
    MediaError
        As VideoReader.
    """
    with VideoReader(path) as reader:
        return reader.recording
