"""Frames of clips as arrays: open readers, and a cache of what was read last."""

from __future__ import annotations

import threading
import time
from collections import OrderedDict
from pathlib import Path

import cv2
import numpy as np
from django.conf import settings
from numpy.typing import NDArray

from syntonos.core.errors import MediaError
from syntonos.core.media import RecordingReader, read_frame, write_frame
from syntonos.server.footage.media import resolve
from syntonos.server.footage.models import Clip

_MOST_BYTES = 512 * 2**20
_IDLE = 600.0  # seconds after which a frame that nobody asks for is let go of
PROXY_WIDTH = 480
_STRIP = 8  # frames that are kept small
_WHOLE, _HALF = 0, -1  # in place of a width: a frame as it was read
_MOST_OPEN = 8  # video files stay open so that the next frame costs one frame only


class FrameCache:
    """Frames by clip checksum and reading, frame and width; the least recently used go first.

    What nobody has asked for in `idle` seconds is let go of too, at the next question or `sweep`.
    """

    def __init__(self, most_bytes: int = _MOST_BYTES, *, idle: float = _IDLE) -> None:
        self._frames: OrderedDict[tuple[str, int, int], NDArray[np.float32]] = OrderedDict()
        self._used: dict[tuple[str, int, int], float] = {}
        self._bytes, self._most, self._lock = 0, most_bytes, threading.Lock()
        self._idle = idle

    def get(self, key: tuple[str, int, int]) -> NDArray[np.float32] | None:
        """Return a frame, or None."""
        with self._lock:
            if (frame := self._frames.get(key)) is not None:
                self._frames.move_to_end(key)
                self._used[key] = time.monotonic()
            return frame

    def put(self, key: tuple[str, int, int], frame: NDArray[np.float32]) -> None:
        """Keep a frame."""
        with self._lock:
            if key not in self._frames:
                self._frames[key] = frame
                self._bytes += frame.nbytes
            self._used[key] = time.monotonic()
            while self._bytes > self._most and len(self._frames) > 1:
                self._drop_oldest()

    def sweep(self) -> int:
        """Let go of what was not asked for in a while; returns the bytes that are left."""
        with self._lock:
            before = time.monotonic() - self._idle
            while self._frames and self._used[next(iter(self._frames))] < before:
                self._drop_oldest()
            return self._bytes

    def _drop_oldest(self) -> None:
        key, old = self._frames.popitem(last=False)
        self._bytes -= old.nbytes
        del self._used[key]


class _Readers:
    """Open recordings; each is used by one thread at a time, the least recently used go first."""

    def __init__(self) -> None:
        self._open: OrderedDict[tuple[str, ...], tuple[RecordingReader, threading.Lock]] = (
            OrderedDict()
        )
        self._lock = threading.Lock()

    def read(self, clip: Clip, frame: int, *, preview: bool) -> NDArray[np.float32]:
        """Return a frame's code values."""
        key = (clip.checksum, clip.root, *clip.files[:1])
        with self._lock:
            found = self._open.pop(key, None)
            if found is None:
                paths = [resolve(file, clip.root) for file in clip.files]
                for path in paths if clip.media == "video" else [paths[frame]]:
                    _there(clip, path.is_file())
                kept = settings.DATA / "indexes"
                found = RecordingReader(paths, index_folder=kept), threading.Lock()
            self._open[key] = found
            if len(self._open) > _MOST_OPEN:
                # Only let go of: whoever still reads from it has it, the last one closes it.
                self._open.popitem(last=False)
        reader, lock = found
        with lock:
            return reader.read(frame, clip.development, preview=preview)


def _there(clip: Clip, is_there: bool) -> None:
    if not is_there:
        raise MediaError(
            f"The files of {clip.name} are not where they were.", code="media.missing",
            hint="Look for missing media in Footage: they are found by name and checksum.",
        )  # fmt: skip


_cache = FrameCache(settings.FRAME_MEMORY)
_readers = _Readers()


def let_go_later() -> None:
    """Give back, ten minutes from now, the frames that nobody has asked for until then."""
    timer = threading.Timer(_IDLE + 1, _cache.sweep)
    timer.daemon = True
    timer.start()


def frame_of(clip: Clip, frame: int, width: int | None = None) -> NDArray[np.float32]:
    """Return code values (h, w, 3) of one frame, at its own size or not wider than asked.

    Raises
    ------
    MediaError
        When the frame is not there, its file is missing or broken.
    """
    if not 0 <= frame < clip.frame_count:
        raise MediaError(
            f"{clip.name} has {clip.frame_count} frames, frame {frame + 1} was asked for.",
            hint="Choose a frame of the clip.", code="media.frame",
        )  # fmt: skip
    wanted = min(width or clip.width, clip.width)
    source = f"{clip.checksum}-{clip.development_key}"
    key = (source, frame, wanted)
    if (found := _cache.get(key)) is not None:
        return found
    # As it was read it stands beside what was made of it: pixels need not be square there.
    as_read = (source, frame, _HALF if _may_preview(clip, wanted) else _WHOLE)
    full = _cache.get((source, frame, _WHOLE))
    if full is None:
        full = _cache.get(as_read)
    if full is None:
        full = _proxy(clip, frame, wanted)
    if full is None:
        full = _readers.read(clip, frame, preview=_may_preview(clip, wanted))
        full.setflags(write=False)
        # Under a moving frame slider only small ones are asked for: whole ones would push them out.
        if wanted == clip.width or clip.media == "raw":
            _cache.put(as_read, full)
    small = _sized(clip, full, wanted)
    if small is not full:
        small.setflags(write=False)
        _cache.put(key, small)
    return small


def _may_preview(clip: Clip, wanted: int) -> bool:
    return clip.media == "raw" and wanted <= clip.width // 2


def _sized(clip: Clip, full: NDArray[np.float32], wanted: int) -> NDArray[np.float32]:
    """Return a frame as wide as wanted, with square pixels."""
    if wanted == full.shape[1] and abs(clip.pixel_aspect - 1) < 1e-3:
        return full
    size = (wanted, max(1, round(clip.height * wanted / (clip.width * clip.pixel_aspect))))
    return np.asarray(cv2.resize(full, size, interpolation=cv2.INTER_AREA), np.float32)


def strip_of(count: int) -> list[int]:
    """Return the frames that are kept small: the first, the last, and evenly between."""
    return sorted({round(f) for f in np.linspace(0, count - 1, min(count, _STRIP))})


def _proxy_path(clip: Clip, frame: int) -> Path:
    name = f"{clip.checksum}-{clip.development_key or 'codes'}-{frame}.exr"
    return Path(settings.DATA) / "proxies" / name


def write_proxies(clip: Clip) -> list[int]:
    """Keep code values of a few frames small, for lists: no decoding of a large frame there.

    Returns the frames among them that cannot be read.

    Raises
    ------
    MediaError
        When the first frame cannot be read.
    """
    unread = []
    for frame in strip_of(clip.frame_count):
        path = _proxy_path(clip, frame)
        if path.is_file():
            continue
        path.parent.mkdir(parents=True, exist_ok=True)
        try:
            # Past the cache: a card of a thousand clips needs the memory of one frame.
            full = _readers.read(clip, frame, preview=_may_preview(clip, PROXY_WIDTH))
        except MediaError:
            if frame == 0:
                raise
            unread.append(frame)
        else:
            write_frame(path, _sized(clip, full, min(PROXY_WIDTH, clip.width)), metadata={})
    return unread


def _proxy(clip: Clip, frame: int, wanted: int) -> NDArray[np.float32] | None:
    """Return the small frame where there is one that is wide enough."""
    path = _proxy_path(clip, frame)
    if wanted > PROXY_WIDTH or not path.is_file():
        return None
    try:
        return read_frame(path).code_rgb
    except MediaError:
        path.unlink(missing_ok=True)
        return None
