"""Frames of clips as arrays, with a small cache of what was read last."""

from __future__ import annotations

import threading
from collections import OrderedDict

import cv2
import numpy as np
from numpy.typing import NDArray

from syntonos.core.errors import MediaError
from syntonos.core.media import read_frame
from syntonos.server.footage.media import resolve
from syntonos.server.footage.models import Clip

_MOST_BYTES = 512 * 2**20


class FrameCache:
    """Frames by clip checksum, frame and width; the least recently used go first."""

    def __init__(self, most_bytes: int = _MOST_BYTES) -> None:
        self._frames: OrderedDict[tuple[str, int, int], NDArray[np.float32]] = OrderedDict()
        self._bytes, self._most, self._lock = 0, most_bytes, threading.Lock()

    def get(self, key: tuple[str, int, int]) -> NDArray[np.float32] | None:
        """Return a frame, or None."""
        with self._lock:
            if (frame := self._frames.get(key)) is not None:
                self._frames.move_to_end(key)
            return frame

    def put(self, key: tuple[str, int, int], frame: NDArray[np.float32]) -> None:
        """Keep a frame."""
        with self._lock:
            if key not in self._frames:
                self._frames[key] = frame
                self._bytes += frame.nbytes
            while self._bytes > self._most and len(self._frames) > 1:
                _, old = self._frames.popitem(last=False)
                self._bytes -= old.nbytes


_cache = FrameCache()


def frame_of(clip: Clip, frame: int, width: int | None = None) -> NDArray[np.float32]:
    """Return stored code values (h, w, 3) of one frame, at its own size or not wider than asked."""
    if not 0 <= frame < clip.frame_count:
        raise MediaError(
            f"{clip.name} has {clip.frame_count} frames, frame {frame + 1} was asked for.",
            hint="Choose a frame of the clip.", code="media.frame",
        )  # fmt: skip
    wanted = min(width or clip.width, clip.width)
    key = (clip.checksum, frame, wanted)
    if (found := _cache.get(key)) is not None:
        return found
    full = _cache.get((clip.checksum, frame, clip.width))
    if full is None:
        full = read_frame(resolve(clip.files[frame], clip.root)).code_rgb
        full.setflags(write=False)
        _cache.put((clip.checksum, frame, clip.width), full)
    if wanted == clip.width:
        return full
    size = (wanted, max(1, round(clip.height * wanted / clip.width)))
    small = np.asarray(cv2.resize(full, size, interpolation=cv2.INTER_AREA), np.float32)
    _cache.put(key, small)
    return small
