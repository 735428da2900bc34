"""What the API takes and says about pictures."""

from __future__ import annotations

from typing import Literal

from ninja import Schema
from pydantic import Field

from syntonos.core.chain.stages import OptionalStage
from syntonos.server.api.chain_schemas import ChainDocument, LookStage, TrimStage
from syntonos.server.looks.schemas import Dials

Mark = Literal["", "unseen", "gamut", "clipped"]


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


class SeenIn(Schema):
    """A frame of a clip, and how it is looked at."""

    clip_id: int
    stand: str = Field("", max_length=64)  # what the page was told is in force; "" for the newest
    frame: int = Field(0, ge=0)
    width: int = Field(960, ge=16, le=3840)
    overrides: OverridesIn = Field(default_factory=dict, validate_default=True)
    # Hatch what lies outside what the match has seen, or what the display cannot show.
    mark: Mark = ""
    whole: bool = False  # see HDR darkened until its peak is white


class DraftIn(SeenIn):
    session: str = Field("", max_length=60)  # a page
    view: str = Field(max_length=60)  # a picture on it
    sequence: int = Field(ge=0)
    scopes: bool = True


class CloseIn(Schema):
    session: str = Field(max_length=60)
    view: str | None = Field(None, max_length=60)  # none: all of the session


class DiagnosticsOut(Schema):
    """What the LUTs of the look do to a frame."""

    lut_clips: list[float]  # of each LUT, the share of pixels of which it clips a channel
    # Of each, what it makes of middle grey and of a stop: in stops, or in signal to a display.
    lut_greys: list[tuple[float, float]]
