"""A frame of a subject, looked at: one request names all that is wanted, one answer has it."""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass, field, replace
from typing import Final, Literal, TypeAlias, get_args

import numpy as np
from numpy.typing import NDArray

from syntonos.core.chain import AS_IN_FORCE, Chain, EncodingOutput, Overrides, Parts, compose
from syntonos.core.chain.compose import trim_of
from syntonos.core.chain.executor import Region, execute
from syntonos.core.chain.stages.trim import NEUTRAL
from syntonos.core.media.source import Source
from syntonos.core.scopes import ScopeCounts, count_scopes, draw
from syntonos.core.scopes.counts import WHOLE, Span
from syntonos.core.viewing.marks import Mark, Marked, marked

Picture: TypeAlias = NDArray[np.float32]
Shares: TypeAlias = tuple[float, float, float, float]  # left, top, width, height of the frame
Scope = Literal["parade", "vectorscope"]
SCOPES: Final[tuple[Scope, ...]] = get_args(Scope)
LIGHT: Final = EncodingOutput("linear/ap1")


@dataclass(frozen=True, slots=True)
class Subject:
    """What a pane shows: a source, with the parts of its chain."""

    source: Source
    parts: Parts
    only: int | None = None  # the one frame that it is: a pin's own; None: all of the source's

    def frame(self, number: int) -> int:
        """Return the frame of the source that is shown where one is asked for."""
        return number if self.only is None else self.only


@dataclass(frozen=True, slots=True)
class Asked:
    """What is wanted of a frame.

    frame : int
        From 0; of a live source its serial number.
    width : int
        Of the picture in pixels.
    region : shares of the frame that are shown; None for all of it
    picture : bool
        Bytes for an SDR screen, with its mark.
    codes : bool
        The stored code values instead, as they are: the flat picture.
    mark, whole
        What is hatched; whether HDR is darkened until its peak is white.
    scopes : names of SCOPES
    scoped : what scopes are of; None for what is shown
    span : of the display signal that the parade shows
    light : stages after which scene-linear AP1 is wanted
    display : bool
        The output's own values, unrounded.
    """

    frame: int = 0
    width: int = 480
    region: Shares | None = None
    picture: bool = True
    codes: bool = False
    mark: Mark = ""
    whole: bool = False
    scopes: tuple[Scope, ...] = ()
    scoped: Shares | None = None
    span: Span = WHOLE
    light: tuple[str, ...] = ()
    display: bool = False


@dataclass(frozen=True, slots=True)
class Viewed:
    """What was asked for; the rest is None or empty.

    chain : what it went through
    shape : (height, width) of the frame that it was cut from
    region : of that frame, in whole pixels; None for all of it
    picture : (h, w, 3) uint8, with its mark
    marked : shares of the mark
    counts : ScopeCounts
    light : by stage, (h, w, 3) scene-linear AP1
    display : (h, w, 3) values of the output
    """

    chain: Chain
    shape: tuple[int, int]
    region: Region | None
    picture: NDArray[np.uint8] | None = None
    marked: Marked | None = None
    counts: ScopeCounts | None = None
    light: dict[str, Picture] = field(default_factory=dict)
    display: Picture | None = None

    @property
    def shares(self) -> Shares | None:
        """The region in shares of the frame."""
        return shares_of(self.shape, self.region)


def view(
    subject: Subject, asked: Asked, overrides: Overrides = AS_IN_FORCE, *, threads: int = 1,
    is_cancelled: Callable[[], bool] | None = None,
) -> Viewed:  # fmt: skip
    """Look at a frame of a subject.

    Parameters
    ----------
    subject, overrides
        What it is, and what stands in place of its parts.
    asked : Asked
    threads : int
        How many parts may be worked on at once.
    is_cancelled : callable, optional
        Asked between parts; when it says true the rest is given up.

    Raises
    ------
    MediaError
        As `Source.read`.
    ChainError
        As `compose`.
    Cancelled
        When `is_cancelled` said so.
    """
    source, chain = subject.source, compose(subject.parts, overrides)
    asked = replace(asked, frame=subject.frame(asked.frame))
    code, region = _read(source, asked)
    how = {"number": asked.frame, "threads": threads, "is_cancelled": is_cancelled}
    found: dict[str, object] = {}
    display = getattr(chain.output, "display", "rec709")
    counted = asked.scopes and not asked.codes
    if asked.codes:
        found["picture"] = _bytes(code if region is None else cut(code, region))
    elif asked.picture:
        picture, counts = draw(
            chain, code, region=region, span=asked.span, whole=asked.whole, **how,  # type: ignore[arg-type]
        )  # fmt: skip
        done = marked(picture, asked.mark, chain, code, frame=asked.frame, region=region,
                      clipped=source.clipped, threads=threads)  # fmt: skip
        found |= {"picture": done.picture, "marked": done}
        if counted and asked.scoped is None:
            found["counts"] = counts
    if counted and "counts" not in found:
        part = region if asked.scoped is None else pixels_of(code.shape, asked.scoped)
        shown = execute(chain, code, region=part, **how)  # type: ignore[arg-type]
        found["counts"] = count_scopes(shown, display, asked.span)
    if asked.display:
        found["display"] = execute(chain, code, region=region, **how)  # type: ignore[arg-type]
    lights = {
        stage: light_of(subject.parts, overrides, stage, code, frame=asked.frame, region=region,
                        threads=threads)
        for stage in asked.light
    }  # fmt: skip
    return Viewed(chain, code.shape[:2], region, light=lights, **found)  # type: ignore[arg-type]


def light_of(
    parts: Parts, overrides: Overrides, stage: str, code_rgb: Picture, *, frame: int = 0,
    region: Region | None = None, threads: int = 1,
) -> Picture:  # fmt: skip
    """Return scene-linear AP1 (h, w, 3) of code values after a stage, whatever the output is."""
    until = replace(overrides, until=stage, output=LIGHT, grey=False)
    return execute(compose(parts, until), code_rgb, number=frame, region=region, threads=threads)


def colours_of(
    parts: Parts, overrides: Overrides, code_rgb: Picture, stages: tuple[str, ...], *,
    frame: int = 0, bare: bool = False,
) -> tuple[dict[str, Picture], Picture]:  # fmt: skip
    """Look at colours that do not lie beside each other, as probes sample them.

    Parameters
    ----------
    code_rgb : (1, n, 3) float32
        Stored code values.
    stages
        After which scene-linear AP1 is wanted.
    frame : int
        Of a number that changes over time.
    bare : bool
        Without the trim's pairs.

    Returns
    -------
    light : by stage, (1, n, 3) scene-linear AP1
    shown : (1, n, 3) values of the output
        What a trim softens is left out: it needs what lies around.
    """
    trim = replace(trim_of(parts, overrides) or NEUTRAL, detail=NEUTRAL.detail)
    if bare:
        trim = replace(trim, pairs=())
    plain = replace(overrides, trim=trim, clip_trim=NEUTRAL)
    if not code_rgb.size:
        return dict.fromkeys(stages, code_rgb), code_rgb
    light = {stage: light_of(parts, plain, stage, code_rgb, frame=frame) for stage in stages}
    return light, execute(compose(parts, plain), code_rgb, number=frame)


def _read(source: Source, asked: Asked) -> tuple[Picture, Region | None]:
    """Return the frame, as large as what is shown of it needs, and the region in its pixels."""
    if asked.region is None:
        return source.read(asked.frame, asked.width), None
    wide = min(source.about.width, math.ceil(asked.width / asked.region[2]))
    # Past a half the whole frame is taken: it is kept, and sizes between are many.
    most = source.about.width
    frame = source.read(asked.frame, most if 2 * wide > most else wide)
    return frame, pixels_of(frame.shape, asked.region)


def _bytes(code_rgb: Picture) -> NDArray[np.uint8]:
    from syntonos.core.chain.engine import to_bytes

    return to_bytes(np.asarray(code_rgb, np.float32))


def cut(frame: Picture, region: Region) -> Picture:
    """Return a region of a frame (h, w, 3)."""
    left, top, wide, high = region
    return np.ascontiguousarray(frame[top : top + high, left : left + wide])


def pixels_of(shape: tuple[int, ...], shares: Shares) -> Region:
    """Return a region in whole pixels of a frame (h, w, ...), of shares of it."""
    height, width = shape[:2]
    left, top = int(shares[0] * width), int(shares[1] * height)
    right = min(width, math.ceil((shares[0] + shares[2]) * width - 1e-6))
    bottom = min(height, math.ceil((shares[1] + shares[3]) * height - 1e-6))
    return left, top, max(1, right - left), max(1, bottom - top)


def shares_of(shape: tuple[int, ...], region: Region | None) -> Shares | None:
    """Return a region of whole pixels in shares of a frame; None for the whole."""
    if region is None:
        return None
    height, width = shape[:2]
    return region[0] / width, region[1] / height, region[2] / width, region[3] / height
