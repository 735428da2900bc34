"""What the API takes and says about trims."""

from __future__ import annotations

from datetime import datetime
from typing import Literal

from ninja import Schema
from pydantic import Field

from syntonos.core.chain.stages import OptionalStage
from syntonos.server.api.chain_schemas import LookStage, TrimStage
from syntonos.server.looks.schemas import Dials
from syntonos.server.productions.schemas import TunerOut

Part = Literal["light", "tone", "curves", "hues", "pairs", "detail"]
Source = Literal["chart", "areas", "skin", "scene", "picture"]


class TrimOut(Schema):
    number: int  # 0 where there is none
    stage: TrimStage
    created: datetime | None
    match_number: int | None  # of the match that it was made over
    is_over_other: bool  # than the one in force now


class TrimsOut(Schema):
    """A camera's trim in a light, and what a clip adds to it."""

    light: TrimOut
    clip: TrimOut
    match_number: int | None
    beyond: list[str]  # numbers of both together that are out of range, in words


class TrimIn(Schema):
    stage: TrimStage
    base_number: int = 0
    clip_id: int | None = None  # what this clip adds, instead of the light's trim
    how: str = Field("", max_length=40)  # for the log: what made it


class LookedAtIn(Schema):
    """Both pictures on screen, and what is under the hand."""

    clip_id: int
    reference_clip_id: int
    trim: TrimStage | None = None  # under the hand; None: as kept
    clip_trim: TrimStage | None = None
    dials: Dials | None = None  # of a balance under the hand
    look: LookStage | None = None
    off: list[OptionalStage] = Field(default_factory=list, max_length=8)
    output: str = Field("", max_length=40)
    with_match: bool = True  # False: as shot, without match and trim


class MeasureIn(LookedAtIn):
    frame: int = Field(0, ge=0)
    reference_frame: int = Field(0, ge=0)
    source: Source | None = None  # None: the best that there is
    with_hues: bool = False


class PairEffectOut(Schema):
    """The most that pairs move any grey, and any usual skin: delta E."""

    greys: float
    skins: float


class HuesOut(Schema):
    """Colours of both pictures on the plane of hue and chroma, code values of the working log."""

    reference: list[tuple[float, float]]
    angle: list[tuple[float, float]]


class TurnOut(Schema):
    """How far a trim has to be turned so that all its needles stand where they should."""

    exposure: float  # stops
    warmth: float  # mired
    tint: float  # Duv x 1000


class MeasuredOut(Schema):
    tuner: TunerOut | None
    turn: TurnOut | None  # what takes the tuner's deviation off, or brings it to the aim
    source: Source | None
    words: str  # what it was measured on, and how far it can be trusted
    sources: list[Source]  # that there are
    aim: TunerOut  # where it should stand on purpose
    pairs: PairEffectOut | None  # where the trim has pairs
    hues: HuesOut | None = None  # where they were asked for


class CarryIn(Schema):
    choice: Literal["keep", "left", "drop"]
    base_number: int
    clip_id: int | None = None


class TargetIn(Schema):
    light_id: int
    camera_id: int
    clip_id: int | None = None


class CopyIn(Schema):
    parts: list[Part] = Field(min_length=1, max_length=6)
    clip_id: int | None = None  # copy what this clip adds, instead of the light's trim
    to: list[TargetIn] = Field(min_length=1, max_length=500)


class PointIn(Schema):
    """A point of one of the pictures, of one frame."""

    side: Literal["reference", "angle"]
    frame: int = Field(0, ge=0)
    at: tuple[float, float]  # shares of the picture
    size: float = Field(0.0, ge=0, le=1)  # diameter in shares of its width; 0 is one pixel
