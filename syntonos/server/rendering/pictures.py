"""A frame through a chain: as JPEG, with its scope counts, and what there is to say of it."""

from __future__ import annotations

import json
import os
import struct
from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

import numpy as np

from syntonos.core.chain import Chain, Decode, Output, compile_chain, run
from syntonos.core.chain.displays import light_marks
from syntonos.core.chain.executor import execute
from syntonos.core.chain.marks import (
    any_channel,
    beyond_display,
    clipped_by_luts,
    grey_through_luts,
    on_screen,
    screen_white,
)
from syntonos.core.matching.unseen import hatch, unseen
from syntonos.core.scopes import count_scopes, draw
from syntonos.core.scopes.counts import BOTTOM, COLUMNS, LEVELS, SIDE, TOP, luma_weights
from syntonos.server.footage.clipping import mask_of
from syntonos.server.footage.frames import frame_of
from syntonos.server.footage.models import Clip
from syntonos.server.rendering.jpeg import jpeg
from syntonos.server.rendering.keys import Seen

THREADS = min(os.cpu_count() or 1, 4)


def picture(clip: Clip, chain: Chain, seen: Seen) -> bytes:
    """Return a frame through a chain as JPEG, as an SDR screen shows it best."""
    code = frame_of(clip, seen.frame, seen.width)
    if seen.overlay == "code":  # the stored values themselves: the flat log picture
        return jpeg(code)
    disp = execute(chain, code, number=seen.frame, threads=THREADS)
    return jpeg(on_screen(disp, getattr(chain.output, "display", "rec709"), threads=THREADS))


def draft_message(
    clip: Clip,
    chain: Chain,
    seen: Seen,
    *,
    sequence: int,
    scopes: bool,
    view: str = "",
    number: int = 0,
    is_cancelled: Callable[[], bool] | None = None,
) -> bytes:
    """Return one binary message: a header, the JPEG, and the scope counts.

    `view` and `number` say in a stream what it is of, and the how many-th frame that is due.

    uint32 length of the header (little endian), the header as JSON, the JPEG, the parade as
    uint16 [channel][column][level], the vectorscope as uint16 [row][column].
    """
    code = frame_of(clip, seen.frame, seen.width)
    shown, counts = draw(
        chain, code, number=seen.frame, whole=seen.whole, threads=THREADS, is_cancelled=is_cancelled
    )
    display = getattr(chain.output, "display", "rec709")
    # `clipped` is what the display clips, `recorded` what the recording did, by channel.
    shares: dict[str, Any] = dict.fromkeys(("unseen", "outside", "clipped", "recorded"))
    if seen.mark == "unseen":
        where = unseen(chain, code, threads=THREADS)
        shown, shares["unseen"] = hatch(shown, where), float(where.mean())
    elif seen.mark == "gamut":
        outside, clipped = beyond_display(chain, code, threads=THREADS)
        shown = hatch(hatch(shown, outside), clipped, falling=True)
        shares["outside"], shares["clipped"] = float(outside.mean()), float(clipped.mean())
    elif seen.mark == "clipped":
        channels = mask_of(clip, code, chain.decode.encoding, chain.decode.levels)
        shown, shares["recorded"] = (
            hatch(shown, any_channel(channels)),
            channels.mean(axis=(0, 1)).tolist(),
        )
    parts = [jpeg(shown)]
    header = {
        "sequence": sequence, "view": view, "number": number,
        "width": shown.shape[1], "height": shown.shape[0],
        "frame": seen.frame, "clip": clip.name, "matched": chain.match is not None,
        "jpeg": len(parts[0]), "scopes": scopes, "columns": COLUMNS, "levels": LEVELS,
        "side": SIDE, "bottom": BOTTOM, "top": TOP,
        "luma": luma_weights(display), "light": light_marks(display),
        **shares, "display": display, "white": screen_white(display, whole=seen.whole),
    }  # fmt: skip
    if scopes:
        parts += [counts.parade.tobytes(), counts.vector.tobytes()]
    head = json.dumps(header).encode()
    return b"".join([struct.pack("<I", len(head)), head, *parts])


@dataclass(frozen=True, slots=True)
class Diagnostics:
    """What is worked out when the hand rests, not for every draft.

    lut_clips : of each LUT of the look, the share of pixels of which it clips a channel.
    lut_greys : of each, what it makes of middle grey and of a stop.
    """

    lut_clips: list[float]
    lut_greys: list[tuple[float, float]]


def diagnose(clip: Clip, chain: Chain, seen: Seen) -> Diagnostics:
    """Say what the LUTs of a chain's look do to a frame."""
    if not chain.luts:
        return Diagnostics([], [])
    code = frame_of(clip, seen.frame, seen.width)
    return Diagnostics(clipped_by_luts(chain, code[::4, ::4]), grey_through_luts(chain))


def warm_up() -> None:
    """Compile (or load from the cache) all kernels, so that no request has to."""
    grey = np.full((8, 8, 3), 0.4, np.float32)
    for encoding in ("s-log3/s-gamut3", "n-log/n-gamut"):
        chain = Chain(Decode(encoding, "legal"), Output())
        draw(chain, grey)
        disp = run(compile_chain(chain), grey)
        count_scopes(disp)
        jpeg(disp)
