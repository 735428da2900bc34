"""What the API says and takes about productions."""

from __future__ import annotations

from typing import Literal

from ninja import Schema
from pydantic import Field

from syntonos.server.footage.schemas import ClipOut

LevelsName = Literal["full", "legal"]
DisplayName = Literal["rec709-tone", "rec709-plain"]


class EncodingOut(Schema):
    slug: str
    name: str
    is_display: bool
    source: str


class CameraOut(Schema):
    id: int
    letter: str
    name: str
    encoding: str
    encoding_name: str
    levels: LevelsName
    note: str
    is_reference: bool


class CameraIn(Schema):
    letter: str = Field(pattern="^[A-Z]$")
    name: str = Field(min_length=1, max_length=80)
    encoding: str
    levels: LevelsName = "full"
    note: str = Field("", max_length=2000)


class CameraChange(Schema):
    name: str | None = Field(None, min_length=1, max_length=80)
    encoding: str | None = None
    levels: LevelsName | None = None
    note: str | None = Field(None, max_length=2000)


class LightOut(Schema):
    id: int
    name: str
    conditions: str
    clips: int = 0
    readings: int = 0


class LightIn(Schema):
    name: str = Field(min_length=1, max_length=80)
    conditions: str = Field("", max_length=200)


class LightChange(Schema):
    name: str | None = Field(None, min_length=1, max_length=80)
    conditions: str | None = Field(None, max_length=200)


class ProductionOut(Schema):
    id: int
    name: str
    reference_camera_id: int | None
    tolerance: float
    display: DisplayName


class ProductionIn(Schema):
    name: str = Field(min_length=1, max_length=120)


class ProductionChange(Schema):
    name: str | None = Field(None, min_length=1, max_length=120)
    reference_camera_id: int | None = None
    tolerance: float | None = Field(None, ge=0.1, le=10)
    display: DisplayName | None = None


class TunerOut(Schema):
    exposure: float
    warmth: float
    tint: float
    contrast: float
    strength: float


class CellOut(Schema):
    light_id: int
    camera_id: int
    clip: ClipOut | None
    chart_clip: ClipOut | None
    state: Literal["reference", "in_tune", "close", "off", "stale", "not_measured", "borrowed"]
    delta_e: float | None
    before: float | None
    tuner: TunerOut | None
    next_step: Literal["none", "bring_in", "read_chart", "read_reference", "fit", "fit_again"]
    match_number: int | None
    picture_key: str


class BoardOut(Schema):
    production: ProductionOut
    cameras: list[CameraOut]
    lights: list[LightOut]
    cells: list[CellOut]
