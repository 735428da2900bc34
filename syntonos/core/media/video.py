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
from dataclasses import dataclass
from fractions import Fraction
from itertools import islice
from pathlib import Path
from types import TracebackType
from typing import Any, Final

import av
import numpy as np
from av.video.frame import VideoFrame
from numpy.typing import NDArray

from syntonos.core.errors import MediaError
from syntonos.core.files import parsing, see_file
from syntonos.core.media.facts import Recording, known_facts
from syntonos.core.media.siting import stated_siting
from syntonos.core.media.ycbcr import quantisation_scales, ycbcr_to_rgb

ENDINGS: Final = (".mov", ".mp4", ".mxf", ".mkv", ".m4v")
_LARGEST_SIDE: Final = 16_384
_MOST_FRAMES: Final = 2_000_000
_LONGEST_GROUP: Final = 64  # frames that are looked at for a reordering that is not said
_EARLIER: Final = 3  # key frames before the nearest one that decoding begins at, at most
# What a container says of the matrix where its pictures say another.
OTHER_MATRIX: Final = "y'cbcr matrix of the container"
# ITU-T H.273 tables 4 and 2: matrix coefficients and the sides of the quantisation range.
_MATRIX_TAGS: Final = {
    1: "bt709", 4: "fcc", 5: "bt601", 6: "bt601", 7: "240m", 9: "bt2020",
}  # fmt: skip
_UNREAD_MATRICES: Final = {
    8: "YCgCo", 10: "BT.2020 constant luminance", 11: "Y'D'zD'x", 12: "chromaticity-derived",
    13: "chromaticity-derived constant luminance", 14: "ICtCp", 15: "IPT-C2", 16: "YCgCo-R",
    17: "YCgCo-R",
}  # fmt: skip
_RANGE_TAGS: Final = {1: "legal", 2: "full"}
# The host library's names of codecs, and their designations.
_CODECS: Final = {
    "prores": "ProRes", "dnxhd": "DNxHR", "h264": "H.264", "hevc": "HEVC", "ffv1": "FFV1",
    "v210": "v210", "mpeg2video": "MPEG-2", "av1": "AV1", "libdav1d": "AV1", "vp9": "VP9",
}  # fmt: skip


def _opened(path: Path) -> Any:
    see_file(path)
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


@dataclass(frozen=True, slots=True)
class _Listing:
    """Presentation times of all frames and of key frames, rising."""

    times: list[int]
    keys: list[int]
    is_known: bool = False  # it was kept when the file was opened before


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
    text = f"2 {path.resolve()} {now.st_size} {now.st_mtime_ns}"
    return folder / f"{hashlib.sha256(text.encode()).hexdigest()[:32]}.npz"


def _listed(path: Path, container: Any, stream: Any, folder: Path | None) -> _Listing:
    """Return a file's listing, as it was kept or gathered now."""
    kept = _kept_at(path, folder) if folder else None
    if kept is not None and kept.is_file():
        # One that was cut short or is of something else is made anew.
        unusable = contextlib.suppress(OSError, ValueError, KeyError, zipfile.BadZipFile)
        with unusable, np.load(kept) as found:
            return _Listing(found["times"].tolist(), found["keys"].tolist(), is_known=True)
    times: list[int] = []
    keys: list[int] = []
    for time, is_key in _moments(container, stream):
        times.append(time)
        if is_key:
            keys.append(time)
        if len(times) > _MOST_FRAMES:
            raise MediaError(f"{path.name} has over {_MOST_FRAMES} frames.",
                             hint="Split the recording.", code="media.too_large")  # fmt: skip
    return _Listing(sorted(times), sorted(keys))


def _keep(path: Path, folder: Path, listing: _Listing) -> None:
    """Keep a listing for the next opening; without room for it the file is gone through again."""
    kept = _kept_at(path, folder)
    partial = kept.with_suffix(f".{os.getpid()}.part.npz")
    try:
        kept.parent.mkdir(parents=True, exist_ok=True)
        np.savez_compressed(partial, times=np.array(listing.times), keys=np.array(listing.keys))
        partial.replace(kept)
    except OSError:
        partial.unlink(missing_ok=True)


def _index(
    path: Path, container: Any, stream: Any, folder: Path | None
) -> tuple[_Listing, Fraction]:
    """Return a file's listing and its rate."""
    listing = _listed(path, container, stream, folder)
    times = listing.times
    if not times or not listing.keys:
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
    return listing, Fraction(rate or 24)


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

    @parsing("The video")
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
                listing, rate = _index(self._path, self._container, self._stream, index_folder)
            except av.FFmpegError as error:
                raise self._broken("Its index cannot be read") from error
            self._times, self._keys = listing.times, listing.keys
            # What the container says, before the first frame's own words take its place.
            self._container_matrix = int(self._stream.codec_context.colorspace)
            self._siting = stated_siting(self._path)
            self._place = {time: i for i, time in enumerate(self._times)}
            self._before = -1  # the place of the last frame since the decoder was set somewhere
            if not listing.is_known:
                if self._stream.codec_context.has_b_frames:
                    self._see_order()
                if index_folder:
                    _keep(self._path, index_folder, listing)
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
        matrix, siting = "", ""
        if not is_rgb:
            matrix = self._matrix_of(frame, warnings)
            siting = self._siting or "left"
            if not self._siting and "420" in layout.name:
                warnings.append("Where chroma stands is not said; left is taken, as is usual.")
            metadata["y'cbcr matrix taken"], metadata["chroma siting taken"] = matrix, siting
            outside = _MATRIX_TAGS.get(self._container_matrix, "")
            if outside and outside != matrix:
                metadata[OTHER_MATRIX] = outside
        codec = str(self._stream.codec_context.name)
        return Recording(
            kind="video", format=_CODECS.get(codec, codec), width=size[0], height=size[1],
            bits=bits, frame_count=len(self._times), rate=rate,
            timecode=metadata.get("timecode", ""),
            pixel_aspect=float(aspect) if aspect else 1.0, turns=turns,
            tagged_range=_said_range(self._stream.codec_context.name, frame), matrix=matrix,
            siting=siting,
            facts=known_facts(metadata), metadata=metadata, warnings=tuple(warnings),
        )  # fmt: skip

    def _matrix_of(self, frame: VideoFrame, warnings: list[str]) -> str:
        """Return the matrix that a file says, or the usual one, with a word on it."""
        tagged = int(frame.colorspace)
        if tagged in _UNREAD_MATRICES:
            raise MediaError(
                f"{self._path.name} stores its colours as {_UNREAD_MATRICES[tagged]}, which is "
                "not read.", code="media.matrix",
                hint="Convert it to Y'CbCr of BT.709, BT.601 or BT.2020 (non-constant luminance).",
            )  # fmt: skip
        known = _MATRIX_TAGS.get(tagged, "")
        outside = _MATRIX_TAGS.get(self._container_matrix, "")
        if known and outside and known != outside:
            warnings.append(
                f"Its container says {outside.upper()}, its pictures {known.upper()}: the pictures "
                "are followed. Set the matrix if colours are off.")  # fmt: skip
        if not known:
            # Untagged: the usual one for the size (common practice, no source).
            known = "bt601" if frame.width <= 720 and frame.height <= 576 else "bt709"
            warnings.append(f"No matrix is tagged; {known.upper()} is taken, as is usual.")
        return known

    def _decode(self, index: int) -> VideoFrame:
        if self._frames is not None and self._reaches(index):
            found = self._go_on(index)
            if found is not None:
                return found
        # Pictures that are shown before a key frame but stored after it need what comes before
        # the key frame too (an open group of pictures): from one key frame earlier each time.
        wanted = self._times[index]
        last = max(int(np.searchsorted(self._keys, wanted, side="right")) - 1, 0)
        for at in [wanted, *reversed(self._keys[max(last - _EARLIER, 0) : last + 1])]:
            try:
                self._set(at)
            except av.FFmpegError as error:
                raise self._broken(f"frame {index + 1} cannot be reached") from error
            found = self._go_on(index)
            if found is not None:
                return found
        raise self._broken(f"frame {index + 1} is not there")

    def _see_order(self) -> None:
        """Raise where frames come in another order than their times say."""
        with contextlib.suppress(av.FFmpegError):  # what is broken is told when it is read
            self._set(self._times[0])
            for frame in islice(self._frames, _LONGEST_GROUP):
                self._placed(frame)
        self._frames = None

    def _set(self, time: int) -> None:
        """Let decoding begin at the key frame at or before a time."""
        self._container.seek(time, stream=self._stream, backward=True, any_frame=False)
        self._frames = self._container.decode(self._stream)
        self._before = -1

    def _placed(self, frame: VideoFrame) -> int | None:
        """Return the place of a frame that was decoded; None for one that is not to be shown."""
        place = self._place.get(frame.pts)  # type: ignore[arg-type]
        if place is None or frame.is_corrupt:
            return None
        if place <= self._before:
            self._frames = None
            raise self._unordered()
        self._before = place
        return place

    def _unordered(self) -> MediaError:
        return MediaError(
            f"{self._path.name} does not say in which order its frames are shown.",
            hint="Put the stream into a .mov or .mp4 anew, from the camera's file.",
            code="media.order",
        )  # fmt: skip

    def _go_on(self, index: int) -> VideoFrame | None:
        """Return a frame by decoding on from here; None where it does not come from here."""
        try:
            for frame in self._frames:
                place = self._placed(frame)
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
        return None

    def _reaches(self, index: int) -> bool:
        """Whether going on from here is no longer than going back to a key frame."""
        if index < self._next:
            return False
        wanted = self._times[index]
        key = self._keys[max(int(np.searchsorted(self._keys, wanted, side="right")) - 1, 0)]
        return self._place.get(key, 0) <= self._next

    @parsing("The video")
    def read(
        self, index: int, *, quantisation: str = "", matrix: str = "", siting: str = ""
    ) -> NDArray[np.float32]:
        """Return a frame's R'G'B' (h, w, 3) float32; 1.0 = white of the quantisation range.

        Parameters
        ----------
        index
            From 0, in the order of showing.
        quantisation, matrix, siting
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
                matrix=matrix or said.matrix, siting=siting or said.siting,
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
