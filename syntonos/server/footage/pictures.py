"""Pictures and scope counts: a frame through a chain."""

from __future__ import annotations

import hashlib
import json
import os
import struct
import threading
from collections.abc import Callable
from dataclasses import dataclass, field

import numpy as np
import simplejpeg
from numpy.typing import NDArray

from syntonos.core.chain import Chain, Decode, Output, chain_hash, compile_chain, run
from syntonos.core.chain.displays import light_marks
from syntonos.core.chain.engine import ENGINE_VERSION, Superseded, to_bytes
from syntonos.core.chain.marks import (
    beyond_display,
    clipped_by_luts,
    grey_through_luts,
    on_screen,
    screen_white,
)
from syntonos.core.matching.unseen import hatch, unseen
from syntonos.core.scopes import count_scopes, draw
from syntonos.core.scopes.counts import BOTTOM, COLUMNS, LEVELS, SIDE, TOP, luma_weights
from syntonos.server.api.errors import ConflictError
from syntonos.server.footage.frames import frame_of
from syntonos.server.footage.models import Clip

THREADS = min(os.cpu_count() or 1, 4)
QUALITY = 90


def jpeg(seen: NDArray[np.float32] | NDArray[np.uint8]) -> bytes:
    """Encode values for a screen, 0..1 or already bytes, as JPEG 4:4:4."""
    values = seen if seen.dtype == np.uint8 else to_bytes(np.asarray(seen, np.float32))
    return bytes(simplejpeg.encode_jpeg(values, quality=QUALITY, colorsubsampling="444"))


def picture_tag(clip: Clip, frame: int, width: int, chain: Chain) -> str:
    """Return the key of a picture: everything that its pixels depend on."""
    source = f"{clip.checksum} {clip.reading_key}"
    text = f"{chain_hash(chain)} {source} {frame} {width} {ENGINE_VERSION} {QUALITY}"
    return hashlib.sha256(text.encode()).hexdigest()[:32]


def picture(clip: Clip, frame: int, width: int, chain: Chain) -> bytes:
    """Return a frame through a chain as JPEG, as an SDR screen shows it best."""
    disp = run(compile_chain(chain), frame_of(clip, frame, width), threads=THREADS)
    return jpeg(on_screen(disp, getattr(chain.output, "display", "rec709"), threads=THREADS))


def code_picture(clip: Clip, frame: int, width: int) -> bytes:
    """Return the stored code values themselves as JPEG: the flat log picture."""
    return jpeg(frame_of(clip, frame, width))


def draft_message(
    clip: Clip,
    frame: int,
    width: int,
    chain: Chain,
    *,
    sequence: int,
    scopes: bool,
    mark: str = "",
    whole: bool = False,
    is_superseded: Callable[[], bool] | None = None,
) -> bytes:
    """Return one binary message: a header, the JPEG, and the scope counts.

    `whole`: HDR is darkened until its peak is white, not clipped at its reference white.

    uint32 length of the header (little endian), the header as JSON, the JPEG, the parade as
    uint16 [channel][column][level], the vectorscope as uint16 [row][column].
    """
    code = frame_of(clip, frame, width)
    seen, counts = draw(chain, code, whole=whole, threads=THREADS, is_superseded=is_superseded)
    display = getattr(chain.output, "display", "rec709")
    shares: dict[str, float | None] = {"unseen": None, "outside": None, "clipped": None}
    if mark == "unseen":
        where = unseen(chain, code, threads=THREADS)
        seen, shares["unseen"] = hatch(seen, where), float(where.mean())
    elif mark == "gamut":
        outside, clipped = beyond_display(chain, code, threads=THREADS)
        seen = hatch(hatch(seen, outside), clipped, falling=True)
        shares["outside"], shares["clipped"] = float(outside.mean()), float(clipped.mean())
    parts = [jpeg(seen)]
    lut_clips = clipped_by_luts(chain, code[::4, ::4]) if chain.luts else []
    header = {
        "sequence": sequence, "width": seen.shape[1], "height": seen.shape[0],
        "jpeg": len(parts[0]), "scopes": scopes, "columns": COLUMNS, "levels": LEVELS,
        "side": SIDE, "bottom": BOTTOM, "top": TOP,
        "luma": luma_weights(display), "light": light_marks(display),
        "below": counts.below,
        **shares, "display": display, "white": screen_white(display, whole=whole),
        "lut_clips": lut_clips,
        "lut_greys": grey_through_luts(chain),
        "above": counts.above,
    }  # fmt: skip
    if scopes:
        parts += [counts.parade.tobytes(), counts.vector.tobytes()]
    head = json.dumps(header).encode()
    return b"".join([struct.pack("<I", len(head)), head, *parts])


@dataclass
class _View:
    newest: int = -1
    lock: threading.Lock = field(default_factory=threading.Lock)


class DraftDesk:
    """Drafts by view: one runs, the newest waits, those between are given up."""

    def __init__(self) -> None:
        self._views: dict[str, _View] = {}
        self._lock = threading.Lock()

    def make(self, view: str, sequence: int, work: Callable[[Callable[[], bool]], bytes]) -> bytes:
        """Run `work` unless a newer draft of the view came; raises ConflictError then."""
        with self._lock:
            if len(self._views) > 256:
                self._views.clear()
            desk = self._views.setdefault(view, _View())
            desk.newest = max(desk.newest, sequence)
        with desk.lock:
            try:
                # The work asks before its first band, so one that waited in vain costs nothing.
                return work(lambda: desk.newest > sequence)
            except Superseded as error:
                raise ConflictError("preview.superseded", "A newer draft took this one's place.",
                                    "Nothing to do.") from error  # fmt: skip


DESK = DraftDesk()


def warm_up() -> None:
    """Compile (or load from the cache) all kernels, so that no request has to."""
    grey = np.full((8, 8, 3), 0.4, np.float32)
    for encoding in ("s-log3/s-gamut3", "n-log/n-gamut"):
        chain = Chain(Decode(encoding, "legal"), Output())
        draw(chain, grey)
        disp = run(compile_chain(chain), grey)
        count_scopes(disp)
        jpeg(disp)
