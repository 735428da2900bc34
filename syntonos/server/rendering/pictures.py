"""A frame through a chain: as JPEG, with its scope counts, and what there is to say of it."""

from __future__ import annotations

import json
import math
import os
import struct
from collections.abc import Callable
from dataclasses import dataclass, replace
from typing import Any

import numpy as np
from numpy.typing import NDArray

from syntonos.core.chain import (
    Chain,
    Decode,
    EncodingOutput,
    Output,
    Overrides,
    Parts,
    compile_chain,
    compose,
    run,
)
from syntonos.core.chain.displays import light_marks
from syntonos.core.chain.executor import Region, execute
from syntonos.core.chain.marks import (
    any_channel,
    beyond_display,
    clipped_by_luts,
    grey_through_luts,
    on_screen,
    screen_white,
)
from syntonos.core.matching.unseen import hatch, unseen
from syntonos.core.scopes import Cast, Contour, casts, count_scopes, draw, stop_contours
from syntonos.core.scopes.counts import COLUMNS, LEVELS, LOWEST, SIDE, WHOLE, luma_weights
from syntonos.server.footage.clipping import mask_of
from syntonos.server.footage.frames import frame_of
from syntonos.server.footage.models import Clip
from syntonos.server.rendering.jpeg import jpeg
from syntonos.server.rendering.keys import Seen, Shares

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
    frame, region = _looked_at(clip, seen)
    display = getattr(chain.output, "display", "rec709")
    span = LOWEST if seen.lowest else WHOLE
    shown, counts = draw(
        chain, frame, number=seen.frame, region=region, span=span, whole=seen.whole,
        threads=THREADS, is_cancelled=is_cancelled,
    )  # fmt: skip
    if seen.scoped is not None:
        part = execute(chain, frame, number=seen.frame, region=_pixels(frame, seen.scoped))
        counts = count_scopes(part, display, span)
    code = frame if region is None else _cut(frame, region)
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
    parts = [jpeg(_enlarged(shown, seen.width) if region else shown)]
    header = {
        "sequence": sequence, "view": view, "number": number,
        "width": shown.shape[1], "height": shown.shape[0],
        "frame": seen.frame, "clip": clip.name, "matched": chain.match is not None,
        "jpeg": len(parts[0]), "scopes": scopes, "columns": COLUMNS, "levels": LEVELS,
        "side": SIDE, "bottom": span[0], "top": span[1], "pixels": frame.shape[1],
        "region": _shares(frame, region), "scoped": seen.scoped,
        "luma": luma_weights(display), "light": light_marks(display),
        **shares, "display": display, "white": screen_white(display, whole=seen.whole),
    }  # fmt: skip
    if scopes:
        parts += [counts.parade.tobytes(), counts.vector.tobytes()]
    head = json.dumps(header).encode()
    return b"".join([struct.pack("<I", len(head)), head, *parts])


def _looked_at(clip: Clip, seen: Seen) -> tuple[NDArray[np.float32], Region | None]:
    """Return the frame, as large as what is shown of it needs, and the region in its pixels."""
    if seen.region is None:
        return frame_of(clip, seen.frame, seen.width), None
    wide = min(clip.width, math.ceil(seen.width / seen.region[2]))
    # Past a half the whole frame is taken: it is kept, and sizes between are many.
    frame = frame_of(clip, seen.frame, clip.width if 2 * wide > clip.width else wide)
    return frame, _pixels(frame, seen.region)


def _pixels(frame: NDArray[np.float32], shares: Shares) -> Region:
    height, width = frame.shape[:2]
    left, top = int(shares[0] * width), int(shares[1] * height)
    right = min(width, math.ceil((shares[0] + shares[2]) * width - 1e-6))
    bottom = min(height, math.ceil((shares[1] + shares[3]) * height - 1e-6))
    return left, top, max(1, right - left), max(1, bottom - top)


def _shares(frame: NDArray[np.float32], region: Region | None) -> Shares | None:
    """Return a region of whole pixels in shares of the frame."""
    if region is None:
        return None
    height, width = frame.shape[:2]
    return region[0] / width, region[1] / height, region[2] / width, region[3] / height


def _cut(frame: NDArray[np.float32], region: Region) -> NDArray[np.float32]:
    left, top, wide, high = region
    return np.ascontiguousarray(frame[top : top + high, left : left + wide])


def _enlarged(shown: NDArray[np.uint8], width: int) -> NDArray[np.uint8]:
    """Return a picture of few pixels with each as a square, so that JPEG does not blur them."""
    by = width // shown.shape[1]
    return np.repeat(np.repeat(shown, by, axis=0), by, axis=1) if by > 1 else shown


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


@dataclass(frozen=True, slots=True)
class Overlays:
    """Marks over a picture, in shares of it: lines of equal stops, and casts near neutral."""

    contours: list[Contour]
    casts: list[Cast]


_OVERLAY_WIDTH = 480
_LIGHT = EncodingOutput("linear/ap1")


def overlays(
    clip: Clip, parts: Parts, overrides: Overrides, seen: Seen, *, contours: bool, neutral: bool
) -> Overlays:  # fmt: skip
    """Return the marks of a frame: stops are told after the trim, neutral after the balance."""
    frame, region = _looked_at(clip, replace(seen, width=_OVERLAY_WIDTH))
    code = frame if region is None else _cut(frame, region)
    left, top, wide, high = _shares(frame, region) or (0.0, 0.0, 1.0, 1.0)

    def after(stage: str) -> NDArray[np.float32]:
        light = replace(overrides, until=stage, output=_LIGHT, grey=False)
        return execute(compose(parts, light), code, number=seen.frame, threads=THREADS)

    lines = stop_contours(after("trim")) if contours else []
    marks = casts(after("balance")) if neutral else []
    scale, start = np.array([wide, high] * 2), np.array([left, top] * 2)
    return Overlays(
        [replace(line, segments=line.segments * scale + start) for line in lines],
        [replace(c, x=left + wide * c.x, y=top + high * c.y) for c in marks],
    )


def warm_up() -> None:
    """Compile (or load from the cache) all kernels, so that no request has to."""
    grey = np.full((8, 8, 3), 0.4, np.float32)
    for encoding in ("s-log3/s-gamut3", "n-log/n-gamut"):
        chain = Chain(Decode(encoding, "legal"), Output())
        draw(chain, grey)
        disp = run(compile_chain(chain), grey)
        count_scopes(disp)
        jpeg(disp)
