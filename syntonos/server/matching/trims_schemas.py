"""What the API takes and says about trims."""

from __future__ import annotations

from datetime import datetime
from typing import Literal

from ninja import Schema
from pydantic import Field

from syntonos.server.api.chain_schemas import TrimStage
from syntonos.server.productions.schemas import TunerOut

Part = Literal["light", "tone", "curves", "hues", "pairs", "detail"]
Source = Literal["chart", "areas", "picture"]


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


class TrimIn(Schema):
    stage: TrimStage
    base_number: int = 0
    clip_id: int | None = None  # what this clip adds, instead of the light's trim
    how: str = Field("", max_length=40)  # for the log: what made it


class PlaceIn(Schema):
    """An area in both pictures, in shares of their width and height."""

    reference: tuple[float, float]
    angle: tuple[float, float]
    size: float = Field(0.015, gt=0, le=0.5)  # diameter, share of the width


class MeasureIn(Schema):
    clip_id: int
    frame: int = Field(0, ge=0)
    reference_clip_id: int
    reference_frame: int = Field(0, ge=0)
    trim: TrimStage | None = None  # under the hand; None: as kept
    clip_trim: TrimStage | None = None
    with_match: bool = True  # False: as shot, without match and trim
    source: Source | None = None  # None: the best that there is
    areas: list[PlaceIn] = Field(default_factory=list, max_length=64)


class PairEffectOut(Schema):
    """The most that pairs move any grey, and any usual skin: delta E."""

    greys: float
    skins: float


class MeasuredOut(Schema):
    tuner: TunerOut | None
    source: Source | None
    words: str  # what it was measured on, and how far it can be trusted
    sources: list[Source]  # that there are
    pairs: PairEffectOut | None  # where the trim has pairs


class ComparedOut(Schema):
    """One thing in both pictures."""

    reference: tuple[float, float, float]  # scene-linear AP1, after match and trim
    angle: tuple[float, float, float]
    delta_e: float
    stops: float
    warmth: float  # mired
    tint: float  # Duv x 1000
    # AP1 where the trim's pairs begin: the angle's, and the reference's that it should be.
    pair: tuple[tuple[float, float, float], tuple[float, float, float]]
    reach: float  # that such a pair takes


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
