"""What is looked at, as it goes over the wire: pictures as JPEG, scopes and figures as blocks."""

from __future__ import annotations

import json
import os
import struct
from collections.abc import Callable, Iterator
from dataclasses import dataclass, replace
from typing import Any

import numpy as np
from numpy.typing import NDArray

from syntonos.core.chain import Chain, Decode, Output, Overrides
from syntonos.core.chain.displays import light_marks
from syntonos.core.chain.executor import execute
from syntonos.core.chain.marks import clipped_by_luts, grey_through_luts, screen_white
from syntonos.core.scopes import Cast, Contour, casts, count_scopes, draw, stop_contours
from syntonos.core.scopes.counts import luma_weights
from syntonos.core.viewing import Asked, Subject, Viewed, view
from syntonos.server.rendering.jpeg import jpeg

THREADS = min(os.cpu_count() or 1, 4)


def picture(subject: Subject, asked: Asked, overrides: Overrides) -> bytes:
    """Return a frame as JPEG, as an SDR screen shows it best."""
    seen = view(subject, asked, overrides, threads=THREADS)
    assert seen.picture is not None  # noqa: S101 - it was asked for
    return jpeg(seen.picture)


def draft_message(
    subject: Subject,
    overrides: Overrides,
    asked: Asked,
    *,
    sequence: int,
    view_name: str = "",
    number: int = 0,
    is_cancelled: Callable[[], bool] | None = None,
) -> bytes:
    """Return one binary message: a header, then the blocks that it names.

    uint32 length of the header (little endian), the header as JSON, and the bytes of the blocks one
    after the other. `view_name` and `number` say in a stream what it is of, and which frame of its
    playback is due.
    """
    seen = view(subject, asked, overrides, threads=THREADS, is_cancelled=is_cancelled)
    header = _header(subject, asked, seen)
    blocks, data = [], []
    for name, kind, shape, content in _blocks(asked, seen):
        blocks.append({"name": name, "type": kind, "shape": shape, "bytes": len(content)})
        data.append(content)
    header |= {"sequence": sequence, "view": view_name, "number": number, "blocks": blocks}
    head = json.dumps(header).encode()
    return b"".join([struct.pack("<I", len(head)), head, *data])


def _header(subject: Subject, asked: Asked, seen: Viewed) -> dict[str, Any]:
    display = getattr(seen.chain.output, "display", "rec709")
    marked, shown = seen.marked, seen.picture
    assert shown is not None  # noqa: S101 - a draft is a picture
    return {
        "width": shown.shape[1], "height": shown.shape[0], "frame": subject.frame(asked.frame),
        "name": subject.source.about.name, "matched": seen.chain.match is not None,
        "bottom": asked.span[0], "top": asked.span[1], "pixels": seen.shape[1],
        "region": seen.shares, "scoped": asked.scoped,
        "luma": luma_weights(display), "light": light_marks(display),
        "unseen": marked and marked.unseen, "outside": marked and marked.outside,
        # `clipped` is what the display clips, `recorded` what the recording did, by channel.
        "clipped": marked and marked.clipped, "recorded": marked and marked.recorded,
        "display": display, "white": screen_white(display, whole=asked.whole),
    }  # fmt: skip


def _blocks(asked: Asked, seen: Viewed) -> Iterator[tuple[str, str, list[int], bytes]]:
    """Yield name, type, shape and bytes of what was asked for."""
    assert seen.picture is not None  # noqa: S101
    shown = _enlarged(seen.picture, asked.width) if seen.region else seen.picture
    yield "picture", "jpeg", list(shown.shape), jpeg(shown)
    if seen.counts is not None:
        found = {"parade": seen.counts.parade, "vectorscope": seen.counts.vector}
        for name in asked.scopes:
            yield name, "uint16", list(found[name].shape), found[name].tobytes()


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


def diagnose(subject: Subject, overrides: Overrides, asked: Asked) -> Diagnostics:
    """Say what the LUTs of a chain's look do to a frame."""
    seen = view(subject, replace(asked, picture=False, scopes=(), region=None), overrides)
    if not seen.chain.luts:
        return Diagnostics([], [])
    frame = subject.frame(asked.frame)
    code = subject.source.read(frame, asked.width)
    clips = clipped_by_luts(seen.chain, code[::4, ::4], frame=frame)
    return Diagnostics(clips, grey_through_luts(seen.chain))


@dataclass(frozen=True, slots=True)
class Overlays:
    """Marks over a picture, in shares of it: lines of equal stops, and casts near neutral."""

    contours: list[Contour]
    casts: list[Cast]


_OVERLAY_WIDTH = 480
_TOLD_AFTER = {"contours": "trim", "neutral": "balance"}  # stages that they are told after


def overlays(
    subject: Subject, overrides: Overrides, asked: Asked, *, contours: bool, neutral: bool
) -> Overlays:  # fmt: skip
    """Return the marks of a frame: stops are told after the trim, neutral after the balance."""
    named = {"contours": contours, "neutral": neutral}
    stages = tuple(_TOLD_AFTER[name] for name, is_asked in named.items() if is_asked)
    wanted = replace(asked, width=_OVERLAY_WIDTH, picture=False, scopes=(), light=stages)
    seen = view(subject, wanted, overrides, threads=THREADS)
    left, top, wide, high = seen.shares or (0.0, 0.0, 1.0, 1.0)
    lines = stop_contours(seen.light["trim"]) if contours else []
    marks = casts(seen.light["balance"]) if neutral else []
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
        disp = execute(chain, grey)
        count_scopes(disp)
        jpeg(disp)
