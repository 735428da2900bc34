"""What the API takes and says about probes and aims."""

from __future__ import annotations

from typing import Literal

from ninja import Schema
from pydantic import Field

from syntonos.core.chain.stages import OptionalStage
from syntonos.server.matching.trims_schemas import LookedAtIn, PointIn

Rgb = tuple[float, float, float]
StageName = Literal["recorded", "input", OptionalStage, "output"]


class PlaceIn(Schema):
    """Where a clip shows a thing: its middle in shares of the picture, diameter of its width."""

    clip_id: int
    frame: int = Field(0, ge=0)
    x: float
    y: float
    size: float = Field(0.015, gt=0, le=1)


class ProbeIn(Schema):
    name: str = Field("", max_length=40)
    places: list[PlaceIn] = Field(min_length=1, max_length=200)


class ProbeChangeIn(Schema):
    """What is named is changed."""

    name: str | None = Field(None, max_length=40)
    is_skin: bool | None = None
    is_put_away: bool | None = None
    places: list[PlaceIn] = Field(default_factory=list, max_length=200)
    without: list[int] = Field(default_factory=list, max_length=200)  # clips


class PlaceOut(Schema):
    clip_id: int
    frame: int
    x: float
    y: float
    size: float


class ProbeOut(Schema):
    id: int
    number: int
    name: str
    is_skin: bool
    places: list[PlaceOut]


class ReadPointsIn(LookedAtIn):
    points: list[PointIn] = Field(min_length=1, max_length=8)


class AtOut(Schema):
    frame: int
    x: float
    y: float
    size: float


class ValuesOut(Schema):
    """A colour after a stage, in the units that mean something there.

    code: 0 to 1023, stored values, ACEScct between, the display's signal at the end; percent of
    the signal, or of a white of 100 % in scene light; stops about middle grey; nit of the display;
    linear light.
    """

    stage: StageName
    code: Rgb
    percent: Rgb
    stops: Rgb | None
    nit: Rgb | None
    linear: Rgb | None


class ProbeSideOut(Schema):
    clip_id: int
    clip: str
    place: AtOut
    stages: list[ValuesOut]
    light: Rgb  # scene-linear AP1 after match and trim
    stops: float  # of its luminance there, about middle grey
    cast: tuple[float, float] | None  # from neutral after the balance: mired, Duv x 1000
    spread: float  # standard deviation of its pixels, stops
    clipped: float  # share of its pixels
    pixels: int  # of all frames that were averaged
    vector: tuple[float, float]  # Cb and Cr of the output


class ApartOut(Schema):
    """How far the angle is off at a thing, and what a colour pair would be of."""

    delta_e: float
    stops: float
    warmth: float  # mired
    tint: float  # Duv x 1000
    # AP1 where the trim's pairs begin: the angle's, and the reference's that it should be.
    pair: tuple[Rgb, Rgb]
    reach: float  # that such a pair takes


class ProbedOut(Schema):
    id: int
    number: int
    name: str
    is_skin: bool
    sides: tuple[ProbeSideOut | None, ProbeSideOut | None]  # of the reference, of the angle
    apart: ApartOut | None
    clips: int  # how many clips have a place of it


class SetAllIn(Schema):
    """Set the white of several clips at once, by one thing that all of them show."""

    clip_ids: list[int] = Field(min_length=1, max_length=200)
    to: Literal["reference", "neutral"]
    reference_clip_id: int | None = None  # whose place counts; None: the first that has one
    for_clips: bool = False  # what each clip adds, instead of its camera's trim in the light


class SetOut(Schema):
    clip_id: int
    where: str
    stops: float
    warmth: float
    tint: float


class AimIn(Schema):
    """Where the tuner should stand on purpose; a light, a camera, or one in the other."""

    light_id: int | None = None
    camera_id: int | None = None
    exposure: float = Field(0.0, ge=-4, le=4)
    warmth: float = Field(0.0, ge=-250, le=250)
    tint: float = Field(0.0, ge=-40, le=40)
    contrast: float = Field(0.0, ge=-0.5, le=1)
    strength: float = Field(0.0, ge=-100, le=100)


class AimOut(AimIn):
    pass
