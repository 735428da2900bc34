"""Recordings: one clip, whether it is a video, a sequence of pictures, or spanned over files."""

from __future__ import annotations

import os
import re
from collections.abc import Iterable, Sequence
from dataclasses import dataclass, replace
from pathlib import Path
from typing import Final

import numpy as np
from numpy.typing import NDArray

from syntonos.core.errors import MediaError
from syntonos.core.files import parsing, see_file
from syntonos.core.media import raw, stills, video
from syntonos.core.media.facts import (
    Recording,
    frame_of_timecode,
    known_facts,
)
from syntonos.core.media.raw import AS_SHOT, RawDevelopment
from syntonos.core.media.tags import plain_tags, rate_of, read_tags, timecode_of

ENDINGS: Final = (*stills.FORMATS, *video.ENDINGS, *raw.ENDINGS)
_NUMBER: Final = re.compile(r"^(.*?)[._-]?(\d+)$")
_MOST_FILES: Final = 200_000


@dataclass(frozen=True, slots=True)
class Development:
    """How code values are got from a recording's files, where that is open.

    `quantisation` ("full", "legal"), `matrix` (key of ycbcr.MATRICES) and `siting` (of
    ycbcr.SITINGS) are of video; empty means what the file says, or what is usual.
    """

    quantisation: str = ""
    matrix: str = ""
    siting: str = ""
    raw: RawDevelopment = AS_SHOT


def kind_of(path: str | os.PathLike[str]) -> str:
    """Return "stills", "video" or "raw" by a file's ending; "" for others."""
    ending = Path(path).suffix.lower()
    if ending in stills.FORMATS:
        return "stills"
    if ending in video.ENDINGS:
        return "video"
    return "raw" if ending in raw.ENDINGS else ""


@dataclass(frozen=True, slots=True)
class FileGroup:
    """Files of one folder that belong together, with the numbers that are missing."""

    name: str
    files: tuple[str, ...]
    missing: tuple[int, ...] = ()


def group_files(names: Iterable[str]) -> list[FileGroup]:
    """Group the file names of one folder into recordings: numbered pictures are one.

    Videos stand alone (`follows` finds spanned ones). Numbers may have any width; names that differ
    only in their number belong together when their ending and the text before it are the same.
    """
    groups: dict[tuple[str, str], list[tuple[int, str]]] = {}
    for name in names:
        kind = kind_of(name)
        if not kind or name.startswith("."):
            continue
        path = Path(name)
        numbered = _NUMBER.match(path.stem) if kind != "video" else None
        stem = (numbered[1] if numbered else "") or path.stem
        number = int(numbered[2]) if numbered and numbered[1] and len(numbered[2]) < 19 else -1
        if kind == "video":
            stem = path.name
        groups.setdefault((stem, path.suffix.lower()), []).append((number, name))
    found = []
    for (stem, _), rows in sorted(groups.items()):
        rows.sort()
        numbers = [number for number, _ in rows if number >= 0]
        missing: tuple[int, ...] = ()
        if len(numbers) > 1:
            have = set(numbers)
            whole = range(numbers[0], numbers[-1] + 1)
            # Numbers far apart are single pictures that only look like a sequence.
            if len(whole) <= 4 * len(have):
                missing = tuple(n for n in whole if n not in have)
        name = Path(stem).stem if kind_of(stem) == "video" else stem
        found.append(FileGroup(name, tuple(file for _, file in rows), missing))
    return found


def _still_recording(path: Path) -> Recording:
    info = stills.read_info(path)
    # A TIFF may carry what DNG sequences do: timecode, rate, reel.
    tags = read_tags(path) if info.format == "TIFF" else {}
    metadata = {**plain_tags(tags), **info.metadata}
    facts = known_facts(metadata)
    warnings: tuple[str, ...] = ()
    if info.format == "JPEG":
        facts.setdefault("curve", "sRGB")  # what a JPEG is where it does not say otherwise
        warnings = ("a display picture of 8 bit: for looking, and for charts in it",)
    aspect = float(info.metadata.get("PixelAspectRatio", "1") or 1)
    return Recording(
        kind="stills", format=info.format, width=info.width, height=info.height, bits=info.bits,
        frame_count=1, timecode=info.metadata.get("smpte:TimeCode", "") or timecode_of(tags),
        rate=rate_of(tags), pixel_aspect=aspect if 0.1 < aspect < 10 else 1.0, facts=facts,
        metadata=metadata, warnings=warnings,
    )  # fmt: skip


def _head(path: Path) -> Recording:
    if see_file(path).stat().st_size == 0:
        raise MediaError(f"{path.name} is empty.", hint="Copy it again from the card.",
                         code="media.empty")  # fmt: skip
    kind = kind_of(path)
    with parsing(path.name):
        if kind == "video":
            return video.read_video_info(path)
        return raw.read_raw_info(path) if kind == "raw" else _still_recording(path)


def read_recording(paths: Sequence[str | os.PathLike[str]]) -> Recording:
    """Return what a recording's files say: the first one's head, checked against the others'.

    Parameters
    ----------
    paths
        In order of frames: pictures of a sequence, or the parts of a spanned video.

    Raises
    ------
    MediaError
        When a file cannot be read, or one differs in size, depth or format.
    """
    if not 1 <= len(paths) <= _MOST_FILES:
        raise MediaError(f"A recording of {len(paths)} files was given.",
                         hint=f"1 to {_MOST_FILES} files are read.",
                         code="media.empty")  # fmt: skip
    first = _head(Path(paths[0]))
    count = first.frame_count
    for path in map(Path, paths[1:]):
        other = _head(path)
        count += other.frame_count
        if (other.width, other.height) != (first.width, first.height):
            raise MediaError(
                f"{path.name} is {other.width} x {other.height}, the first frame is {first.width} "
                f"x {first.height}.",
                hint="Bring in frames of one recording only.",
                code="media.sizes",
            )
        if (other.format, other.bits, other.rate) != (first.format, first.bits, first.rate):
            raise MediaError(
                f"{path.name} is {other.format} with {other.bits} bit, the first file is "
                f"{first.format} with {first.bits} bit.",
                hint="Bring in files of one recording only.",
                code="media.formats",
            )
    return replace(first, frame_count=count)


def follows(first: Recording, second: Recording) -> bool:
    """Whether a second video goes on where the first ends: the parts of a spanned recording."""
    alike = all(
        getattr(first, name) == getattr(second, name)
        for name in ("kind", "format", "width", "height", "bits", "rate")
    )
    if not (alike and first.rate and first.timecode and second.timecode):
        return False
    try:
        start = frame_of_timecode(first.timecode, first.rate)
        return start + first.frame_count == frame_of_timecode(second.timecode, first.rate)
    except MediaError:
        return False


class RecordingReader:
    """Frames of a recording by number; video files stay open between frames.

    Not for two threads at a time. `index_folder`: where indexes of video files are kept.
    """

    def __init__(
        self, paths: Sequence[str | os.PathLike[str]], *, index_folder: Path | None = None
    ) -> None:
        self._paths = [Path(path) for path in paths]
        self._kind = kind_of(self._paths[0])
        self._parts: list[tuple[int, video.VideoReader]] = []
        if self._kind == "video":
            start = 0
            try:
                for path in self._paths:
                    reader = video.VideoReader(path, index_folder=index_folder)
                    self._parts.append((start, reader))
                    start += reader.recording.frame_count
            except MediaError:
                self.close()
                raise

    def close(self) -> None:
        """Give the files back."""
        for _, reader in self._parts:
            reader.close()
        self._parts = []

    def read(
        self, index: int, development: Development | None = None, *, preview: bool = False
    ) -> NDArray[np.float32]:
        """Return a frame's code values (h, w, 3) float32.

        `preview` allows half the size where that is much faster (raw).

        Raises
        ------
        MediaError
            When the frame is not there or cannot be read.
        """
        taken = development or Development()
        if self._kind == "video":
            start, reader = [row for row in self._parts if row[0] <= max(index, 0)][-1]
            return reader.read(
                index - start, quantisation=taken.quantisation, matrix=taken.matrix,
                siting=taken.siting,
            )  # fmt: skip
        if not 0 <= index < len(self._paths):
            raise MediaError(
                f"The recording has {len(self._paths)} frames, frame {index + 1} was asked for.",
                hint="Choose a frame of the clip.", code="media.frame",
            )  # fmt: skip
        if self._kind == "raw":
            return raw.develop_raw(self._paths[index], taken.raw, preview=preview)
        return stills.read_frame(self._paths[index]).code_rgb
