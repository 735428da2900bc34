"""What the API takes and says about pictures."""

from __future__ import annotations

from typing import Annotated, Literal

from ninja import Schema
from pydantic import AfterValidator, Field

from syntonos.core.chain.stages import OptionalStage
from syntonos.core.viewing import Mark, Scope
from syntonos.server.api.chain_schemas import ChainDocument, LookStage, TrimStage
from syntonos.server.looks.schemas import Dials


class BlockOut(Schema):
    """One block of a message: what it holds, and how many bytes of it follow the header."""

    name: Literal["picture"] | Scope
    type: Literal["jpeg", "uint16"]
    shape: list[int]  # picture: height, width, 3; parade: channel, column, level
    bytes: int


class DraftHeader(Schema):
    """The header of a message: what it is of, and the blocks after it, in their order."""

    sequence: int
    view: str  # of a stream: which view it is for
    number: int  # of a stream: which frame of its playback
    name: str  # of what is looked at
    frame: int
    width: int
    height: int
    pixels: int  # how wide the frame was that it was cut from
    region: tuple[float, float, float, float] | None  # in whole pixels of it; null: all
    scoped: tuple[float, float, float, float] | None  # what scopes are of, where not what is shown
    matched: bool  # whether a match is in its chain
    bottom: float  # of the display signal that the parade shows
    top: float
    luma: tuple[float, float]  # weights of R' and B' in Y'
    light: list[tuple[float, float]]  # of HDR: signals, and the light of a neutral there in nit
    unseen: float | None  # shares that are hatched
    outside: float | None
    clipped: float | None
    recorded: tuple[float, float, float] | None  # that the recording has clipped, by channel
    display: str
    white: float | None  # of HDR: the light in nit that is white on screen
    blocks: list[BlockOut]


class DecodeIn(Schema):
    encoding: str = Field(max_length=60)
    levels: Literal["full", "legal"] = "full"


class OverridesIn(Schema):
    """What is looked at instead of what is in force; nothing of it is kept."""

    off: list[OptionalStage] = Field(default_factory=list, max_length=16)
    until: Literal["input"] | OptionalStage | None = None
    decode: DecodeIn | None = None  # a candidate encoding
    match_id: int | None = None  # a revision of this camera's match in this light
    trim: TrimStage | None = None  # of the camera in its light, under the hand
    clip_trim: TrimStage | None = None  # what the clip adds to it, under the hand
    dials: Dials | None = None  # of a balance under the hand
    look: LookStage | None = None  # under the hand
    output: str = Field("", max_length=40)  # the key of one of the production's; "" for the main
    grey: bool = False  # saturation to zero before the output
    pinned: ChainDocument | None = None  # a whole chain instead of the clip's own


def _inside(shares: tuple[float, float, float, float]) -> tuple[float, float, float, float]:
    left, top, width, height = shares
    if not (0 <= left < 1 and 0 <= top < 1 and 0 < width <= 1 and 0 < height <= 1):
        raise ValueError("a region is left, top, width and height in shares of the frame")
    return left, top, min(width, 1 - left), min(height, 1 - top)


Shares = Annotated[tuple[float, float, float, float], AfterValidator(_inside)]


class SubjectIn(Schema):
    """What a pane shows: a clip, or a frame or still that is pinned."""

    kind: Literal["clip", "pin"]
    id: int


class SeenIn(Schema):
    """A frame of a subject, and how it is looked at."""

    subject: SubjectIn
    # What the page was told is in force for a clip; "" for the newest.
    stand: str = Field("", max_length=64)
    frame: int = Field(0, ge=0)
    width: int = Field(960, ge=16, le=3840)
    overrides: OverridesIn = Field(default_factory=dict, validate_default=True)
    # Hatch what lies outside what the match has seen, or what the display cannot show.
    mark: Mark = ""
    region: Shares | None = None  # zoomed in on: all that is shown
    scoped: Shares | None = None  # what the scopes are of; None: what is shown
    lowest: bool = False  # the parade shows the lowest tenth of the signal
    whole: bool = False  # see HDR darkened until its peak is white


class DraftIn(SeenIn):
    session: str = Field("", max_length=60)  # a page
    view: str = Field(max_length=60)  # a picture on it
    sequence: int = Field(ge=0)
    scopes: list[Scope] = Field(default_factory=list, max_length=8)  # those that are wanted


class CloseIn(Schema):
    session: str = Field(max_length=60)
    view: str | None = Field(None, max_length=60)  # none: all of the session


class DiagnosticsOut(Schema):
    """What the LUTs of the look do to a frame."""

    lut_clips: list[float]  # of each LUT, the share of pixels of which it clips a channel
    # Of each, what it makes of middle grey and of a stop: in stops, or in signal to a display.
    lut_greys: list[tuple[float, float]]


class OverlaysIn(SeenIn):
    contours: bool = False
    neutral: bool = False


class ContourOut(Schema):
    """A line of equal luminance: x, y of one end and of the other, in shares of the picture."""

    stop: int  # about middle grey
    segments: list[tuple[float, float, float, float]]


class CastOut(Schema):
    x: float
    y: float
    warmth: float  # mired, + is warmer than neutral
    tint: float  # Duv x 1000, + is greener


class OverlaysOut(Schema):
    contours: list[ContourOut]
    casts: list[CastOut]
